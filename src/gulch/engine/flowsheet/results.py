"""Addresses of results: what a gauge can read, and reading it from a Solution."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

from gulch.engine.flowsheet.measures import OVERALL, PER_REACTOR
from gulch.engine.flowsheet.once import once
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS
from gulch.engine.units.reactors.heat import Reactor

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.flowsheet.live import Live
    from gulch.engine.flowsheet.solution import Solution
    from gulch.engine.formulas import Formula


@dataclass(frozen=True)
class Readable:
    """A result that can be read: its dimension and words for it."""

    address: str
    dimension: str
    label: str
    formula: Formula | None = None  # of a gauge that reads a formula, and the addresses in it
    parts: tuple = ()


class Shown(NamedTuple):
    """A result that every stream has: its dimension, its words, and what they mean."""

    dimension: str
    label: str
    meaning: str


STREAM_RESULTS = {
    "temperature": Shown("temperature", "Temperature", "of the stream at its pressure, enthalpy and composition"),
    "pressure": Shown("pressure", "Pressure", "absolute, not above the surroundings"),
    "vapour_fraction": Shown("fraction", "Vapour fraction", "moles of vapour over all moles"),
    "flow": Shown("molar flow", "Molar flow", "of all species together"),
    "mass_flow": Shown("mass flow", "Mass flow", "molar flows times molar masses"),
    "volume_flow": Shown("volume flow", "Volume flow", "at the stream's own temperature and pressure, all phases together"),
    "enthalpy_flow": Shown("power", "Enthalpy flow", "counted from the elements at 25 °C, so that heats of reaction are in it"),
    "vapour_flow": Shown("molar flow", "Vapour flow", "moles that are vapour"),
    "light_flow": Shown(
        "molar flow", "Light liquid flow", "moles of the liquid of lower mass density; of the only liquid where there is one"
    ),
    "heavy_flow": Shown("molar flow", "Heavy liquid flow", "moles of the liquid of higher mass density, where there are two"),
}
SPECIES_RESULTS = {
    "flow": Shown("molar flow", "Flow", "molar flow of a species"),
    "mass_flow": Shown("mass flow", "Mass flow", "mass flow of a species"),
    "fraction": Shown("fraction", "Mole fraction", "moles of a species over all moles, all phases together"),
    "mass_fraction": Shown("fraction", "Mass fraction", "mass of a species over all mass, all phases together"),
}


@once
def readable(project: Project) -> dict[str, Any]:
    """{address: Readable} of every result of the project."""
    found = {}

    def add(address, dimension, label):
        found[address] = Readable(address, dimension, label)

    for stream in project.streams:
        for name, (dimension, words, _) in STREAM_RESULTS.items():
            add(f"{stream.id}.{name}", dimension, f"{words} of {stream.id}")
        for name, (dimension, words, _) in SPECIES_RESULTS.items():
            for s in project.species:
                add(f"{stream.id}.{name}.{s.id}", dimension, f"{words} of {s.shown} in {stream.id}")
    for unit in project.units:
        for r in KINDS[unit.kind].results():
            if r.per is None:
                add(f"{unit.id}.{r.name}", r.dimension, f"{r.label} of {unit.id}")
            elif r.per == "species":
                for s in project.species:
                    add(f"{unit.id}.{r.name}.{s.id}", r.dimension, f"{r.label} of {s.shown} in {unit.id}")
            elif r.per == "element":
                for e in elements_of(project):
                    add(f"{unit.id}.{r.name}.{e}", r.dimension, f"{r.label} of {e} in {unit.id}")
            else:
                chosen = project.set(unit.set) if getattr(unit, "set", None) else None
                for id_ in (i for step in chosen.steps for i in step) if chosen else ():
                    add(f"{unit.id}.{r.name}.{id_}", r.dimension, f"{r.label} of {id_} in {unit.id}")
    if project.measures:
        for unit in project.units:
            if issubclass(KINDS[unit.kind], Reactor):
                for name, (label, _) in PER_REACTOR.items():
                    add(f"{unit.id}.{name}", "fraction", f"{label} of {unit.id}")
        for name, (label, _) in OVERALL.items():
            add(f"overall.{name}", "fraction", label)
    if project.prices is not None:
        add("overall.worth", "money rate", f"Worth in {project.prices.currency}")
    for s in project.species:
        add(f"overall.conversion.{s.id}", "fraction", f"Overall conversion of {s.shown}")
        add(f"overall.made.{s.id}", "molar flow", f"{s.shown} made overall")
    return found


def beyond(value: float, at_least: float | None, at_most: float | None) -> str | None:
    """Which limit a value breaks, "at_least" or "at_most", or None. SI; a limit of None does not bind.

    Rounding is forgiven to 1e-9 of the limit, whatever its sign.
    """
    if at_least is not None and value < at_least - 1e-9 * abs(at_least):
        return "at_least"
    if at_most is not None and value > at_most + 1e-9 * abs(at_most):
        return "at_most"
    return None


def elements_of(project: Project) -> list[str]:
    """Element symbols of the project's species, sorted; unknown species are left out."""
    found = set()
    for s in project.species:
        try:
            found.update(lookup(*s.key).atoms)
        except SpeciesError:
            continue
    return sorted(found)


def molar_masses(project: Project) -> dict[str, float]:
    """{species: kg/mol}; without those whose data were mistyped since the figures were made: their masses are not shown."""
    out = {}
    for s in project.species:
        try:
            out[s.id] = lookup(*s.key).molar_mass.value
        except SpeciesError:
            continue
    return out


def value(solution: Live | Solution, address: str, molar_mass: dict[str, float] | None = None) -> float | None:
    """SI value of a result address in a Solution, or None when it was not computed.

    molar_mass: {species: kg/mol}, needed for mass results of single species.
    """
    head, _, rest = address.partition(".")
    name, _, item = rest.partition(".")
    if head == "overall":
        found = solution.overall.get(name)
        return (found.get(item) if item else None) if isinstance(found, dict) else found
    if head in solution.units:
        found = solution.units[head].values.get(name)
        return found.get(item) if item and isinstance(found, dict) else (None if item else found)
    stream = solution.streams.get(head)
    if stream is None:
        return None
    if not item:
        return stream.total if name == "flow" else getattr(stream, name, None)
    flow = stream.flow.get(item)
    if flow is None:
        return None
    if name == "flow":
        return flow
    if name == "fraction":
        return flow / stream.total if stream.total > 0.0 else None
    if molar_mass is None or item not in molar_mass:
        return None
    if name == "mass_flow":
        return flow * molar_mass[item]
    if name == "mass_fraction":
        return flow * molar_mass[item] / stream.mass_flow if stream.mass_flow > 0.0 else None
    return None
