"""Which species take part among weak electrolytes, and what they are made of.

Ammonia, carbon dioxide, hydrogen sulfide and sulfur dioxide dissociate and can leave; hydrogen chloride leaves as a molecule and is ions in
water; sodium hydroxide and salts are ions and stay. Enthalpies, entropies and heat capacities of the latter are those of what they are made
of in water at infinite dilution: Wagman et al., NBS Tables, J. Phys. Chem. Ref. Data 11 (1982) suppl. 2.

Notation: molalities [mol/kg of water].
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine import fluids as k

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.stream import Stream
    from gulch.engine.species.records import Species

BASIS = ("H2O", "NH3", "CO2", "H2S", "SO2", "HCl", "NaOH")
IONS = ("H+", "Na+", "NH4+", "OH-", "Cl-", "HCO3-", "CO3--", "NH2COO-", "HS-", "S--", "HSO3-", "SO3--")
DISSOLVED_FREE = ("NH3", "CO2", "H2S", "SO2")
MOLECULES = {"7664-41-7": "NH3", "124-38-9": "CO2", "7783-06-4": "H2S", "7446-09-5": "SO2"}
# Formation enthalpy [J/mol], entropy and heat capacity [J/(mol K)] in water: of liquid water, dissolved molecules, and ions together.
IN_WATER = {
    "H2O": (-285830.0, 69.91, 75.29),
    "NH3": (-80290.0, 111.3, 75.0),
    "CO2": (-413800.0, 117.6, 243.0),
    "H2S": (-39700.0, 121.0, 178.0),
    "SO2": (-322980.0, 161.9, 195.0),
    "HCl": (-167159.0, 56.5, -136.4),
    "NaOH": (-470114.0, 48.1, -102.1),
}
MADE_OF = {
    "7647-01-0": {"HCl": 1},
    "1310-73-2": {"NaOH": 1},
    "7647-14-5": {"NaOH": 1, "HCl": 1, "H2O": -1},  # sodium chloride
    "497-19-8": {"NaOH": 2, "CO2": 1, "H2O": -1},  # sodium carbonate
    "144-55-8": {"NaOH": 1, "CO2": 1},  # sodium hydrogencarbonate
    "1313-82-2": {"NaOH": 2, "H2S": 1, "H2O": -2},  # sodium sulfide
    "16721-80-5": {"NaOH": 1, "H2S": 1, "H2O": -1},  # sodium hydrosulfide
    "7757-83-7": {"NaOH": 2, "SO2": 1, "H2O": -1},  # sodium sulfite
    "7631-90-5": {"NaOH": 1, "SO2": 1},  # sodium hydrogensulfite
    "12125-02-9": {"NH3": 1, "HCl": 1},  # ammonium chloride
    "1066-33-7": {"NH3": 1, "CO2": 1, "H2O": 1},  # ammonium hydrogencarbonate
    "506-87-6": {"NH3": 2, "CO2": 1, "H2O": 1},  # ammonium carbonate
    "12124-99-1": {"NH3": 1, "H2S": 1},  # ammonium hydrosulfide
    "1336-21-6": {"NH3": 1, "H2O": 1},  # ammonium hydroxide
}
AS_WATER = [k.TC, k.PC, k.OMEGA, k.B_, k.AC, k.M_, k.M2_, k.M3_]
WITHOUT_WATER = [647.1, 2.2e7, 0.34, 2e-5, 0.5, 1.0, 0.0, 0.0]
MODELLED = {*MOLECULES, *MADE_OF}
HYDROGEN_CHLORIDE = "7647-01-0"
STRONGEST = 6.0  # mol/kg of ions up to which the interactions of ions have been measured


def is_of_ions(species: Species) -> bool:
    """Whether a species is ions in water altogether."""
    return species.cas in MADE_OF


def mark(species: tuple[Species, ...], par: np.ndarray) -> None:
    """Put into rows of the kernels, shape (n, N_COLUMNS), what every species is among weak electrolytes."""
    water = next((i for i in range(len(species)) if par[i, k.SOLVENT]), None)
    for i, s in enumerate(species):
        made_of = {"H2O": 1} if par[i, k.SOLVENT] else {MOLECULES[s.cas]: 1} if s.cas in MOLECULES else MADE_OF.get(s.cas or "")
        if made_of is None:
            continue
        par[i, k.IONIC] = k.IONS if is_of_ions(s) else k.A_MOLECULE
        for name, count in made_of.items():
            par[i, k.ION0 + BASIS.index(name)] = count
        if is_of_ions(s):
            par[i, k.DISSOLVED] = 1.0
            if s.cas != HYDROGEN_CHLORIDE:
                _in_water(par[i], made_of)
                # what next to none of it does in a vapour that is no ideal gas: as water
                par[i, AS_WATER] = par[water, AS_WATER] if water is not None else WITHOUT_WATER


def _in_water(row: np.ndarray, made_of: dict[str, int]) -> None:
    """The row of a salt: enthalpy and entropy of what it is made of in water, nothing of a vapour."""
    h, s, cp = (sum(count * IN_WATER[name][c] for name, count in made_of.items()) for c in range(3))
    row[k.CP0 : k.GROUP_R] = 0.0
    row[k.CP0] = cp / k.R
    row[k.H_CONST] = h - cp * 298.15
    row[k.S_CONST] = s - k.KEPT * k.R - cp * np.log(298.15)
    row[k.VP0 : k.VP_TMAX + 1] = 0.0
    row[k.VP_TMIN], row[k.VP_TMAX] = 200.0, 1000.0


@dataclass(frozen=True)
class Dissociated:
    """What stands in a watery liquid: its pH, ionic strength [mol/kg], molalities of ions and of free molecules [mol/kg]."""

    pH: float
    strength: float
    molalities: dict[str, float]


def dissociated(model: PhaseModel, T: float, P: float, x: np.ndarray) -> Dissociated | None:
    """What a liquid of mole fractions x, shape (n,), of what was put in is at T [K] and P [Pa]; None where it is no such liquid.

    pH: minus the decadic logarithm of the activity of hydrogen ions, in molalities.
    """
    if model.code != k.ELECTROLYTES or model.water is None or x[model.water] <= 0.0:
        return None
    at = np.flatnonzero((x > 0.0) & model.volatile)
    found = k.dissociated_in(T, P, x[at] / x[at].sum(), *model.part(at))
    names = (*IONS, *DISSOLVED_FREE)
    return Dissociated(float(found[0]), float(found[1]), {n: float(m) for n, m in zip(names, found[2:], strict=True) if m > 1e-30})


def in_water(stream: Stream) -> Dissociated | None:
    """What stands in the liquid of a Stream that has most water; None where there is none, or the phase model knows no ions."""
    if stream.model.code != k.ELECTROLYTES or stream.model.water is None or not stream.state.liquids:
        return None
    _, _, x, _ = max(stream.state.liquids, key=lambda p: stream.model.water_share(p[2]))
    return dissociated(stream.model, stream.T, stream.P, x)
