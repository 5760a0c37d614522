"""A species as a project uses it: the databank's data, with the user's choices and values in their place.

The user's part is a tuple of (name, text) pairs, so that it can be a key of caches: texts with units for the
fields of OWN, points ("25 degC 135 J/(mol K); 200 degC 170 J/(mol K)") for those of POINTS, a source's name for
"source.<field>", and "yes" for "non_volatile"; what stays in the liquid has a "solvent" ("water" or "none") and "particles";
"polynomial": pasted coefficients (`nasa`), which typed values and points go before.
"""

from __future__ import annotations

import itertools
import math
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
from chemicals.elements import molecular_weight, simple_formula_parser

from gulch.engine.quantities import QuantityError, parse, parse_points, show
from gulch.engine.species import fractions
from gulch.engine.species.databank import GRAPHITE, SpeciesError, condensed, known
from gulch.engine.species.elements import element_entropy
from gulch.engine.species.groups import read_groups
from gulch.engine.species.heat_capacity import constant, estimate, fit, heat_capacity
from gulch.engine.species.kept import kept_only
from gulch.engine.species.nasa import T0, read_polynomial
from gulch.engine.species.records import Datum, Species
from gulch.engine.species.vapour_pressure import through_points, vapour_pressure

if TYPE_CHECKING:
    from collections.abc import Mapping

    from gulch.engine.species.nasa import Polynomial
    from gulch.engine.species.records import Fit


OWN = {
    "formation_enthalpy": ("Formation enthalpy, 298.15 K", "molar energy"),
    "formation_gibbs": ("Formation Gibbs energy, 298.15 K", "molar energy"),
    "entropy": ("Entropy, 298.15 K, 1 bar", "molar entropy"),
    "critical_temperature": ("Critical temperature", "temperature"),
    "critical_pressure": ("Critical pressure", "pressure"),
    "acentric_factor": ("Acentric factor", "ratio"),
    "boiling_point": ("Normal boiling point", "temperature"),
    "liquid_density": ("Liquid density", "density"),
}
# What a substance can have at all [SI]: helium to metals, and a good deal beyond.
BOUNDS = {
    "critical_temperature": (2.0, 2e4),
    "critical_pressure": (2e4, 3e8),
    "acentric_factor": (-0.6, 3.0),
    "boiling_point": (2.0, 8e3),
    "liquid_density": (10.0, 3e4),
    "formation_enthalpy": (-1e8, 1e8),
    "formation_gibbs": (-1e8, 1e8),
    "entropy": (0.0, 2e4),
}
CAPACITY = (5.0, 2e4)  # J/(mol K), likewise
POINTS = {
    "heat_capacity": ("Heat capacity", ("temperature", "molar entropy")),
    "vapour_pressure": ("Vapour pressure", ("temperature", "pressure")),
}
TYPED = "typed in this project"
BY_POLYNOMIAL = "polynomial typed in this project"
SALTY = {"H", "C", "N", "F", "P", "S", "Cl", "Br", "I"}  # one of these, beside others, is in what water dissolves, by default
_UNKNOWN = dict.fromkeys(
    ("critical_temperature", "critical_pressure", "acentric_factor", "formation_enthalpy", "entropy", "boiling_point", "liquid_density")
)

# Kopp's rule for solids and liquids, J/(mol K) per mole of atoms (Hurst & Harrison, Chem. Eng. Commun. 112
# (1992) 21).
_KOPP = {
    "C": 10.89,
    "H": 7.56,
    "O": 13.42,
    "N": 18.74,
    "S": 12.36,
    "F": 26.16,
    "Cl": 24.69,
    "Br": 25.36,
    "I": 25.29,
    "Na": 26.19,
    "K": 28.78,
    "Mg": 22.69,
    "Ca": 28.25,
    "Al": 18.07,
    "Si": 17.00,
    "Fe": 29.08,
}
_KOPP_OTHER = 26.63


@lru_cache(maxsize=1024)
def lookup(cas: str | None, data: tuple = ()) -> Species:
    """Species by CAS number (None for one the user typed) and the user's data. Raises SpeciesError with a sentence."""
    own = dict(data)
    try:
        found = dict(known(cas)) if cas else {}
    except SpeciesError:
        if "formula" not in own:
            raise
        found = {}
    if found and own.get("non_volatile") == "yes" and not found.get("non_volatile"):
        # the databank's gas says nothing of what stays in the liquid
        found |= {"formation_enthalpy": None, "entropy": None} | condensed(cas)
    if not found:
        found = _UNKNOWN | _from_formula(own, cas)
    name = found["name"]
    for field, (label, dimension) in OWN.items():
        if own.get(field):
            number = within(_read(own[field], dimension, label, name), BOUNDS[field], dimension, f"{label} of {name}")
            found[field] = Datum(number, TYPED, _all(found.get(field)), typed=True)
        elif own.get(f"source.{field}"):
            found[field] = _taken_from(found.get(field), own[f"source.{field}"])
    polynomial = read_polynomial(own["polynomial"], name) if own.get("polynomial") else None
    if polynomial is not None:
        _by_polynomial(found, own, polynomial)
    non_volatile = found.pop("non_volatile", False) or own.get("non_volatile") == "yes"
    _entropy_from_gibbs(found)
    of_fraction = fractions.complete(found) if own.get("fraction") else None
    tc, pc, omega = (found[k] for k in ("critical_temperature", "critical_pressure", "acentric_factor"))
    critical = None not in (tc, pc, omega)
    boiling = found.get("boiling_point")
    if tc is not None and boiling is not None and (tc.typed or boiling.typed) and boiling.value >= tc.value:
        at, top = (show(d.value, "temperature", "process-metric") for d in (boiling, tc))
        raise SpeciesError(f"{name} boils at {at}, above its critical temperature of {top}: one of the two is mistyped.")
    fitted = _heat_capacity_of(found, own, name, polynomial, non_volatile, cas)
    if of_fraction is not None and not own.get("heat_capacity") and polynomial is None:
        fitted = of_fraction
    if fitted is not None:
        found["heat_capacity"] = fitted
    found["vapour_pressure"] = None
    if not non_volatile:
        if own.get("vapour_pressure"):
            found["vapour_pressure"] = _typed_vapour_pressure(own, found, name)
        elif critical and cas and own.get("formula") is None:
            found["vapour_pressure"] = vapour_pressure(cas, tc.value, pc.value, omega.value)
        elif critical:
            found["vapour_pressure"] = vapour_pressure("", tc.value, pc.value, omega.value)
        else:
            raise SpeciesError(
                f"{name} has neither a vapour pressure nor critical constants, so its phase is unknown: type them, "
                "or say that it stays in the liquid."
            )
        if not critical and found["liquid_density"] is None:
            raise SpeciesError(f"{name} has no critical constants and no liquid density, so its liquid has no volume: type either.")
    return Species(
        non_volatile=non_volatile,
        groups=read_groups(own["groups"], name) if own.get("groups") else (),
        dissolves=non_volatile and _dissolves(own.get("solvent"), found["atoms"]),
        particles=_particles(own["particles"], name) if own.get("particles") and non_volatile else None,
        **{k: v for k, v in found.items() if k != "formation_gibbs"},
    )


def _heat_capacity_of(
    found: dict[str, Any], own: dict[str, str], name: str, polynomial: Polynomial | None, non_volatile: bool, cas: str | None
) -> Fit | None:
    """A Fit: of typed points, a typed polynomial, tables, or an estimate; None where the databank's stands already."""
    if own.get("heat_capacity"):
        return _typed_heat_capacity(own["heat_capacity"], name)
    if polynomial is not None:
        T, cp = polynomial.table()
        return fit(T, cp, BY_POLYNOMIAL)
    if "heat_capacity" in found:
        return None
    if non_volatile:
        return _by_kopp(found["atoms"])
    mass = found["molar_mass"].value
    return heat_capacity(cas, found["atoms"], mass) if cas else estimate(found["atoms"], mass)


def _by_polynomial(found: dict[str, Any], own: dict[str, str], polynomial: Polynomial) -> None:
    """Formation enthalpy and entropy of a Polynomial, where they are not typed themselves."""
    standard = polynomial.standard
    if standard is None:
        return
    for field, value in (("formation_enthalpy", standard.enthalpy(T0)), ("entropy", standard.entropy(T0))):
        if not own.get(field) and not own.get(f"source.{field}"):
            found[field] = Datum(float(value), BY_POLYNOMIAL, _all(found.get(field)), typed=True)


def _dissolves(solvent: str | None, atoms: dict[str, int]) -> bool:
    """Whether what stays in the liquid is dissolved in water: as typed; else elements and oxides of metals are not."""
    if solvent:
        return solvent == "water"
    return len(atoms) > 1 and bool(SALTY & set(atoms))


def _particles(text: str, name: str) -> Datum:
    """Datum of a van 't Hoff factor. Raises SpeciesError."""
    try:
        value = parse(text, "ratio")
    except QuantityError as error:
        raise SpeciesError(f"Particles in solution of {name}: {error}") from None
    if not 0.5 <= value <= 12.0:
        raise SpeciesError(f"Particles in solution of {name}: {text} is beyond all reason, a salt of two ions makes 2.")
    return Datum(value, TYPED, typed=True)


def told_shortcomings(cas: str) -> str:
    """What the databank lacks of a species, as it ships with Gulch: "" where it lacks nothing, or is not known without its tables."""
    return kept_only("lacks", "all", {}).get(cas, "")


def shortcomings(cas: str) -> str:
    """What the databank lacks of a species, in a few words for an offer; "" where it lacks nothing."""
    try:
        found = lookup(cas)
    except SpeciesError:
        return "phase unknown: type a vapour pressure, or keep it in the liquid"
    out = []
    if found.non_volatile and cas != GRAPHITE:
        out.append("solid or liquid only")
    if found.formation_enthalpy is None:
        out.append("no formation enthalpy")
    if found.entropy is None:
        out.append("no entropy")
    if found.heat_capacity.estimated:
        out.append("heat capacity estimated")
    return ", ".join(out)


def lacking(species: Species) -> list[str]:
    """What each missing datum forbids: a list of sentences."""
    out = []
    if species.formation_enthalpy is None:
        out.append("No formation enthalpy: no heat of reaction, so no reactor may use a reaction of it.")
    if species.entropy is None:
        out.append("No entropy: no K from Gibbs energies and no Gibbs reactor.")
    if not species.has_critical and not species.non_volatile:
        out.append("No critical constants: only the ideal phase model can use it.")
    if species.non_volatile and species.liquid_density is None:
        out.append("No density: its volume is not counted.")
    for datum, what, unit in (
        (species.formation_enthalpy, "formation enthalpy", "kJ/mol"),
        (species.entropy, "entropy", "J/(mol K)"),
    ):
        if datum is not None and datum.disputed:
            shown = datum.spread / (1000.0 if unit == "kJ/mol" else 1.0)
            out.append(f"The sources of its {what} lie {shown:.3g} {unit} apart, and none is confirmed by the others: choose one.")
    if "estimate" in species.heat_capacity.source:
        out.append("No heat capacity: an estimate stands in.")
    if species.has_critical and any(
        "estimate" in d.source for d in (species.critical_temperature, species.critical_pressure, species.acentric_factor)
    ):
        out.append("No measured critical constants: estimates stand in, on which its phase rests.")
    if species.vapour_pressure is not None and "estimate" in species.vapour_pressure.source:
        out.append("No vapour pressure: an estimate from the critical constants stands in.")
    return out


def atoms_of(formula: str) -> dict[str, int]:
    """Atom counts of a typed formula. Raises SpeciesError."""
    try:
        atoms = {e: int(n) for e, n in simple_formula_parser(formula).items()}
        molecular_weight(atoms)
    except Exception:
        atoms = {}
    if not atoms:
        raise SpeciesError(f"“{formula}” is not a formula: write for example C2H6O or NaOH.")
    return atoms


def _from_formula(own: dict[str, str], cas: Any) -> dict[str, Any]:
    formula = own.get("formula", "").strip()
    atoms = atoms_of(formula)
    return {
        "cas": cas or "",
        "name": own.get("name") or formula,
        "formula": formula,
        "atoms": atoms,
        "molar_mass": Datum(molecular_weight(atoms) / 1000.0, "atomic weights, IUPAC"),
    }


def within(value: float, bounds: tuple[float, float], dimension: str, what: str) -> float:
    """The value, where a substance can have it. Raises SpeciesError."""
    if not bounds[0] <= value <= bounds[1]:
        said, low, high = (show(v, dimension, "process-metric") for v in (value, *bounds))
        raise SpeciesError(f"{what}: no substance has {said}; type something between {low} and {high}.")
    return value


def _read(text: str, dimension: str, label: str, name: str) -> float:
    try:
        value = parse(text, dimension)
    except QuantityError as error:
        raise SpeciesError(f"{label} of {name}: {error}") from None
    positive = dimension not in ("molar energy", "ratio")
    if positive and value <= 0.0:
        raise SpeciesError(f"{label} of {name} is not above zero: {text}.")
    return value


def _all(datum: Datum | None) -> dict[str, float]:
    """{source: value} of every source behind a datum."""
    return {datum.source: datum.value, **datum.others} if datum else {}


def _taken_from(datum: Datum | None, source: str) -> Datum | None:
    everything = _all(datum)
    if source not in everything:  # the databank changed since: its own choice stands
        return datum
    return Datum(everything[source], source, {k: v for k, v in everything.items() if k != source})


def _entropy_from_gibbs(found: dict[str, Any]) -> None:
    """A typed Gibbs energy of formation fixes the entropy: S = (Hf - Gf)/298.15 + sum of the elements' entropies."""
    gibbs = found.get("formation_gibbs")
    if gibbs is None or found["formation_enthalpy"] is None:
        return
    elements = [element_entropy(e) for e in found["atoms"]]
    if None in elements:
        return
    total = sum(n * s for n, s in zip(found["atoms"].values(), elements, strict=True))
    value = (found["formation_enthalpy"].value - gibbs.value) / 298.15 + total
    found["entropy"] = Datum(value, "from the formation Gibbs energy " + TYPED, _all(found["entropy"]), typed=True)


def _points(text: str, field: str, name: str) -> tuple:
    label, dimensions = POINTS[field]
    try:
        return parse_points(text, *dimensions)
    except QuantityError as error:
        raise SpeciesError(f"{label} of {name}: {error}") from None


def _typed_heat_capacity(text: str, name: str) -> Fit:
    T, cp = _points(text, "heat_capacity", name)
    if np.min(cp) <= 0.0:
        raise SpeciesError(f"The heat capacity of {name} is not above zero: {text}.")
    for value in cp:
        within(float(value), CAPACITY, "molar entropy", f"Heat capacity of {name}")
    if len(T) == 1 or T[0] is None:
        return constant(cp[0], TYPED + ", constant", 200.0, 3000.0)
    grid = np.linspace(T[0], T[-1], 40)
    return fit(grid, np.interp(grid, T, cp), TYPED)


def kopp(atoms: Mapping[str, float]) -> float:
    """Heat capacity of a solid or liquid [J/(mol K)] by Kopp's rule; atoms: {element: number}."""
    return sum(n * _KOPP.get(e, _KOPP_OTHER) for e, n in atoms.items())


def _by_kopp(atoms: dict[str, int]) -> Fit:
    return constant(kopp(atoms), "estimate by Kopp's rule (Hurst & Harrison, 1992)", 250.0, 500.0)


def _typed_vapour_pressure(own: dict[str, str], found: dict[str, Any], name: str) -> Fit:
    T, P = _points(own["vapour_pressure"], "vapour_pressure", name)
    tc, pc = found["critical_temperature"], found["critical_pressure"]
    T, P = list(T), list(P)
    if tc and pc and len(T) < 3 and tc.value > max(T) + 1.0:
        T.append(tc.value)
        P.append(pc.value)
    if len(T) < 2:
        raise SpeciesError(f"The vapour pressure of {name} needs two points, or one and the critical point.")
    if any(b <= a for a, b in itertools.pairwise(P)):
        raise SpeciesError(f"The vapour pressure of {name} does not rise from point to point: check them.")
    return through_points(np.array(T), np.array(P), TYPED)


def data_key(data: dict[str, str]) -> tuple:
    """Hashable form of a mapping of user data, empty entries left out."""
    return tuple(sorted((k, v) for k, v in data.items() if v not in (None, "", False) and not (isinstance(v, float) and math.isnan(v))))
