"""Properties over temperature: of a species as an ideal gas and along its boiling line, of a stream's mixture at its pressure."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.phases import phase_model
from gulch.engine.phases.kernels.ideal_gas import ln_psat
from gulch.engine.phases.state import StateNotFinite, TemperatureNotFound

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel

POINTS = 41
STEP = 0.5  # K, over which a heat capacity is differenced


@dataclass(frozen=True)
class Course:
    """A property over temperature. T [K], shape (n,), rising; values in SI of its dimension, None where there is none."""

    name: str
    label: str
    dimension: str
    T: list[float]
    values: list[float | None]
    source: str = ""


def of_species(key: tuple, kind: str = "ideal") -> list[Course]:
    """Heat capacity, enthalpy and entropy of an ideal gas at 1 bar over the range of its data, and the vapour pressure.

    key: of a species, (CAS number, user data). Enthalpies are on the elements basis. Raises SpeciesError.
    """
    model = phase_model(kind, (key,))
    species = model.species[0]
    low, high = max(species.heat_capacity.low, 150.0), min(species.heat_capacity.high, 3000.0)
    T = np.linspace(low, high, POINTS)
    h = np.array([model.ideal_gas_enthalpies(t)[0] for t in T])
    s = [float(model.ideal_gas_entropies(t)[0]) for t in T]
    cp = [float(np.diff([model.ideal_gas_enthalpies(t + d)[0] for d in (-STEP, STEP)])[0] / (2 * STEP)) for t in T]
    source = species.heat_capacity.source
    state = "as it is" if species.non_volatile else "ideal gas, 1 bar"
    found = [
        Course("heat_capacity", f"Heat capacity, {state}", "molar entropy", T.tolist(), list(cp), source),
        Course("enthalpy", f"Enthalpy, {state}, from the elements", "molar energy", T.tolist(), h.tolist(), source),
        Course("entropy", f"Entropy, {state}", "molar entropy", T.tolist(), list(s), source),
    ]
    fit = species.vapour_pressure
    if fit is not None and not species.non_volatile:
        at = np.linspace(fit.low, fit.high, POINTS)
        pressures = [float(np.exp(ln_psat(t, model.par, 0)[0])) for t in at]
        found.append(Course("vapour_pressure", "Vapour pressure", "pressure", at.tolist(), list(pressures), fit.source))
    return found


def of_material(model: PhaseModel, n: np.ndarray, P: float, low: float, high: float) -> list[Course]:
    """Properties of amounts n [mol/s], shape (species,), at P [Pa] between two temperatures [K], whatever phases they part into.

    The heat capacity is what heats it by one kelvin, boiling included. Where no state is found there is no value.
    """
    T = np.linspace(low, high, POINTS)
    mass = float(n @ model.molar_mass / n.sum())
    rows: dict[str, list[float | None]] = {k: [] for k in ("vapour", "enthalpy", "entropy", "density")}
    for t in T:
        try:
            state = model.at_temperature(float(t), P, n)
        except (StateNotFinite, TemperatureNotFound):
            for values in rows.values():
                values.append(None)
            continue
        for name, value in (
            ("vapour", state.vapour_fraction),
            ("enthalpy", state.enthalpy),
            ("entropy", state.entropy),
            ("density", mass / state.volume),
        ):
            rows[name].append(float(value))
    kinds = {
        "vapour": ("Vapour fraction", "fraction"),
        "enthalpy": ("Enthalpy, from the elements", "molar energy"),
        "entropy": ("Entropy", "molar entropy"),
        "density": ("Density", "density"),
    }
    found = [Course(name, *kinds[name], T.tolist(), values) for name, values in rows.items()]
    h = np.array([np.nan if v is None else v for v in rows["enthalpy"]])
    cp = np.gradient(h, T)
    values = [None if not np.isfinite(v) else float(v) for v in cp]
    return [*found, Course("heat_capacity", "Heat capacity, boiling included", "molar entropy", T.tolist(), values)]
