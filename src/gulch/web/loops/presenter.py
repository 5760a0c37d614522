"""What the loops stage shows: how each loop closed and why not, open loops, targets, ties."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import source_of
from gulch.engine.flowsheet.closing.trials import LIKELY_SHARE
from gulch.engine.flowsheet.graph import material_loops
from gulch.engine.project.places import at_loop
from gulch.engine.quantities import QuantityError, difference_of, parse, show, to_unit, write
from gulch.engine.settle import METHODS
from gulch.web.projects.words import gain_words, letter, pretty_text, show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.process import GaugeEntry, KnobEntry, TargetEntry, TearEntry
    from gulch.engine.flowsheet.solution import LoopOutcome, LoopStates
    from gulch.engine.project.inputs import Address
    from gulch.engine.project.messages import Message
    from gulch.engine.project.results import Readable, Results
    from gulch.web.projects.workspace import Workspace


SHOWN_SERIES = 8
LEAST_CURVE = 3  # purges tried, from which they are shown as a curve
SHOWN_GAUGES = 4  # beside each steady state
STATE_WORDS = {"hottest": "the hottest", "coldest": "the coldest", "nearest": "the nearest to a temperature"}
SHOWN_PASSES = 40


@dataclass
class Passes:
    """A tear's values in the last passes."""

    heads: list
    rows: list[tuple]


@dataclass
class Purge:
    """The question that a purge answers: which species to hold under which share."""

    splitter: str
    address: str
    drawn: str
    share: str
    species: list[tuple]


@dataclass
class NewTarget:
    """What a new target can hold and turn."""

    gauges: list
    knobs: list


@dataclass
class TargetRow:
    """A target with what it may be, and what became of it."""

    id: str
    entry: Any
    here: bool
    gauges: list[tuple]
    knobs: list[tuple]
    value: str
    range: str
    sits: list
    reads: str
    error: str
    at: str
    slope: str
    state: str
    message: Message | None
    found: str
    began: str


@dataclass
class StatesPanel:
    """The steady states of a loop: rows of (temperature, words, gain, gauges, shown, choice), and its return over what is sent.

    heads: of the gauges; chosen: words for what the document asks for, "" where it leaves it open; said: doubts about what is shown.
    """

    tear: str
    heads: list[str]
    rows: list[tuple]
    chosen: str
    told: str
    said: list[str]
    data: dict[str, Any]
    data_id: str


@dataclass
class CurvePanel:
    """What larger purges give, tried: rows of (share, what goes round over what is fed), shares that may be taken, and the plot."""

    splitter: str
    address: str
    rows: list[tuple[str, str]]
    sizes: list[str]
    data: dict[str, Any]
    data_id: str


@dataclass
class LoopCard:
    """How one loop closed, or why not."""

    loop: Any
    beside: int  # passes that are not in the plot
    letter: str
    gain: str
    tolerance: str
    distance: str
    mode: list
    returns: list
    rounds: list
    reading: str
    data: dict[str, Any]
    data_id: str
    tears: list
    cuts: list[str]
    purge: Purge | None
    joined: str
    states: StatesPanel | None
    curve: CurvePanel | None


@dataclass
class TearPanel:
    """A tear of a loop: guess, value, passes."""

    stream: str
    rows: list[tuple]
    text: str
    typed: str
    chosen: bool
    passes: Passes


@dataclass
class OpenLoop:
    """A loop that is solved once through: its guess beside what came back."""

    stream: str
    rows: list[tuple]
    states: list[tuple]
    back: str
    typed: str


@dataclass
class TieRow:
    """A tie with its value."""

    sets: str
    formula: str
    label: str
    value: str
    message: Message | None
    here: bool


class LoopsPage:
    """The latest solve's loops, with the document's targets and ties beside what became of them."""

    def __init__(self, space: Workspace) -> None:
        self.space = space
        self.document, self.display = space.document, space.display
        self.latest = space.latest
        self.names = {s.id: s.shown for s in self.document.species}
        self.flow_unit = show_unit("molar flow", self.display)

    @property
    def methods(self) -> list[tuple]:
        return [(name, words, name == self.document.closing.method) for name, words in METHODS.items()]

    # Loops

    @property
    def waiting(self) -> bool:
        """Whether there are loops whose figures are still to come."""
        return self.latest is None and bool(material_loops(self.document))

    def loops(self) -> Iterator[LoopCard]:
        for loop in self.latest.loops if self.latest else []:
            mode = sorted(loop.mode.items(), key=lambda kv: -kv[1])[:4]
            yield LoopCard(
                loop=loop,
                beside=max(0, loop.passes - len(loop.history)),
                letter=letter(loop.number),
                gain=f"{loop.gain:.3f}" if loop.gain is not None else "–",
                tolerance=f"{loop.tolerance:.0e}",
                distance=f"{loop.distance:.1e}" if loop.distance is not None else "–",
                mode=[(self.names.get(s, s), f"{100 * v:.0f} %") for s, v in mode],
                returns=[
                    (self.names.get(s, s), show(v, "fraction", self.display))
                    for s, v in sorted(loop.returns.items(), key=lambda kv: -kv[1])
                ],
                rounds=[
                    (
                        " → ".join([*r["units"], r["units"][0]]),
                        self.names.get(r["species"], r["species"]),
                        f"{r['gain']:.3f}",
                    )
                    for r in loop.rounds
                ]
                if len(loop.rounds) > 1
                else [],
                reading=gain_words(loop),
                data=self.plot(loop),
                data_id=f"loop-{loop.number}-data",
                tears=list(self.tears(loop)),
                cuts=self.cuts(loop),
                purge=self.purge(loop),
                joined=",".join(loop.tears),
                states=states_panel(self, loop),
                curve=curve_panel(loop, self.display),
            )

    def plot(self, loop: LoopOutcome) -> dict[str, Any]:
        """Residuals by pass for the browser: the largest first, then the species and targets that moved most."""
        coupled, rest = (sorted(found.items(), key=lambda kv: -max(kv[1], default=0.0)) for found in (loop.coupled, loop.residuals))
        rows = [*coupled, *rest]
        series = [{"name": self.names.get(name, name), "y": values} for name, values in rows[:SHOWN_SERIES]]
        first = loop.first_pass if series else 1
        return {"kind": "residuals", "history": loop.history[first - 1 :], "first": first, "tolerance": loop.tolerance, "series": series}

    def tears(self, loop: LoopOutcome) -> Iterator[TearPanel]:
        for tear in loop.tears:
            kept = self.latest.start.tears.get(tear)
            guess, found = loop.guess.get(tear, {}), kept.flow if kept else {}
            rows = []
            for s in self.document.species:
                a, b = guess.get(s.id, 0.0), found.get(s.id, 0.0)
                if a or b:
                    away = show(100.0 * (a - b) / b / 100.0, "fraction", self.display, 3) if b > 1e-12 else "–"
                    rows.append((s.shown, self.flow(a), self.flow(b), away))
            typed = self.document.tear(tear)
            yield TearPanel(
                stream=tear,
                rows=rows,
                text=self.as_guess(found, *self.state(tear)),
                typed=self.typed(typed),
                chosen=bool(typed and typed.chosen),
                passes=self.passes(loop, tear),
            )

    def state(self, stream: str) -> tuple:
        """(temperature, pressure) of a stream in the latest solve, None where unknown."""
        found = self.latest.streams.get(stream)
        return (found.temperature, found.pressure) if found else (None, None)

    def passes(self, loop: LoopOutcome, tear: str) -> Passes:
        """The tear's values in the last passes."""
        values = loop.by_pass.get(tear, {})
        kept = [s for s in self.document.species if any(values.get(s.id, []))]
        count = max((len(v) for v in values.values()), default=0)
        begin = max(0, count - SHOWN_PASSES)
        rows = [(loop.first_pass + k, [self.flow(values[s.id][k]) for s in kept]) for k in range(begin, count)]
        return Passes(heads=[s.shown for s in kept], rows=rows)

    def flow(self, value: float) -> str:
        return show(value, "molar flow", self.display, unit=False)

    def as_guess(self, flow: dict[str, float], temperature: float | None = None, pressure: float | None = None) -> str:
        """Text that can be typed back as a guess. SI values; flow by species."""
        lines = [
            f"{name} {show(value, name, self.display, 6)}"
            for name, value in (("temperature", temperature), ("pressure", pressure))
            if value is not None
        ]
        for s in self.document.species:
            if flow.get(s.id, 0.0) > 0.0:
                lines.append(f"{s.shown} {to_unit(flow[s.id], self.flow_unit, 'molar flow'):.6g} {self.flow_unit}")
        return "\n".join(lines)

    def typed(self, tear: TearEntry | None) -> str:
        """A typed guess as text, or ''."""
        if tear is None or not tear.flow:
            return ""
        lines = [f"{name} {pretty_text(text)}" for name, text in (("temperature", tear.temperature), ("pressure", tear.pressure)) if text]
        return "\n".join([*lines, *(f"{self.names.get(s, s)} {text}" for s, text in tear.flow.items())])

    def cuts(self, loop: LoopOutcome) -> list[str]:
        """Streams at which the loop could be cut."""
        return [
            s.id
            for s in self.document.streams
            if s.source and source_of(s)[0] in loop.units and s.enters in loop.units and s.id not in loop.tears
        ]

    def purge(self, loop: LoopOutcome) -> Purge | None:
        """The question that a purge answers: which species to hold under which share."""
        if loop.exit is None:
            return None
        species = loop.builds_up or max(loop.returns, key=loop.returns.__getitem__, default=None)
        share = f"{100 * LIKELY_SHARE:.0f} %"
        drawn = show(loop.drawn, "fraction", self.display, 2) if loop.drawn is not None and not loop.settled else ""
        listed = [(s.id, s.shown, s.id == species) for s in self.document.species]
        return Purge(splitter=loop.exit, address=f"{loop.exit}.drawn", drawn=drawn, share=share, species=listed)

    def opened(self) -> Iterator[OpenLoop]:
        for o in self.latest.opened if self.latest else []:
            rows = []
            for s in self.document.species:
                a, b = o.guess.get(s.id, 0.0), (o.returned or {}).get(s.id)
                if a or b:
                    rows.append((s.shown, self.flow(a), self.flow(b) if b is not None else "–", self.flow(b - a) if b is not None else "–"))
            states = []
            for words, pair, dimension in (
                ("temperature", o.temperature, "temperature"),
                ("pressure", o.pressure, "pressure"),
            ):
                if pair[0] is not None:
                    states.append((words, *(show(v, dimension, self.display) for v in pair)))
            back = self.as_guess(o.returned, o.temperature[1], o.pressure[1]) if o.returned else ""
            yield OpenLoop(stream=o.stream, rows=rows, states=states, back=back, typed=self.typed(self.document.tear(o.stream)))

    # Targets and ties

    def targets(self) -> Iterator[TargetRow]:
        outcomes = {t.id: t for t in self.latest.targets} if self.latest else {}
        for entry in self.document.targets:
            gauge, knob = self.document.gauge(entry.gauge), self.document.knob(entry.knob)
            r = self.space.outputs.get(gauge.reads) if gauge else None
            a = self.space.inputs.get(knob.input) if knob else None
            found = outcomes.get(entry.id)
            row = TargetRow(
                id=entry.id,
                entry=entry,
                here=self.space.select == f"target.{entry.id}",
                gauges=self.choices(self.document.gauges, self.space.outputs, "reads", entry.gauge),
                knobs=self.choices(self.document.knobs, self.space.inputs, "input", entry.knob),
                value=pretty_text(entry.value or ""),
                range=f"{knob.low} to {knob.high}" if knob else "",
                sits=[
                    (v, w, v == entry.sits)
                    for v, w in (("value", "reads"), ("at_least", "sits on its “at least”"), ("at_most", "sits on its “at most”"))
                ],
                reads="–",
                error="–",
                at="–",
                slope="–",
                state="off" if not entry.on else "none",
                message=self.space.errors.get(f"target.{entry.id}"),
                found="",
                began="–",
            )
            if found is not None and r is not None and a is not None:
                row.reads = show(found.reached, r.dimension, self.display)
                row.error = show(found.error, difference_of(r.dimension), self.display, 2)
                row.at = show(found.knob_value, a.dimension, self.display)
                row.began = show(found.began, a.dimension, self.display)
                row.state = "met" if found.met else "unmet"
                row.found = repr(found.knob_value)
                if found.sensitivity is not None:
                    step = 0.01 * self.span(knob, a)
                    moved = show(found.sensitivity * step, difference_of(r.dimension), self.display, 3)
                    turned = show(step, difference_of(a.dimension), self.display, 3)
                    row.slope = f"{moved} for {turned}"
            elif not entry.on and gauge is not None and r is not None and self.space.solution is not None:
                row.reads, row.error = self.off_target(entry, gauge, r)
            yield row

    def off_target(self, entry: TargetEntry, gauge: GaugeEntry, readable: Readable) -> tuple[str, str]:
        """What a switched-off target's gauge reads, and how far that is from what it would ask for."""
        value = self.space.solution.gauges.get(gauge.id)
        text = entry.value if entry.sits == "value" else getattr(gauge, entry.sits)
        try:
            away = value - parse(text, readable.dimension) if value is not None and text else None
        except QuantityError:
            away = None
        return show(value, readable.dimension, self.display), show(away, difference_of(readable.dimension), self.display, 2)

    @staticmethod
    def span(knob: KnobEntry, address: Address) -> float:
        try:
            return parse(knob.high, address.dimension) - parse(knob.low, address.dimension)
        except QuantityError:
            return 0.0

    def choices(self, entries: list, known: dict[str, Address] | Results, what: str, chosen: str | None) -> list[tuple]:
        """(id, words, chosen) of the gauges or knobs."""
        return [(e.id, e.label or (known[getattr(e, what)].label if getattr(e, what) in known else e.id), e.id == chosen) for e in entries]

    def new_target(self) -> NewTarget:
        used = {t.gauge for t in self.document.targets}
        turned = {t.knob for t in self.document.targets}
        gauges = self.choices(self.document.gauges, self.space.outputs, "reads", None)
        knobs = self.choices(self.document.knobs, self.space.inputs, "input", None)
        return NewTarget(
            gauges=sorted(gauges, key=lambda g: g[0] in used),
            knobs=sorted(knobs, key=lambda k: k[0] in turned),
        )

    def ties(self) -> Iterator[TieRow]:
        for entry in self.document.ties:
            a = self.space.inputs.get(entry.sets)
            value = self.latest.found.get(entry.sets) if self.latest else None
            yield TieRow(
                sets=entry.sets,
                formula=entry.formula,
                label=a.label if a else entry.sets,
                value=show(value, a.dimension, self.display) if a and value is not None else "–",
                message=self.space.errors.get(f"tie.{entry.sets}"),
                here=self.space.select == f"tie.{entry.sets}",
            )

    def inputs(self) -> list[tuple]:
        """(address, words) that a tie can set."""
        return [(a.address, a.label) for a in self.space.inputs.values() if a.knob]


def states_panel(page: LoopsPage, loop: LoopOutcome) -> StatesPanel | None:
    """Every steady state with the project's first gauges, and which may be taken."""
    found = loop.states
    if found is None:
        return None
    gauges = [(g, page.space.outputs[g.reads]) for g in page.document.gauges if g.reads in page.space.outputs][:SHOWN_GAUGES]
    entry, last, rows = page.document.tear(found.tear), len(found.states) - 1, []
    for k, s in enumerate(found.states):
        rank = "coldest" if k == 0 else ("hottest" if k == last else "nearest")
        cells = [show(s.gauges.get(g.id), r.dimension, page.display) for g, r in gauges]
        near = write(s.temperature, "temperature", page.display)
        rows.append((show(s.temperature, "temperature", page.display), s, f"{s.gain:.3f}" if s.gain else "–", cells, rank, near))
    chosen = "" if entry is None or entry.state == "any" else STATE_WORDS[entry.state]
    low, high = (show(T, "temperature", page.display) for T in (found.temperature[0], found.temperature[-1]))
    told = f"Looked for from {low} to {high}" + (", until it was stopped." if found.ended else ".")
    said = [m.what for m in page.latest.messages if m.level == "warning" and str(m.place) == str(at_loop(str(loop.number)))]
    data, data_id = returned(found, page.display), f"loop-{loop.number}-states"
    return StatesPanel(found.tear, [g.label or r.label for g, r in gauges], rows, chosen, told, said, data, data_id)


def curve_panel(loop: LoopOutcome, display: str) -> CurvePanel | None:
    """What goes round over the share drawn, of a loop that does not settle or sends round more than a plant would pump."""
    if len(loop.curve) < LEAST_CURVE or loop.exit is None:
        return None
    rows = [(show(share, "fraction", display, 2), f"{times:.3g} ×") for share, times in loop.curve]
    sizes = [show(share, "fraction", display, 2) for _, share in loop.sizes]
    series = [{"label": "goes round", "y": [times for _, times in loop.curve], "axis": 0}]
    axis = {"label": "goes round, on what is fed", "unit": "–"}
    groups = [{"id": "round", "axes": [axis], "series": series, "marks": [], "log": True}]
    x = [100.0 * share for share, _ in loop.curve]
    data = {"kind": "profile", "x": x, "x_label": f"drawn at {loop.exit}", "x_unit": "%", "x_log": True, "groups": groups}
    return CurvePanel(loop.exit, f"{loop.exit}.drawn", rows, sizes, data, f"loop-{loop.number}-curve")


def returned(found: LoopStates, display: str) -> dict[str, Any]:
    """For the browser: by how much hotter the tear comes back than it is sent, over the temperature at which it is sent; the states."""
    unit, apart = show_unit("temperature", display), show_unit("temperature difference", display)
    sent = [to_unit(T, unit, "temperature") for T in found.temperature]
    hotter = [to_unit(more, apart, "temperature difference") for more in found.excess]
    marks = [
        {"x": to_unit(s.temperature, unit, "temperature"), "y": 0.0, "text": "", "sign": "stable" if s.stable else "unstable"}
        for s in found.states
    ]
    axis = {"label": f"{found.tear} comes back hotter by", "unit": apart}
    groups = [{"id": "return", "axes": [axis], "series": [{"label": "comes back hotter by", "y": hotter, "axis": 0}], "marks": marks}]
    return {"kind": "profile", "x": sent, "x_label": f"{found.tear} is sent at", "x_unit": unit, "groups": groups}
