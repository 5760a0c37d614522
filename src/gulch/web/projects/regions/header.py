"""Header and rail: the state of the project, its stages and what is to do."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from gulch.engine.project.messages import Message
from gulch.engine.project.places import About
from gulch.engine.quantities import (
    DIMENSIONS,
    DISPLAY_SETS,
    USUAL_SETS,
    pretty_unit,
)
from gulch.web.projects.regions.region import Region
from gulch.web.projects.stages import stage_of, stages

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from gulch.engine.project.places import Place


MARKS = {"error": "✕", "question": "?", "warning": "▲", "assumed": "◌"}  # the worst first


@dataclass
class RailLine:
    """A stage in the rail."""

    stage: str
    label: str
    count: int
    here: bool
    errors: bool
    size: int | None


@dataclass(frozen=True)
class TodoLine:
    """A line of the to-do list."""

    level: str
    what: str
    todo: str
    where: str
    answers: tuple
    cure: Any
    stage: str
    select: str
    taken: str
    mark: str


@dataclass(frozen=True)
class UnitChoice:
    """A kind of quantity and the units it may be shown in; own: whether its unit is not that of the set."""

    dimension: str
    units: list[tuple[str, str, bool]]
    own: bool


OWN = ("temperature", "pressure", "molar flow", "mass flow", "volume flow", "power", "molar energy", "volume", "time", "density")


class Header(Region):
    """Header and rail: the state of the project, its stages and what is to do."""

    @property
    def state(self) -> tuple:
        """(css name, words) of the header's chip."""
        if self.job is not None:
            return "idle", "solving …"
        if not self.document.units:
            return "idle", "nothing to solve yet"
        if self.latest is not None and self.latest.solved:
            unmet = sum(not t.met for t in self.latest.targets)
            if unmet:
                return "bad", f"solved, {unmet} target{'s' if unmet > 1 else ''} not met"
            if self.latest.opened:
                return "idle", "single pass, a loop is open"
            return "good", f"solved in {max(1, round(1000 * self.latest.seconds))} ms"
        errors = sum(m.level == "error" for m in self.messages)
        if self.latest is not None and self.latest.broken_off:
            return "bad", "not solved: " + ("stopped" if self.stopped else "broken off")
        return "bad", f"not solved · {errors} to mend" if errors else "not solved"

    @property
    def solve_again(self) -> bool:
        """Whether solving once more is offered: the solve was broken off, or its figures could not be stored."""
        return self.job is None and bool(self.latest is None or self.latest.broken_off) and bool(self.document.units)

    @property
    def missing(self) -> str:
        """Words for what is missing where a unit failed and the rest stands, or ''."""
        if not self.partial:
            return ""
        failed = [u for u, o in self.latest.units.items() if not o.solved and not o.waits_for]
        waiting = [u for u, o in self.latest.units.items() if o.waits_for]
        after = f", and so are {', '.join(waiting)}, which wait for it" if waiting else ""
        return f"{', '.join(failed)} could not be computed{after}. Everything else stands as it is now."

    def rail(self) -> Iterator[RailLine]:
        counts = dict.fromkeys((s for s in stages()), 0)
        for m in self.messages:
            counts[stage_of(m.place)] += 1
        for name, words in ((s.name, s.label) for s in stages().values()):
            yield RailLine(
                stage=name,
                label=words,
                count=counts[name],
                here=name == self.stage,
                errors=any(m.level == "error" and stage_of(m.place) == name for m in self.messages),
                size={"scans": len(self.document.scans), "variants": len(self.document.variants)}.get(name),
            )

    def said_here(self, m: Message) -> bool:
        """Whether the page shows a message in full besides, where it can be mended: at what is selected, or in Loops."""
        place, (kind, _, id_) = m.place, self.select.rpartition(":")
        if self.stage == "loops":
            return place.about is About.LOOP or (
                place.about in (About.TARGET, About.TIE) and self.errors.get(m.where) is m and not place.field
            )
        if self.stage != "process" or place.id != id_:
            return False
        if kind:
            return kind in ("knob", "gauge") and place.about.value == kind
        at_a_field = self.errors.get(m.where) is m and m.where in self.inputs
        return place.about in (About.UNIT, About.STREAM) and (not place.field or at_a_field)

    def folded(self) -> Iterable[Message]:
        """The to-do lines; those that say the same of several things stand as one, at the first."""
        return self._folded(self.messages)

    def _folded(self, messages: list[Message]) -> Iterable[Message]:
        lines = {}
        for m in messages:
            head, _, rest = m.what.partition(": ")
            key = (m.level, rest, m.todo) if rest and head == m.where and not (m.answers or m.cure) else (m.where, m.what)
            if key in lines:
                first, _, said = lines[key].what.partition(": ")
                lines[key].what = f"{first}, {head}: {said}"
            else:
                lines[key] = replace(m)
        return lines.values()

    def counted(self, here: list[Message]) -> str:
        """Words for lines that stand in full on the page."""
        if self.stage == "loops":
            return f"{len(here)} on loops, targets and ties: {'it stands' if len(here) == 1 else 'they stand'} beside."
        name = self.select.rpartition(":")[2]
        return f"{name}: {len(here)} {'line' if len(here) == 1 else 'lines'} in its panel."

    def todo(self) -> Iterator[TodoLine]:
        """The to-do list's lines; those that stand in full on the page are counted, in one line at its head."""
        here = [m for m in self.messages if self.said_here(m)]
        if here:
            level = min((m.level for m in here), key=list(MARKS).index)
            for line in self.todo_lines([Message(level, here[0].place, self.counted(here))]):
                yield replace(line, where="")
        yield from self.todo_lines(self._folded([m for m in self.messages if m not in here]))

    def todo_lines(self, messages: Iterable | list[Message]) -> Iterator[TodoLine]:
        for m in messages:
            yield TodoLine(
                level=m.level,
                what=m.what,
                todo=m.todo,
                where=m.where,
                answers=tuple(map(tuple, m.answers or ())),
                cure=m.cure,
                stage=stage_of(m.place),
                select=selection(m.place),
                taken=json.dumps(self.space.fields.taken(m.where)),
                mark=MARKS[m.level],
            )

    def displays(self) -> list[tuple]:
        return [(name, DISPLAY_SETS[name].label, name == self.document.display_set) for name in USUAL_SETS]

    @property
    def units_mark(self) -> str:
        """What the lists of units hang on: a page that has them already is not sent them again."""
        return hashlib.sha256(f"{self.document.display_set} {sorted(self.document.own_units.items())}".encode()).hexdigest()[:12]

    def units(self) -> list[UnitChoice]:
        """The units in which the commonest quantities are shown, each with those it may be shown in."""
        shown = DISPLAY_SETS[self.display]
        return [
            UnitChoice(d, [(u, pretty_unit(u), u == shown.unit(d)) for u in DIMENSIONS[d].offered], d in self.document.own_units)
            for d in OWN
        ]


def selection(place: Place) -> str:
    """What a to-do line's link selects: an id, a kind of thing with its id, or in Loops the whole address."""
    if place.about in (About.GAUGE, About.KNOB, About.SPECIES):
        return f"{place.about}:{place.id}"
    return str(place) if stage_of(place) == "loops" else place.id
