"""Pages of help, made from what unit kinds, phase models, results and the document declare: nothing is written twice."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from gulch.engine import document
from gulch.engine.declared.base import Unit
from gulch.engine.declared.declarations import Choice, Course, Declared, Input, PerReaction, PerSpecies, PerStage
from gulch.engine.explain.model_advice import MEANINGS
from gulch.engine.handbook import SMITH_VAN_NESS, Relation
from gulch.engine.phases.explained import HOW
from gulch.engine.phases.model import PHASE_MODELS
from gulch.engine.project.feeds import FEED_BASES
from gulch.engine.project.measures import OVERALL, counting
from gulch.engine.project.results import SPECIES_RESULTS, STREAM_RESULTS
from gulch.engine.quantities import QuantityError, pretty_unit, show, split_text
from gulch.engine.units import KINDS

UNITS, MODELS, WORDS, FIGURES = "Unit kinds", "Phase models", "Words", "Results"
SECTIONS = (WORDS, UNITS, MODELS, FIGURES)

# The parts of a document that have a page of their own, by the words for them.
_PARTS: dict[str, Any] = {
    "species": document.SpeciesEntry,
    "phase model": document.PhaseModelEntry,
    "reaction": document.ReactionEntry,
    "conversion of a reaction": document.Conversion,
    "equilibrium constant": document.EquilibriumEntry,
    "rate law": document.RateEntry,
    "rate constant": document.RateConstantEntry,
    "reaction set": document.SetEntry,
    "stream": document.StreamEntry,
    "feed": document.FeedEntry,
    "knob": document.KnobEntry,
    "gauge": document.GaugeEntry,
    "tie": document.TieEntry,
    "number": document.NumberEntry,
    "target": document.TargetEntry,
    "loop, tear and guess": document.TearEntry,
    "closing": document.ClosingEntry,
    "scan": document.ScanEntry,
    "range of a scan": document.Sweep,
    "best": document.SearchEntry,
    "knob of a search": document.Turned,
    "worth and prices": document.PricesEntry,
    "cost of building": document.BuildingEntry,
    "price of a species": document.PriceEntry,
    "heating or cooling medium": document.HeatPriceEntry,
    "how sure": document.SpreadEntry,
    "sizing": document.SizingEntry,
    "what can be had": document.RegionEntry,
    "what conversion is counted on": document.MeasuresEntry,
    "variant": document.VariantEntry,
    "notebook": document.PieceEntry,
}


@dataclass(frozen=True)
class Entry:
    """One thing that a page explains. anchor: its place on the page; detail: dimension, bounds, default, when it counts."""

    anchor: str
    label: str
    meaning: str
    detail: str = ""


@dataclass(frozen=True)
class Page:
    """One page. name: in its address; shows: kind of unit or phase model it is about, whose example is looked for."""

    name: str
    section: str
    title: str
    meaning: str
    relations: tuple[Relation, ...] = ()
    typed: tuple[Entry, ...] = ()
    computed: tuple[Entry, ...] = ()
    shows: str = ""


@cache
def pages() -> dict[str, Page]:
    """{name: Page} of all pages, in order."""
    found = [_word_page(title, part) for title, part in _PARTS.items()]
    found += [_kind_page(kind) for kind in KINDS.values()]
    found += [Page(f"model-{name}", MODELS, label, MEANINGS[name], HOW[name], shows=name) for name, (label, _) in PHASE_MODELS.items()]
    return {page.name: page for page in [*found, _stream_page(), _measures_page()]}


def page_of(kind: str) -> str:
    """Name of the page of a unit kind."""
    return f"unit-{kind}"


def entry_of(title: str, anchor: str) -> tuple[str, Entry]:
    """(page#place, Entry) of what a page of a word explains. title: as in the list above. Raises KeyError where it does not."""
    name = _word_name(title)
    entry = {e.anchor: e for e in pages()[name].typed}[anchor]
    return f"{name}#{anchor}", entry


def searched(query: str) -> list[tuple[Page, Entry | None]]:
    """Pages, and entries of pages, that hold all words typed; pages by their titles first."""
    wanted = query.lower().split()
    titles, entries = [], []
    for page in pages().values():
        if all(t in f"{page.title} {page.meaning}".lower() for t in wanted):
            titles.append((page, None))
        entries += [
            (page, e) for e in page.typed + page.computed if all(t in f"{e.label} {e.meaning} {page.title}".lower() for t in wanted)
        ]
    titles.sort(key=lambda hit: not all(t in hit[0].title.lower() for t in wanted))
    return [*titles, *entries] if wanted else []


def _kind_page(kind: type[Unit]) -> Page:
    typed = tuple(Entry(d.key, str(vars(d)["label"]), str(vars(d)["meaning"]), _bounds(d, kind)) for d in kind.inputs())
    computed = tuple(Entry(r.key, r.label, r.meaning, f"{r.dimension}{f', by {r.per}' if r.per else ''}") for r in kind.results())
    return Page(page_of(kind.kind), UNITS, kind.label, kind.meaning, kind.relations(), typed, computed, kind.kind)


def _bounds(declared: Declared, kind: type[Unit]) -> str:
    """What may be typed there, what stands where nothing is, and when it counts."""
    said = []
    if isinstance(declared, Choice):
        said.append("one of: " + "; ".join(declared.options.values()))
    elif isinstance(declared, PerReaction) and declared.options:
        said.append("for each reaction one of: " + "; ".join(declared.options.values()))
    elif isinstance(declared, Input | PerSpecies | PerReaction | PerStage) and declared.dimension:
        said.append(declared.dimension + _range(declared))
    elif isinstance(declared, Course):
        said.append(f"{declared.second} over {declared.first}, as “{declared.example}”")
    default = declared.context or declared.default
    if isinstance(declared, Choice) and declared.default:
        default = declared.options[declared.default]
    elif isinstance(declared, Input) and declared.optional:
        said.append(f"may stay empty: {declared.empty}")
        default = ""
    if default:
        said.append(f"{_readable(default)} is assumed where nothing is typed")
    if declared.when:
        choice = next(c for c in kind.inputs() if c.name == declared.when[0])
        said.append(f"counts where {choice.label.lower()} is “{'” or “'.join(choice.options[v] for v in declared.when[1:])}”")
    return "; ".join(said)


def _readable(text: str) -> str:
    """A default as it is shown: “25 °C” for "25 degC"; words stay."""
    try:
        number, unit = split_text(text)
    except QuantityError:
        return text
    return f"{number:g} {pretty_unit(unit)}".strip()


def _range(declared: Input | PerSpecies | PerReaction | PerStage) -> str:
    """Bounds in units that one reads, as “ from … to …”."""
    low, high = (_bound(v, declared.dimension or "") for v in (declared.low, declared.high))
    return f" from {low} to {high}" if low and high else f" from {low} up" if low else f" up to {high}" if high else ""


def _bound(value: float, dimension: str) -> str:
    """A bound as one reads it; '' where there is none, “above zero” where it only keeps off zero."""
    if abs(value) > 1e300:
        return ""
    text = show(value, dimension, "process-metric", 3)
    return "above zero" if "e-" in text else text


def _word_page(title: str, part: Any) -> Page:
    """A page of a part of the document, from its description and those of its fields."""
    fields = part.model_fields.items()
    typed = tuple(Entry(name, name.replace("_", " "), f.description) for name, f in fields if f.description)
    meaning = " ".join((part.__doc__ or "").split())
    if part is document.FeedEntry:
        typed += tuple(
            Entry(basis, basis.replace("-", " "), f"basis: {words} each species, {dim}") for basis, (_, dim, words) in FEED_BASES.items()
        )
    return Page(_word_name(title), WORDS, title, meaning, (), typed)


def _word_name(title: str) -> str:
    """Name of the page of a word."""
    return "word-" + "-".join(title.replace(",", "").split())


def _stream_page() -> Page:
    entries = [Entry(name, s.label, s.meaning, s.dimension) for name, s in STREAM_RESULTS.items()]
    entries += [Entry(f"species-{name}", f"{s.label} of a species", s.meaning, s.dimension) for name, s in SPECIES_RESULTS.items()]
    enthalpy = Relation(
        "H = sum n_i (ΔHf_i + integral of Cp_i dT) + n h(departure)", "enthalpy flow of a stream", f"{SMITH_VAN_NESS}, ch. 6"
    )
    mass = Relation("mass flow = sum n_i M_i,  x_i = n_i/sum n_j,  w_i = n_i M_i/sum n_j M_j", "flows and fractions")
    return Page("streams", FIGURES, "results of streams", "what is known of every stream", (mass, enthalpy), (), tuple(entries))


def _measures_page() -> Page:
    relations = tuple(Relation(f"{label} = {formula}") for label, formula in [*counting().values(), *OVERALL.values()])
    counted = "A: key reactant; P: wanted product; r: moles of A in one mole of P"
    return Page("measures", FIGURES, "conversion, selectivity and yield", counted, relations)
