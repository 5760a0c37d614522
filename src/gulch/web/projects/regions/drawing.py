"""The map's data for the browser."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import source_of
from gulch.engine.project.places import About
from gulch.engine.quantities import (
    show,
)
from gulch.engine.units import KINDS
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    letter,
    show_unit,
)

if TYPE_CHECKING:
    from gulch.engine.flowsheet.solution import LoopOutcome, StreamResult, UnitOutcome


class Drawing(Region):
    """The map's data for the browser."""

    @property
    def flow_units(self) -> tuple:
        return show_unit("molar flow", self.display), show_unit("mass flow", self.display)

    def map(self) -> dict[str, Any]:
        """The drawing's data for the browser: units, streams, loops."""
        solved = self.solution.streams if self.solution else {}
        shade = self.row_shade()
        units = []
        said = {(m.place.id, m.level) for m in self.messages if m.place.about is About.UNIT}
        for u in self.document.units:
            kind = KINDS[u.kind]
            outcome = self.solution.units.get(u.id) if self.solution else None
            bad, doubtful = (u.id, "error") in said, (u.id, "warning") in said or (u.id, "question") in said
            units.append(
                {
                    "id": u.id,
                    "kind": kind.label,
                    "symbol": u.kind,
                    "headline": self.headline(u, outcome),
                    "state": "bad" if bad else ("doubt" if doubtful else ("good" if outcome and outcome.solved else "idle")),
                    "ports": {p.name: p.draws for p in kind.ports_out(u)},
                }
            )
        streams, made_by = [], {u.id: u for u in self.document.units}
        for s in self.document.streams:
            source, port = source_of(s)
            unit = made_by.get(source) if s.source else None
            if unit is not None and port is None:
                port = KINDS[unit.kind].ports_out(unit)[0].name
            found = solved.get(s.id)
            streams.append(
                {
                    "id": s.id,
                    "from": source if s.source else None,
                    "port": port,
                    "to": s.enters,
                    "inlet": s.inlet,
                    "molar": found.total if found else None,
                    "mass": found.mass_flow if found else None,
                    "text": show(found.total, "molar flow", self.display) if found else "",
                    "mass_text": show(found.mass_flow, "mass flow", self.display) if found else "",
                    "state_text": self.state_text(found),
                    "share": found.flow.get(shade, 0.0) / found.total if found and shade and found.total > 0 else None,
                }
            )
        loops = [
            {
                "letter": letter(lo.number),
                "label": f"{lo.passes} pass{'es' if lo.passes != 1 else ''}" + (f" · gain {lo.gain:.2f}" if lo.gain is not None else ""),
                "units": lo.units,
                "settled": lo.settled,
                "why": self.short_reason(lo),
            }
            for lo in (self.latest.loops if self.latest else [])
        ]
        return {"units": units, "streams": streams, "loops": loops, "select": self.select, "stale": bool(self.stale)}

    def state_text(self, found: StreamResult | None) -> str:
        """Temperature and pressure of a solved stream."""
        if found is None or found.temperature is None:
            return ""
        return f"{show(found.temperature, 'temperature', self.display, 3)} · {show(found.pressure, 'pressure', self.display, 3)}"

    def short_reason(self, loop: LoopOutcome) -> str:
        """A few words for an unsettled loop on the map."""
        if loop.settled:
            return ""
        names = {s.id: s.shown for s in self.document.species}
        return f"{names.get(loop.builds_up, loop.builds_up)} builds up" if loop.builds_up else "not settled"

    def row_shade(self) -> str:
        known = [s.id for s in self.document.species]
        return self.shade if self.shade in known else (known[0] if known else "")

    def headline(self, unit: Any, outcome: UnitOutcome | None) -> str:
        if outcome is None or not outcome.solved:
            return ""
        for r in KINDS[unit.kind].results():
            if r.headline and r.key in outcome.values:
                value = outcome.values[r.key]
                if r.per == "species":
                    key = outcome.reactions[0].get("key") if outcome.reactions else None
                    key = key or max(value, key=value.get, default=None)
                    if key is not None and value.get(key, 0.0) > 0.0:
                        name = key if len(key) <= 9 else ""  # the plate is no wider
                        return f"X {show(value[key], r.dimension, self.display, 3)} {name}".rstrip()
                elif value is not None and not any(d.name == "conversion" for d in KINDS[unit.kind].results()):
                    text = show(value, r.dimension, self.display, 3)
                    return f"{text} {r.label.lower()}" if r.dimension == "count" else text
        if unit.kind == "splitter":
            return f"{self.space.fields.stands(self.inputs[f'{unit.id}.drawn'])} drawn"
        total = sum(outcome.outlet.values())
        return show(total, "molar flow", self.display, 3)
