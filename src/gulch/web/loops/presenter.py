"""What the loops stage shows: how each loop closed and why not, open loops, targets, ties."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import source_of
from gulch.engine.flowsheet.closing.trials import LIKELY_SHARE
from gulch.engine.flowsheet.graph import material_loops
from gulch.engine.quantities import QuantityError, difference_of, parse, show, to_unit
from gulch.engine.settle import METHODS
from gulch.web.projects.words import gain_words, letter, pretty_text, show_unit

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.process import GaugeEntry, KnobEntry, TargetEntry, TearEntry
    from gulch.engine.flowsheet.solution import LoopOutcome
    from gulch.engine.project.inputs import Address
    from gulch.engine.project.results import Readable, Results
    from gulch.web.projects.workspace import Workspace


SHOWN_SERIES = 8
SHOWN_PASSES = 40


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

    def loops(self) -> Iterator:
        for loop in self.latest.loops if self.latest else []:
            mode = sorted(loop.mode.items(), key=lambda kv: -kv[1])[:4]
            yield {
                "loop": loop,
                "letter": letter(loop.number),
                "gain": f"{loop.gain:.3f}" if loop.gain is not None else "–",
                "tolerance": f"{loop.tolerance:.0e}",
                "distance": f"{loop.distance:.1e}" if loop.distance is not None else "–",
                "mode": [(self.names.get(s, s), f"{100 * v:.0f} %") for s, v in mode],
                "returns": [
                    (self.names.get(s, s), show(v, "fraction", self.display))
                    for s, v in sorted(loop.returns.items(), key=lambda kv: -kv[1])
                ],
                "rounds": [
                    (
                        " → ".join([*r["units"], r["units"][0]]),
                        self.names.get(r["species"], r["species"]),
                        f"{r['gain']:.3f}",
                    )
                    for r in loop.rounds
                ]
                if len(loop.rounds) > 1
                else [],
                "reading": gain_words(loop),
                "data": self.plot(loop),
                "data_id": f"loop-{loop.number}-data",
                "tears": list(self.tears(loop)),
                "cuts": self.cuts(loop),
                "purge": self.purge(loop),
                "joined": ",".join(loop.tears),
            }

    def plot(self, loop: LoopOutcome) -> dict[str, Any]:
        """Residuals by pass for the browser: the largest first, then the species and targets that moved most."""
        coupled, rest = (sorted(found.items(), key=lambda kv: -max(kv[1], default=0.0)) for found in (loop.coupled, loop.residuals))
        rows = [*coupled, *rest]
        series = [{"name": self.names.get(name, name), "y": values} for name, values in rows[:SHOWN_SERIES]]
        first = loop.first_pass if series else 1
        return {"kind": "residuals", "history": loop.history[first - 1 :], "first": first, "tolerance": loop.tolerance, "series": series}

    def tears(self, loop: LoopOutcome) -> Iterator:
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
            yield {
                "stream": tear,
                "rows": rows,
                "text": self.as_guess(found, *self.state(tear)),
                "typed": self.typed(typed),
                "chosen": bool(typed and typed.chosen),
                **self.passes(loop, tear),
            }

    def state(self, stream: str) -> tuple:
        """(temperature, pressure) of a stream in the latest solve, None where unknown."""
        found = self.latest.streams.get(stream)
        return (found.temperature, found.pressure) if found else (None, None)

    def passes(self, loop: LoopOutcome, tear: str) -> dict[str, Any]:
        """The tear's values in the last passes."""
        values = loop.by_pass.get(tear, {})
        kept = [s for s in self.document.species if any(values.get(s.id, []))]
        count = max((len(v) for v in values.values()), default=0)
        begin = max(0, count - SHOWN_PASSES)
        rows = [(loop.first_pass + k, [self.flow(values[s.id][k]) for s in kept]) for k in range(begin, count)]
        return {"pass_heads": [s.shown for s in kept], "pass_rows": rows}

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

    def purge(self, loop: LoopOutcome) -> dict[str, Any] | None:
        """The question that a purge answers: which species to hold under which share."""
        if loop.exit is None:
            return None
        species = loop.builds_up or max(loop.returns, key=loop.returns.__getitem__, default=None)
        share = f"{100 * LIKELY_SHARE:.0f} %"
        drawn = show(loop.drawn, "fraction", self.display, 2) if loop.drawn is not None and not loop.settled else ""
        listed = [(s.id, s.shown, s.id == species) for s in self.document.species]
        return {"splitter": loop.exit, "address": f"{loop.exit}.drawn", "drawn": drawn, "share": share, "species": listed}

    def opened(self) -> Iterator:
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
            yield {"stream": o.stream, "rows": rows, "states": states, "back": back, "typed": self.typed(self.document.tear(o.stream))}

    # Targets and ties

    def targets(self) -> Iterator:
        outcomes = {t.id: t for t in self.latest.targets} if self.latest else {}
        for entry in self.document.targets:
            gauge, knob = self.document.gauge(entry.gauge), self.document.knob(entry.knob)
            r = self.space.outputs.get(gauge.reads) if gauge else None
            a = self.space.inputs.get(knob.input) if knob else None
            found = outcomes.get(entry.id)
            row = {
                "id": entry.id,
                "entry": entry,
                "here": self.space.select == f"target.{entry.id}",
                "gauges": self.choices(self.document.gauges, self.space.outputs, "reads", entry.gauge),
                "knobs": self.choices(self.document.knobs, self.space.inputs, "input", entry.knob),
                "value": pretty_text(entry.value or ""),
                "range": f"{knob.low} to {knob.high}" if knob else "",
                "sits": [
                    (v, w, v == entry.sits)
                    for v, w in (("value", "reads"), ("at_least", "sits on its “at least”"), ("at_most", "sits on its “at most”"))
                ],
                "reads": "–",
                "error": "–",
                "at": "–",
                "slope": "–",
                "state": "off" if not entry.on else "none",
                "message": self.space.errors.get(f"target.{entry.id}"),
                "found": "",
                "began": "–",
            }
            if found is not None and r is not None and a is not None:
                row |= {
                    "reads": show(found.reached, r.dimension, self.display),
                    "error": show(found.error, difference_of(r.dimension), self.display, 2),
                    "at": show(found.knob_value, a.dimension, self.display),
                    "began": show(found.began, a.dimension, self.display),
                    "state": "met" if found.met else "unmet",
                    "found": repr(found.knob_value),
                }
                if found.sensitivity is not None:
                    step = 0.01 * self.span(knob, a)
                    moved = show(found.sensitivity * step, difference_of(r.dimension), self.display, 3)
                    turned = show(step, difference_of(a.dimension), self.display, 3)
                    row["slope"] = f"{moved} for {turned}"
            elif not entry.on and gauge is not None and r is not None and self.space.solution is not None:
                row |= self.off_target(entry, gauge, r)
            yield row

    def off_target(self, entry: TargetEntry, gauge: GaugeEntry, readable: Readable) -> dict[str, str]:
        """What a switched-off target's gauge reads, and how far that is from what it would ask for."""
        value = self.space.solution.gauges.get(gauge.id)
        out = {"reads": show(value, readable.dimension, self.display)}
        text = entry.value if entry.sits == "value" else getattr(gauge, entry.sits)
        try:
            away = value - parse(text, readable.dimension) if value is not None and text else None
        except QuantityError:
            away = None
        return out | {"error": show(away, difference_of(readable.dimension), self.display, 2)}

    @staticmethod
    def span(knob: KnobEntry, address: Address) -> float:
        try:
            return parse(knob.high, address.dimension) - parse(knob.low, address.dimension)
        except QuantityError:
            return 0.0

    def choices(self, entries: list, known: dict[str, Address] | Results, what: str, chosen: str | None) -> list[tuple]:
        """(id, words, chosen) of the gauges or knobs."""
        return [(e.id, e.label or (known[getattr(e, what)].label if getattr(e, what) in known else e.id), e.id == chosen) for e in entries]

    def new_target(self) -> dict:
        used = {t.gauge for t in self.document.targets}
        turned = {t.knob for t in self.document.targets}
        gauges = self.choices(self.document.gauges, self.space.outputs, "reads", None)
        knobs = self.choices(self.document.knobs, self.space.inputs, "input", None)
        return {
            "gauges": sorted(gauges, key=lambda g: g[0] in used),
            "knobs": sorted(knobs, key=lambda k: k[0] in turned),
        }

    def ties(self) -> Iterator:
        for entry in self.document.ties:
            a = self.space.inputs.get(entry.sets)
            value = self.latest.found.get(entry.sets) if self.latest else None
            yield {
                "sets": entry.sets,
                "formula": entry.formula,
                "label": a.label if a else entry.sets,
                "value": show(value, a.dimension, self.display) if a and value is not None else "–",
                "message": self.space.errors.get(f"tie.{entry.sets}"),
                "here": self.space.select == f"tie.{entry.sets}",
            }

    def inputs(self) -> list[tuple]:
        """(address, words) that a tie can set."""
        return [(a.address, a.label) for a in self.space.inputs.values() if a.knob]
