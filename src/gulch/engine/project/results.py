"""Addresses of results: what a gauge can read, and reading it from a Solution."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, Any, NamedTuple

from gulch.engine.declared.declarations import PerStage
from gulch.engine.document import choices_of
from gulch.engine.project.measures import OVERALL
from gulch.engine.project.once import once
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.base import Unit
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
    "ph": Shown("ratio", "pH", "minus the decadic logarithm of the molal activity of hydrogen ions in the liquid with most water"),
}
SPECIES_RESULTS = {
    "flow": Shown("molar flow", "Flow", "molar flow of a species"),
    "mass_flow": Shown("mass flow", "Mass flow", "mass flow of a species"),
    "fraction": Shown("fraction", "Mole fraction", "moles of a species over all moles, all phases together"),
    "mass_fraction": Shown("fraction", "Mass fraction", "mass of a species over all mass, all phases together"),
}


def stream_results(project: Project) -> dict[str, Shown]:
    """STREAM_RESULTS that a project's streams can have: a pH needs a phase model that knows ions."""
    ions = project.phase_model.kind == "electrolytes"
    return {name: shown for name, shown in STREAM_RESULTS.items() if ions or name != "ph"}


class Results(Mapping):
    """{address: Readable}; those of one stream or unit are made when one of them is asked for, since few of thousands are."""

    def __init__(self, makers: dict[str, list], more: dict[str, Readable] | None = None) -> None:
        self._makers = makers  # owner -> functions that give the Readables of one
        self._more = more or {}
        self._found = dict(self._more)
        self._made, self._whole = set(), False

    def with_more(self, more: dict[str, Readable]) -> Results:
        """These and some of other owners."""
        return Results(self._makers, self._more | more)

    def _of(self, owner: str) -> dict[str, Readable]:
        return {r.address: r for make in self._makers[owner] for r in make()}

    def _make(self, owner: str) -> None:
        if owner in self._makers and owner not in self._made:
            self._found |= self._of(owner)
            self._made.add(owner)

    def _all(self) -> dict[str, Readable]:
        """All of them, in one order whatever was asked for before."""
        if not self._whole:
            self._found = {a: r for owner in self._makers for a, r in self._of(owner).items()} | self._more
            self._made, self._whole = set(self._makers), True
        return self._found

    def __getitem__(self, address: str) -> Readable:
        self._make(address.partition(".")[0])
        return self._found[address]

    def __iter__(self) -> Iterator[str]:
        return iter(self._all())

    def __len__(self) -> int:
        return len(self._all())


def stages_of(unit: Any) -> list[str]:
    """Names of the stages of a unit entry; none where it has none."""
    named = {i for d in KINDS[unit.kind].declared(PerStage) for i in d.items(choices_of(unit))}
    return sorted(named)


@once
def readable(project: Project) -> Results:
    """{address: Readable} of every result of the project."""
    species = [(s.id, s.shown) for s in project.species]
    makers: dict[str, list] = {}
    for stream in project.streams:
        makers.setdefault(stream.id, []).append(partial(_of_stream, stream.id, species, stream_results(project)))
    for unit in project.units:
        kind = KINDS[unit.kind]
        elements = elements_of(project) if any(r.per == "element" for r in kind.results()) else []
        chosen = project.set(unit.set) if getattr(unit, "set", None) else None
        reactions = [i for step in chosen.steps for i in step] if chosen else []
        items = {"species": species, "element": [(e, e) for e in elements], "reaction": [(i, i) for i in reactions]}
        items["stage"] = [(i, f"stage {i}") for i in stages_of(unit)]
        makers.setdefault(unit.id, []).append(partial(_of_unit, unit.id, kind, items, project.measures is not None))
    currency = project.prices.currency if project.prices else None
    built = project.prices is not None and project.prices.building is not None
    makers.setdefault("overall", []).append(partial(_of_all, species, project.measures is not None, currency, built))
    return Results(makers)


def _of_stream(id_: str, species: list[tuple], shown_of_all: dict[str, Shown]) -> Iterator:
    for name, (dimension, words, _) in shown_of_all.items():
        yield Readable(f"{id_}.{name}", dimension, f"{words} of {id_}")
    for name, (dimension, words, _) in SPECIES_RESULTS.items():
        for s, shown in species:
            yield Readable(f"{id_}.{name}.{s}", dimension, f"{words} of {shown} in {id_}")


def _of_unit(id_: str, kind: type[Unit], items: dict[str, Any], measured: bool) -> Iterator:
    for r in kind.results():
        if r.counted and not measured:
            continue
        if r.per is None:
            yield Readable(f"{id_}.{r.key}", r.dimension, f"{r.label} of {id_}")
        else:
            for item, shown in items.get(r.per, items["reaction"]):
                yield Readable(f"{id_}.{r.key}.{item}", r.dimension, f"{r.label} of {shown} in {id_}")


def _of_all(species: list[tuple], measured: bool, currency: str | None, built: bool) -> Iterator:
    for name, (label, _) in OVERALL.items() if measured else ():
        yield Readable(f"overall.{name}", "fraction", label)
    if currency is not None:
        yield Readable("overall.worth", "money rate", f"Worth in {currency}")
        if built:
            yield Readable("overall.cost", "money", f"Purchase cost in {currency}")
    for s, shown in species:
        yield Readable(f"overall.conversion.{s}", "fraction", f"Overall conversion of {shown}")
        yield Readable(f"overall.made.{s}", "molar flow", f"{shown} made overall")


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
