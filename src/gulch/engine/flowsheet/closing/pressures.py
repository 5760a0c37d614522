"""Pressures around a loop, from what is typed: propagated from the feeds on, without solving a unit.

A mixer runs at its lowest inlet, so where nothing in a loop sets the pressure, any pressure below that of the feeds would
repeat itself. The highest that does is the one that the feeds bring about; it is found from above, whatever was solved before.

Notation: pressures [Pa]; inf: nothing holds it yet; nan: it hangs on flows.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

from gulch.engine.declared.pressures import EVEN
from gulch.engine.project.nodes import NodeKind
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.base import Unit
    from gulch.engine.flowsheet.closing.loop import Loop

LOWER = 0.5  # of the pressures found, at which is looked whether lower ones would repeat themselves as well


class Joined(NamedTuple):
    """A unit of the group. typed: its inputs that are pressures; entering: (stream, inlet, whether it is made inside); leaving:
    (port, stream, whether it is a tear).
    """

    unit: str
    kind: type[Unit]
    ports: list[str]
    typed: list[str]
    entering: list[tuple[str, str, bool]]
    leaving: list[tuple[str, str, bool]]


class Pressures:
    """Pressures of the tears of a Loop, as far as they hang on nothing that is iterated.

    held: {tear: Pa}. A stream that turned out to carry nothing sets no pressure where streams join: `dry` names those.
    """

    def __init__(self, loop: Loop) -> None:
        self.run, self.plan, self.group = loop.run, loop.plan, loop.group
        self.units = self.plan.lasting.setdefault(self.group, {}).get("connected") or self._connected()
        # ties and targets may turn a pressure in the middle of a search
        self.turned = bool(self.group.tears) and any(n.kind is not NodeKind.UNIT for n in self.group.nodes)
        self.dry: frozenset = frozenset()
        self.held: dict = {}
        self.told: tuple | None = None  # what the pressures held were found from
        self.find()

    def _connected(self) -> list[Joined]:
        """The group's units as `Joined`, kept by the plan."""
        plan, inside, out = self.plan, set(self.group.units), []
        for unit in (n.name for n in self.group.nodes if n.kind is NodeKind.UNIT):
            kind = KINDS[plan.units[unit].kind]
            entering = [(s, plan.inlet[s] or kind.inlets[0].name, plan.sources[s] in inside) for s in plan.entering[unit]]
            leaving = [(port, s, s in self.group.tears) for port, s in plan.leaving[unit].items() if s not in plan.open]
            typed = [d.name for d in kind.inputs() if getattr(d, "dimension", None) in ("pressure", "pressure difference")]
            out.append(Joined(unit, kind, plan.ports[unit], typed, entering, leaving))
        plan.lasting[self.group]["connected"] = out
        return out

    def find(self) -> dict[str, float]:
        """Propagate anew where an input that they hang on has changed; returns the pressures held."""
        told = self._told()
        if told == self.told:
            return self.held
        self.told = told
        tears = self._settled(dict.fromkeys(self.group.tears, math.inf)) if self.group.tears else {}
        self.held = {t: P for t, P in tears.items() if math.isfinite(P) and P > 0.0}
        return self.held

    def _told(self) -> tuple:
        """All that pressures hang on: inputs that are pressures, what enters from outside, which streams set none."""
        given, streams = self.run.given, self.run.streams
        typed = [getattr(given[u.unit], name, None) for u in self.units for name in u.typed]
        outside = [(streams[s].P, streams[s].is_empty) for u in self.units for s, _, inside in u.entering if not inside and s in streams]
        return self.dry, typed, outside

    def floats(self) -> bool:
        """Whether pressures below those held would repeat themselves as well, because nothing in the loop sets them."""
        lower = {t: LOWER * P for t, P in self.held.items()}
        after = self._sweep(dict(lower)) if lower else {}
        return bool(lower) and all(abs(after[t] - P) <= EVEN * P for t, P in lower.items())

    def missed(self) -> bool:
        """Whether the last pass leaves other pressures than are held, which then are: by streams that carry nothing, or by its own."""
        streams, before = self.run.streams, self.held
        if not before:
            return False
        inside = [s for u in self.group.units for s in self.plan.entering[u]]
        dry = frozenset(s for s in inside if s in streams and streams[s].is_empty)
        if dry != self.dry:
            self.dry = dry
            if self.find() != before:
                return True
        self.held = {t: P for t, P in before.items() if same(streams[t].P, P)}  # any other is searched for
        return self.held != before

    def _settled(self, tears: dict[str, float]) -> dict[str, float]:
        """Tears' pressures after sweeps from above until they repeat; those that go on falling are left out."""
        for _ in range(len(self.units) + 2):
            after = self._sweep(dict(tears))
            if all(same(after[t], P) for t, P in tears.items()):
                return after
            tears = after
        last = self._sweep(dict(tears))
        return {t: P for t, P in last.items() if same(P, tears[t])}

    def _sweep(self, known: dict[str, float]) -> dict[str, float]:
        """Pressures of the tears after every unit in turn was told those of its inlets; known: of the tears before, used up."""
        streams, given, out = self.run.streams, self.run.given, {}
        for u in self.units:
            entering: dict[str, list] = {}
            for s, inlet, inside in u.entering:
                if s in self.dry and len(u.entering) > 1:
                    continue
                P = known.get(s, math.inf)
                if not inside:
                    P = math.inf if s not in streams or streams[s].is_empty else streams[s].P
                entering.setdefault(inlet, []).append(P)
            told = u.kind.pressures(entering, given[u.unit], u.ports)
            for port, s, torn in u.leaving:
                if torn:
                    out[s] = told[port]
                else:
                    known[s] = told[port]
        return out


def same(a: float, b: float) -> bool:
    """Whether two pressures are the same, unknown ones included."""
    return a == b or (math.isnan(a) and math.isnan(b)) or abs(a - b) <= EVEN * abs(b)
