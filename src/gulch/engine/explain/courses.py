"""Properties over temperature or pressure: of a species by its data, of a stream's mixture by the phase model, of reactions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.constants import QUOTIENT_BASES, SOURCES
from gulch.engine.chemistry.equations import resolve_equation
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.phases import phase_model
from gulch.engine.phases.known_liquids import courses_of
from gulch.engine.phases.state import StateNotFinite, TemperatureNotFound
from gulch.engine.project.reading import constant_of
from gulch.engine.quantities import QuantityError
from gulch.engine.species.liquids import saturated_volumes

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from gulch.engine.document import Project
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState
    from gulch.engine.species.records import Species

POINTS = 41
STEP = 0.5  # K, over which a heat capacity is differenced
HALVINGS, MOST_CORNERS = 24, 4  # of the step in which a phase comes or goes; of phases that come or go in one step
WIDE = 10.0  # ratio of pressures from which points stand at equal factors


@dataclass(frozen=True)
class Course:
    """A property over temperature or pressure. x [K] or [Pa], shape (n,), rising; values in SI of its dimension, None where there is none.

    log: drawn on a logarithmic axis.
    """

    name: str
    label: str
    dimension: str
    x: list[float]
    values: list[float | None]
    source: str = ""
    along: str = "temperature"
    log: bool = False


def of_species(key: tuple, kind: str = "ideal") -> list[Course]:
    """Heat capacity, enthalpy, entropy and Gibbs energy of an ideal gas at 1 bar over the range of its data; vapour pressure; the liquid.

    key: of a species, (CAS number, user data). Enthalpies are on the elements basis. Raises SpeciesError.
    """
    model = phase_model(kind, (key,))
    species = model.species[0]
    low, high = max(species.heat_capacity.low, 150.0), min(species.heat_capacity.high, 3000.0)
    T = np.linspace(low, high, POINTS)
    h = np.array([model.ideal_gas_enthalpies(t)[0] for t in T])
    s = np.array([model.ideal_gas_entropies(t)[0] for t in T])
    cp = np.array([np.diff([model.ideal_gas_enthalpies(t + d)[0] for d in (-STEP, STEP)])[0] / (2 * STEP) for t in T])
    source = species.heat_capacity.source
    state = "as it is" if species.non_volatile else "ideal gas, 1 bar"
    found = [
        Course("heat_capacity", f"Heat capacity, {state}", "molar entropy", T.tolist(), cp.tolist(), source),
        Course("enthalpy", f"Enthalpy, {state}, from the elements", "molar energy", T.tolist(), h.tolist(), source),
        Course("entropy", f"Entropy, {state}", "molar entropy", T.tolist(), s.tolist(), source),
        Course("gibbs", f"Gibbs energy, {state}: enthalpy less T times entropy", "molar energy", T.tolist(), (h - T * s).tolist(), source),
    ]
    fit = species.vapour_pressure
    if fit is not None and not species.non_volatile:
        at = np.linspace(fit.low, fit.high, POINTS)
        pressures = [float(np.exp(ln_psat(t, model.par, 0)[0])) for t in at]
        found.append(Course("vapour_pressure", "Vapour pressure", "pressure", at.tolist(), list(pressures), fit.source))
    return [*found, *_of_liquid(species)]


def drawn_of(species: Species) -> set[str]:
    """Names of the courses that `of_species` draws of a species."""
    boils = {"vapour_pressure"} if species.vapour_pressure is not None and not species.non_volatile else set()
    return {"heat_capacity", "enthalpy", "entropy", "gibbs"} | boils | {c.name for c in _of_liquid(species)}


def _of_liquid(species: Species) -> Iterator[Course]:
    """What is published of a saturated liquid, as it was read: heat of vaporisation, heat capacity, density."""
    vaporised, capacity, _ = courses_of(species)
    volumes = None
    if species.has_critical and species.cas and not species.non_volatile:
        tc, pc = (d.value for d in (species.critical_temperature, species.critical_pressure) if d is not None)
        volumes = saturated_volumes(species.cas, tc, pc)
    mass = species.molar_mass.value
    for name, label, dimension, course, read in (
        ("vaporisation", "Heat of vaporisation", "molar energy", vaporised, lambda v: v),
        ("liquid-capacity", "Heat capacity of the liquid", "molar entropy", capacity, lambda v: v),
        ("liquid_density", "Density of the boiling liquid", "density", volumes, lambda v: mass / v),
    ):
        points = sorted(course.points) if course is not None else ()
        if len(points) > 1:
            yield Course(name, label, dimension, [t for t, _ in points], [float(read(v)) for _, v in points], course.source)


def of_material(model: PhaseModel, n: np.ndarray, held: float, low: float, high: float, along: str = "temperature") -> list[Course]:
    """Properties of amounts n [mol/s], shape (species,), whatever phases they part into.

    Along the temperature [K] at a held pressure [Pa], or along the pressure at a held temperature. Where a phase comes or goes its point is
    found, and stands twice, from both sides. The heat capacity is what heats it by one kelvin, boiling included. Where no state is found
    there is no value.
    """

    def state(x: float, warmer: float = 0.0) -> PhaseState | None:
        T, P = (x, held) if along == "temperature" else (held, x)
        try:
            return model.at_temperature(float(T + warmer), float(P), n)
        except (StateNotFinite, TemperatureNotFound):
            return None

    mass = float(n @ model.molar_mass / n.sum())
    spaced = np.geomspace if along == "pressure" and high > WIDE * low else np.linspace
    rows = _with_corners([(float(x), state(float(x))) for x in spaced(low, high, POINTS)], state)
    x = [at for at, _ in rows]

    def course(name: str, label: str, dimension: str, read: Callable) -> Course:
        values = [None if s is None else float(read(at, s)) for at, s in rows]
        return Course(name, label, dimension, x, [v if v is not None and np.isfinite(v) else None for v in values], along=along)

    def capacity(at: float, here: PhaseState) -> float:
        ends = [e for e in (state(at, -STEP), state(at, STEP)) if e is not None]
        return (ends[1].enthalpy - ends[0].enthalpy) / (2 * STEP) if len(ends) == 2 else np.nan

    def gibbs(at: float, here: PhaseState) -> float:
        return here.enthalpy - (at if along == "temperature" else held) * here.entropy

    return [
        course("vapour", "Vapour fraction", "fraction", lambda at, s: s.vapour_fraction),
        course("enthalpy", "Enthalpy, from the elements", "molar energy", lambda at, s: s.enthalpy),
        course("entropy", "Entropy", "molar entropy", lambda at, s: s.entropy),
        course("gibbs", "Gibbs energy: enthalpy less T times entropy", "molar energy", gibbs),
        course("density", "Density", "density", lambda at, s: mass / s.volume),
        course("heat_capacity", "Heat capacity, boiling included", "molar entropy", capacity),
    ]


def _phases(state: PhaseState | None) -> tuple:
    return () if state is None else (state.vapour_fraction <= 0.0, state.vapour_fraction >= 1.0, len(state.phases))


def _with_corners(rows: list[tuple], state: Callable) -> list[tuple]:
    """Points and their states, with both sides of each place between two points where a phase comes or goes."""
    out = rows[:1]
    for here in rows[1:]:
        for _ in range(MOST_CORNERS):  # a mixture that boils within a step has two
            (a, before), (b, after) = out[-1], here
            if before is None or after is None or _phases(before) == _phases(after):
                break
            for _ in range(HALVINGS):
                middle = 0.5 * (a + b)
                found = state(middle)
                if found is None:
                    break
                if _phases(found) == _phases(before):
                    a, before = middle, found
                else:
                    b, after = middle, found
            out += [(a, before), (b, after)]
        out.append(here)
    return [row for k, row in enumerate(out) if not k or row[0] > out[k - 1][0]]


def of_reactions(project: Project, model: PhaseModel, low: float, high: float) -> list[Course]:
    """Equilibrium constants of a project's reactions between two temperatures [K], each in its own basis; those without one aside."""
    T, found = np.linspace(low, high, POINTS), []
    for entry in project.reactions:
        try:
            nu = resolve_equation(entry.equation, project.entries()).nu(len(project.species))
            constant = constant_of(entry)
            values = [float(np.exp(np.clip(constant.ln_k(float(t), nu, model), -690.0, 690.0))) for t in T]
        except (QuantityError, ValueError):
            continue  # said by the checks
        source = f"{entry.equation}; of {QUOTIENT_BASES[constant.basis]}, from {SOURCES[constant.source]}"
        found.append(Course(f"k-{entry.id}", f"K of {entry.id}", "ratio", T.tolist(), list(values), source, log=True))
    return found
