"""What the finder offers for what is typed: things of the project by their words, and things to do with them."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from gulch.engine.explain.manual import searched
from gulch.engine.project.couplings import readings
from gulch.engine.project.edit import naming
from gulch.engine.project.edit.naming import matching
from gulch.engine.project.inputs import addresses
from gulch.engine.project.kind import article
from gulch.engine.project.notebook import WHOLE, pieces_of
from gulch.engine.project.places import About
from gulch.engine.units import KINDS
from gulch.web.projects.stages import stages

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.project import Project


MOST = 40
MOST_HELP = 12
LONGEST = 200  # characters of what is looked for
SETS = re.compile(r"(?:set|change|make)\s+(?P<what>.+?)\s+(?:to\s+|=\s*)?(?P<value>[-+−]?[\d.,]+\s*\S*(?:\s\S+)?)$", re.I)
WATCHES, TURNS = re.compile(r"(?:watch|gauge)\s+(?P<what>.+)$", re.I), re.compile(r"(?:turn|knob)\s+(?P<what>.+)$", re.I)
APPENDS = re.compile(r"(?:append|add|put)\s+(?:an?\s+)?(?P<what>.+?)\s+(?:to|after|into|on)\s+(?P<stream>\S+)$", re.I)
WHY = re.compile(r"(?:why|where from|where does)\s+(?P<what>.+?)(?:\s+come from)?\??$", re.I)
PINS = re.compile(r"(?:pin|put|note)\s+(?P<what>.+?)(?:\s+(?:in|into|to)\s+(?:the\s+)?notebook)?$", re.I)
MAKES = re.compile(r"(?:make|change|turn)\s+(?P<unit>\S+)\s+(?:into\s+)?(?:an?\s+)(?P<what>.+)$", re.I)
SENDS = re.compile(r"(?:send|return|recycle)\s+(?P<stream>\S+)\s+(?:back\s+)?to\s+(?P<unit>\S+)$", re.I)
WORKS = re.compile(r"work\s+(?:on\s+)?(?:the\s+)?(?P<what>.+)$", re.I)
SCANS = re.compile(
    r"scan\s+(?P<what>.+?)(?:\s+(?:from\s+)?(?P<low>[-−]?[\d.,]+\s*[^\d\s]*)\s+(?:to|–|-)\s+(?P<high>[-−]?[\d.,]+\s*\S*))?$", re.I
)
BESTS = re.compile(r"(?P<way>best|highest|most|lowest|least)\s+(?P<what>.+)$", re.I)
SIDES = ("at least", "at most", ">=", "<=", "≥", "≤", "above", "below")
NEW = re.compile(r"(?:(?:new|add|make)\s+)?(?:an?\s+)?(?P<what>gauge|knob|scan|best|trade-off|ratio|tie)$", re.I)
RUNS = re.compile(r"run\b\s*(?P<what>.*)$", re.I)


def names(document: Project) -> list[tuple]:
    """[(address, words)] of what formulas can name."""
    rows = {a.address: a.label for a in addresses(document).values()}
    rows |= {r.address: r.label for r in readings(document).values() if not r.formula}
    return sorted(rows.items())


def commands(document: Project) -> list[dict[str, Any]]:
    """What the finder offers before anything is typed: places to go, and what can be done anywhere."""
    rows = [{"words": f"Go to {label}", "url": f"../{stage}/"} for stage, label in ((s.name, s.label) for s in stages().values())]
    rows += [{"words": f"Open unit {u.id} ({KINDS[u.kind].label})", "url": f"../process/?select={u.id}"} for u in document.units]
    rows += [{"words": f"Open stream {s.id}", "url": f"../process/?select={s.id}"} for s in document.streams]
    rows += [{"words": f"Open reaction {r.id}", "url": f"../chemistry/?select={r.id}"} for r in document.reactions]
    rows += [{"words": f"Open species {s.shown}", "url": f"../chemistry/?select=species:{s.id}"} for s in document.species]
    return rows + [
        {"words": "Add a target or a tie", "url": "../loops/"},
        {"words": "Compare variants", "url": "../variants/"},
        {"words": "Hand in the notebook: a report as HTML or PDF", "url": "../notebook/"},
        {"words": "Undo", "click": "undo"},
        {"words": "Redo", "click": "redo"},
        {"words": "Add a feed", "click": "add-feed"},
        {"words": "Export the project as JSON", "url": "../export.json", "plain": True},
        {"words": "Export the ledger as CSV", "url": "../ledger.csv", "plain": True},
        {"words": "Help", "url": "../../../help/", "plain": True},
        {"words": "All projects", "url": "../../../", "plain": True},
    ]


def inputs(document: Project) -> list[tuple]:
    """[(what to type, what it is)] of inputs that can be turned, knobs first."""
    known = naming.turnable(document)
    rows = [(a, w, k) for a, w, k in naming.input_entries(document, known) if known[a].knob and (known[a].text or k)]
    knobs = {k.input: naming.name_of_knob(k, known) for k in document.knobs}
    return [(knobs.get(a, w), "knob" if k else a) for a, w, k in sorted(rows, key=lambda r: not r[2])]


def results(document: Project) -> list[tuple]:
    """[(what to type, what it is)] of results, gauges first."""
    known = readings(document)
    gauges = {g.reads: naming.name_of_gauge(g, known) for g in document.gauges}
    rows = sorted(naming.result_entries(document, known), key=lambda r: not r[2])
    return [(gauges.get(a, w), "gauge" if g else a) for a, w, g in rows]


# Where the constants of a rate law are typed: fields of the reaction's panel.
RATE_FIELDS = {
    "k": "rate-forward.k",
    "energy": "rate-forward.energy",
    "power": "rate-forward.power",
    "exponent": "rate-exponent",
    "back_k": "rate-backward.k",
    "back_energy": "rate-backward.energy",
}
ORDER_FIELDS = {"order": "order-", "back_order": "back-order-"}  # before a species
KNOWN = {"commands": commands, "names": names, "inputs": inputs, "results": results}


def _field_of(address: str) -> str:
    """The control in which an input is typed."""
    tail = address.partition(".")[2]
    name, _, species = tail.partition(".")
    return f"{ORDER_FIELDS[name]}{species}" if name in ORDER_FIELDS else RATE_FIELDS.get(tail, f"f-{address}")


def found(document: Project, query: str) -> list:
    """Rows for what is typed, things to do first: {"words", and "url", or "act" and "form", or "run"}. document: as it is worked on."""
    query = query.strip()[:200]
    if not query:
        return []
    finder = _Finder(document, query)
    rows = []
    offers = (
        (SETS, finder.set),
        (WATCHES, finder.watch),
        (TURNS, finder.turn),
        (APPENDS, finder.append),
        (PINS, finder.pin),
        (MAKES, finder.make),
        (RUNS, finder.run),
        (SCANS, finder.scan),
        (BESTS, finder.best),
        (SENDS, finder.send),
        (WORKS, finder.work),
        (NEW, finder.new),
        (WHY, finder.why),
    )
    for pattern, offer in offers:
        if match := pattern.match(query):
            rows += offer(**match.groupdict())
    for side in SIDES:
        what, mark, value = query.partition(f" {side} ")
        if mark and value.strip():
            rows += finder.limit(what.strip(), side, value.strip())
    return (rows + finder.things(query))[: MOST - MOST_HELP] + helped(query)


def helped(query: str) -> list[dict[str, Any]]:
    """Rows for pages of help that hold what is typed; those of the page itself before those of what stands on it."""
    rows = []
    for page, entry in searched(query.removeprefix("help"))[:MOST_HELP]:
        words = f"Help: {entry.label} ({page.title}): {entry.meaning}" if entry else f"Help: {page.title}: {page.meaning}"
        url = f"../../../help/{page.name}/{f'#{entry.anchor}' if entry else ''}"
        rows.append({"words": words, "url": url, "plain": True})
    return rows


class _Finder:
    def __init__(self, document: Project, query: str) -> None:
        self.document = document
        self.inputs, self.results = naming.turnable(document, query), readings(document)
        self.knobs = {k.input: k for k in document.knobs}
        self.gauges = {g.reads: g for g in document.gauges}

    def input_entries(self) -> Iterator:
        return naming.input_entries(self.document, self.inputs)

    def result_entries(self) -> Iterator:
        return naming.result_entries(self.document, self.results)

    def set(self, what: str, value: str) -> list[dict[str, Any]]:
        rows = matching(what, self.input_entries())[:8]
        return [{"words": f"Set {words} to {value}", "act": "set", "form": {"address": a, "value": value}} for a, words in rows]

    def watch(self, what: str) -> list[dict[str, Any]]:
        rows = [(a, w) for a, w in matching(what, self.result_entries()) if a not in self.gauges][:8]
        own = [{"words": f"Watch the formula {what}", "act": "gauge-formula", "form": {"formula": what}}] if naming.is_formula(what) else []
        return own + [{"words": f"Watch {words}", "act": "gauge", "form": {"address": a}} for a, words in rows]

    def why(self, what: str) -> list[dict[str, str]]:
        rows = matching(what, self.result_entries())[:8]
        return [{"words": f"Where does it come from: {words}", "url": f"../process/?select=why:{a}"} for a, words in rows]

    def turn(self, what: str) -> list[dict[str, Any]]:
        rows = [(a, w) for a, w in matching(what, self.input_entries()) if a not in self.knobs and self.inputs[a].knob][:8]
        return [{"words": f"Make a knob of {words}", "act": "knob", "form": {"address": a}} for a, words in rows]

    def scan(self, what: str, low: str | None, high: str | None) -> list[dict[str, Any]]:
        rows = [(a, w) for a, w in matching(what, self.input_entries()) if self.inputs[a].knob and self.inputs[a].text][:6]
        over = f" over {low} to {high}" if low and high else ""
        form = {"low": low or "", "high": high or ""}
        return [{"words": f"Scan {words}{over}", "act": "scan-add", "form": {"knob": a, **form}} for a, words in rows]

    def best(self, way: str, what: str) -> list[dict[str, Any]]:
        way = "lowest" if way.lower() in ("lowest", "least") else "highest"
        rows = matching(what, self.result_entries())[:6]
        return [{"words": f"Find the {way} {words}", "act": "search-add", "form": {"aim": a, "way": way}} for a, words in rows]

    def append(self, what: str, stream: str) -> list[dict[str, Any]]:
        streams = [s.id for s in self.document.streams if s.id.lower() == stream.lower()]
        kinds = [(kind, k.label) for kind, k in KINDS.items() if all(t in k.label.lower() for t in what.lower().split())][:6]
        return [
            {"words": f"Append {label} to {id_}", "act": "append", "form": {"id": id_, "kind": kind}}
            for id_ in streams
            for kind, label in kinds
        ]

    def make(self, unit: Any, what: Any) -> Any:
        units = [u for u in self.document.units if u.id.lower() == unit.lower()]
        kinds = [(kind, k.label) for kind, k in KINDS.items() if all(t in k.label.lower() for t in what.lower().split())][:6]
        return [
            {"words": f"Make {u.id} {article(label)}", "act": "kind", "form": {"id": u.id, "kind": kind}}
            for u in units
            for kind, label in kinds
            if kind != u.kind
        ]

    def pin(self, what: str) -> list[dict[str, Any]]:
        there = {p.key for p in pieces_of(self.document)}
        offers = [(f"unit {u.id}, {KINDS[u.kind].label.lower()}", "unit", u.id) for u in self.document.units]
        offers += [(f"stream {s.id}", "stream", s.id) for s in self.document.streams]
        offers += [(words.lower(), name, "") for name, words in WHOLE.items()]
        offers += [(f"where {w} comes from", "result", a) for a, w in matching(what, self.result_entries())[:4]]
        wanted = what.lower().split()
        return [
            {"words": f"Put {words} into the notebook", "act": "pin", "form": {"what": kind, "of": of}}
            for words, kind, of in offers
            if (f"{kind}:{of}" if of else kind) not in there and all(t in f"{words} {of}".lower() for t in wanted)
        ][:8]

    def run(self, what: str) -> list[dict[str, str]]:
        names = {k.id: k.label or k.id for k in self.document.knobs}
        scans = [(s.id, "scan of " + " and ".join(names.get(o.knob, o.knob) for o in s.over)) for s in self.document.scans]
        wanted = what.lower().split()
        return [{"words": f"Run {words}", "run": id_} for id_, words in scans if all(t in f"{words} {id_}".lower() for t in wanted)][:8]

    def send(self, stream: str, unit: str) -> list[dict[str, Any]]:
        streams = [s.id for s in self.document.streams if s.id.lower() == stream.lower() and s.to is None]
        units = [u.id for u in self.document.units if u.id.lower() == unit.lower()]
        return [{"words": f"Send {s} to {u}", "act": "send", "form": {"id": s, "to": u}} for s in streams for u in units]

    def work(self, what: str) -> list[dict[str, Any]]:
        offers = [("base", ""), *((v.name, v.id) for v in self.document.variants)]
        return [
            {"words": f"Work on {name}", "act": "variant-work", "form": {"id": id_}} for name, id_ in offers if what.lower() in name.lower()
        ]

    def limit(self, what: str, side: str, value: str) -> list[dict[str, Any]]:
        field = "at_least" if side.lower() in ("at least", ">=", "≥", "above") else "at_most"
        words = "at least" if field == "at_least" else "at most"
        rows = [(a, w) for a, w in matching(what, self.result_entries())][:8]
        own = [
            {"words": f"Limit {w}: {words} {value}", "act": "gauge-edit", "form": {"id": self.gauges[a].id, "field": field, "value": value}}
            for a, w in rows
            if a in self.gauges
        ]
        other = [
            {"words": f"Watch {w} and limit it: {words} {value}", "act": "gauge", "form": {"address": a, field: value}}
            for a, w in rows
            if a not in self.gauges
        ]
        return own + other

    def new(self, what: str) -> list:
        offers = {
            "gauge": {"words": "Watch a result as a gauge: ○ beside it, or type a formula", "url": "../process/"},
            "knob": {"words": "Make an input a knob: ◇ beside it", "url": "../process/"},
            "scan": {"words": "New scan", "act": "scan-add", "form": {}},
            "best": {"words": "New search for the best", "act": "search-add", "form": {}},
            "trade-off": {"words": "New trade-off of two aims", "act": "search-add", "form": {"trade": "1"}},
            "ratio": {"words": "Hold a ratio: tie one input to another by a formula", "url": "../loops/"},
            "tie": {"words": "Tie one input to another by a formula", "url": "../loops/"},
        }
        return [offers[what.lower()]]

    def things(self, query: str) -> list[dict[str, str]]:
        """Inputs, results, knobs, gauges and reactions by their words."""
        rows = []
        for address, words in matching(query, self.input_entries()):
            a, knob = self.inputs[address], self.knobs.get(address)
            owner = address.split(".")[0]
            stage = "chemistry" if a.about is About.REACTION else "process"
            select = f"knob:{knob.id}" if knob else owner
            text = f": {a.text}{' (assumed)' if a.assumed else ''}" if a.text else ""
            field = f"knob-value-{knob.id}" if knob else _field_of(address)
            rows.append({"words": f"{'Knob' if knob else 'Input'} {words}{text}", "url": f"../{stage}/?select={select}", "field": field})
        for address, words in matching(query, self.result_entries()):
            gauge, owner = self.gauges.get(address), address.split(".")[0]
            select = f"gauge:{gauge.id}" if gauge else ("" if owner == "overall" else owner)
            rows.append({"words": f"{'Gauge' if gauge else 'Result'} {words}", "url": f"../process/?select={select}"})
        wanted = query.lower().split()
        for r in self.document.reactions:
            if all(t in f"reaction {r.id} {r.equation}".lower() for t in wanted):
                rows.append({"words": f"Reaction {r.id}: {r.equation}", "url": f"../chemistry/?select={r.id}"})
            unread = r.rate is not None and r.rate.law != "formula" and f"{r.id}.k" not in self.inputs  # it is no input then
            if unread and all(t in f"rate constant k of {r.id}".lower() for t in wanted):
                words = f"Rate constant k of {r.id}"
                rows.append({"words": words, "url": f"../chemistry/?select={r.id}", "field": "rate-forward.k"})
        return rows
