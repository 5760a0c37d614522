"""Projects that begin with a reaction and its feed, and a process round it that can be changed from there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry import Ambiguous, EquationError, resolve_equation
from gulch.engine.document import MeasuresEntry, Project
from gulch.engine.explain.model_advice import advised
from gulch.engine.fluids.ideal_gas import ln_psat
from gulch.engine.phases import phase_model
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.quantities import QuantityError, complete, parse, write
from gulch.engine.species import SpeciesError, lookup

if TYPE_CHECKING:
    from gulch.engine.chemistry.equations import Resolved


ASSUMED, HIGHEST = 1e5, 200e5  # Pa: of a feed of which none is typed, and the most that is proposed
CONDENSED = 0.1  # share of the product in the gas from which it is to condense
COOLED, PURGED = "40 degC", "5 %"  # what the loop starts with: typed values, to be changed


@dataclass(frozen=True)
class Starter:
    """A way to begin: what it is called, and what it sets up."""

    key: str
    label: str
    meaning: str


STARTERS = (
    Starter("through", "Reactor, once through", "a feed, a reactor that comes to equilibrium, its product"),
    Starter(
        "recycle", "Reactor, separator, recycle", f"reactor, cooler to {COOLED.replace('degC', '°C')}, drum, {PURGED} purge, gas sent back"
    ),
    Starter("tank", "Tank for a rate law", "a feed and a stirred tank; the rate constant and the volume are typed next"),
    Starter("tube", "Tube for a rate law", "a feed and a plug-flow reactor; the rate constant and the volume are typed next"),
)


def started(
    key: str, name: str, equation: str, flow: str, temperature: str = "", pressure: str = "", display: str = "process-metric"
) -> Project:
    """A project of a Starter: its reaction and species, and a feed of its reactants in the proportions of the equation.

    flow: of the first reactant; temperature, pressure: of the feed, assumed where left empty. Raises EditError with a sentence.
    """
    if key not in [s.key for s in STARTERS]:
        raise EditError("There is no such way to begin: choose one of those on the page.")
    project = Project(name=name or equation[:80] or "Untitled project", display_set=display)
    try:
        if not equation.strip():
            raise EditError("Type the reaction first, for example C2H4 + H2O = ethanol.")
        edit.add_species_of(project, equation)
        resolved = resolve_equation(equation, project.entries())
    except Ambiguous as error:
        raise EditError(f"{error} Type the coefficients, or start an empty project and choose there.") from None
    except (EquationError, SpeciesError) as error:
        raise EditError(f"The reaction: {error}") from None
    reaction = edit.add_reaction(project, equation)
    feed = _feed(project, resolved, _read(flow, "molar flow", "The flow of the first reactant", display), display)
    for field, text in (("temperature", temperature), ("pressure", pressure)):
        if text.strip():
            _read(text, field, f"The feed's {field}", display)
            setattr(feed.given, field, complete(text, field, display))
    if key in ("tank", "tube"):
        edit.add_rate(project, reaction)
    _process(project, key, feed.id)
    if key == "recycle" and not pressure.strip():
        feed.given.pressure = write(condensing(project, resolved.nu(len(project.species))), "pressure", display, 3)
    if advice := advised(project, ASSUMED):
        project.phase_model.kind = advice.kind
    return project


def condensing(project: Project, nu: np.ndarray) -> float:
    """A first pressure [Pa] at which the product condenses in the drum from a gas of which it is a tenth, between 1 and 200 bar.

    nu: signed coefficients, shape (n,). Of the products the one that boils highest counts; at its critical temperature or above it no
    pressure condenses it, and the highest is taken.
    """
    T = parse(COOLED, "temperature")
    species = [lookup(*s.key) for s in project.species]
    boiling = [i for i in np.flatnonzero(nu > 0.0) if species[i].critical_temperature is not None and not species[i].non_volatile]
    if not boiling:
        return ASSUMED
    heaviest = max(boiling, key=lambda i: species[i].critical_temperature.value)
    if species[heaviest].critical_temperature.value <= T:
        return HIGHEST
    model = phase_model("ideal", tuple(s.key for s in project.species))
    return float(np.clip(np.exp(ln_psat(T, model.par, heaviest)[0]) / CONDENSED, ASSUMED, HIGHEST))


def _read(text: str, dimension: str, what: str, display: str) -> float:
    """SI value of a typed quantity. Raises EditError."""
    try:
        value = parse(complete(text, dimension, display), dimension)
    except QuantityError as error:
        raise EditError(f"{what}: {error}") from None
    if dimension == "molar flow" and value <= 0.0:
        raise EditError(f"{what} has to be above zero.")
    return value


def _feed(project: Project, resolved: Resolved, first: float, display: str) -> Any:
    feed = project.stream(edit.add_feed(project))
    nu = resolved.nu(len(project.species))
    reactants = resolved.reactants
    for i in reactants:
        feed.given.flow[project.species[i].id] = write(first * nu[i] / nu[reactants[0]], "molar flow", display)
    products = [i for i in range(len(project.species)) if nu[i] > 0.0]
    project.measures = MeasuresEntry(key=project.species[reactants[0]].id, product=project.species[products[0]].id)
    return feed


def _process(project: Project, key: str, feed: str) -> None:
    """The units round the reaction, and where material goes."""
    kinds = {"through": "equilibrium-reactor", "recycle": "equilibrium-reactor", "tank": "stirred-tank", "tube": "plug-flow"}
    if key != "recycle":
        edit.append_unit(project, feed, kinds[key])
        return
    edit.append_unit(project, feed, "mixer")
    edit.append_unit(project, project.streams[-1].id, kinds[key])
    cooler = edit.append_unit(project, project.streams[-1].id, "heater")
    project.unit(cooler).temperature = COOLED
    drum = edit.append_unit(project, project.streams[-1].id, "flash-drum")
    gas = next(s for s in project.streams if s.source == f"{drum}.vapour")
    splitter = edit.append_unit(project, gas.id, "splitter")
    project.unit(splitter).drawn = PURGED
    back = next(s for s in project.streams if s.source == f"{splitter}.rest")
    edit.send_to(project, back.id, next(u.id for u in project.units if u.kind == "mixer"))
