"""What the page of a search shows: the question, the answer in words, what holds it and what that is worth, and its solves."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

from gulch.engine.exchange import DOUBTS, end_words, flat_words, hidden_words, in_sentence, jump_words, limit_words, rests_on, worth_words
from gulch.engine.project.edit.naming import name_of_gauge
from gulch.engine.quantities import difference_of, show
from gulch.engine.scans import ScanError, limit_broken, movable, ready_plan
from gulch.web.projects.words import pretty_text
from gulch.web.scans import jobs, plots
from gulch.web.scans.chosen import chosen_panel, offered
from gulch.web.scans.curve import Curve

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document.studies import SearchEntry
    from gulch.web.projects.workspace import Workspace
    from gulch.web.scans.chosen import ChosenPanel


WAYS = (("highest", "highest"), ("lowest", "lowest"))
OLDER = {"looks": 0, "climbs": 0, "span": 0.0, "hidden": None, "jumps": [], "samples": 0}  # what answers of older versions do not hold


@dataclass
class KnobRow:
    """A knob that a search may turn."""

    id: str
    label: str
    on: bool
    low: str
    high: str
    why: str


def searched(space: Workspace) -> SearchEntry | None:
    """The search that is looked at, or None."""
    found = space.document.search(space.select)
    only = not space.document.scans and not space.select and space.document.searches
    return space.document.searches[0] if only else found


def search_words(space: Workspace, entry: SearchEntry) -> str:
    """The tab of a search."""
    aim = _label(space, entry.aim or _free(space))
    if entry.against:
        return f"{aim} against {_label(space, entry.against)}"
    return f"{entry.way} {aim}"


def best_page(space: Workspace) -> BestPage | None:
    """The BestPage of the search that is looked at, or None."""
    entry = searched(space)
    return BestPage(space, entry) if entry is not None else None


def _free(space: Any) -> Any:
    gauges = space.document.gauges
    return next((g.id for g in gauges if g.at_least is None and g.at_most is None), gauges[0].id if gauges else "")


def _label(space: Workspace, gauge_id: str) -> str:
    g = space.document.gauge(gauge_id)
    if g is None:
        return gauge_id
    return in_sentence(g.label or (space.outputs[g.reads].label if g.reads in space.outputs else g.reads))


class Question:
    """A search as its form shows it."""

    def __init__(self, space: Workspace, entry: SearchEntry) -> None:
        self.space, self.entry = space, entry
        self.trade = entry.against is not None

    @property
    def aim(self) -> str:
        """The name of what is sought."""
        return self._name(self.entry.aim or _free(self.space))

    @property
    def against(self) -> str:
        """The name of what it is traded against."""
        return self._name(self.entry.against or "")

    def _name(self, gauge_id: str) -> str:
        gauge = self.space.document.gauge(gauge_id)
        return name_of_gauge(gauge, self.space.outputs) if gauge is not None else gauge_id

    @property
    def turned(self) -> list[KnobRow]:
        """The knobs that the search turns."""
        return [k for k in self.knobs if k.on and not k.why]

    @property
    def left(self) -> list[KnobRow]:
        """The other knobs."""
        return [k for k in self.knobs if not k.on or k.why]

    def ways(self) -> list[tuple]:
        return [(v, w, v == self.entry.way) for v, w in WAYS]

    def other_ways(self) -> list[tuple]:
        return [(v, w, v == self.entry.against_way) for v, w in WAYS]

    @cached_property
    def knobs(self) -> list[KnobRow]:
        """The knobs, in their order."""
        try:
            held = movable(ready_plan(self.space.document))[1]
        except ScanError:
            held = {}
        turned = {t.knob: t for t in self.entry.over}
        rows = []
        for k in self.space.document.knobs:
            own = turned.get(k.id)
            found = self.space.inputs.get(k.input)
            row = KnobRow(
                id=k.id,
                label=k.label or (found.label if found else k.input),
                on=own is not None or (not turned and k.id not in held),  # one that is held can still be left out
                low=pretty_text((own.low if own else "") or k.low),
                high=pretty_text((own.high if own else "") or k.high),
                why=held.get(k.id, ("", ""))[1],
            )
            rows.append(row)
        return rows


class BestPage(Curve):
    """A search, its newest run, and what came of it."""

    def __init__(self, space: Workspace, entry: SearchEntry) -> None:
        self.entry, self.question = entry, Question(space, entry)
        self.run = jobs.newest(space.row, space.document, entry, space.whole.working)
        self.trade = entry.against is not None
        self.asked = (self.run.result or {}) if self.run is not None else {}
        fits = self.asked.get("kind") == ("trade-off" if self.trade else "best")
        self.points = jobs.points_of(self.run) if self.run is not None and fits else []
        found = OLDER | self.asked if fits and "solves" in self.asked else {}
        super().__init__(space, found, self.asked.get("axes", ()))
        self.outdated = self.run is not None and bool(self.points) and jobs.outdated(self.run, space.document)
        self.rows = {g["id"]: g for g in self.asked.get("gauges", ())}
        if self.found:
            (self._curve_words if self.trade else self._best_words)()

    @property
    def words(self) -> str:
        return search_words(self.space, self.entry)

    @cached_property
    def chosen(self) -> ChosenPanel | None:
        """What the search came to with each value of a choice, or each variant."""
        return chosen_panel(self)

    @property
    def offered(self) -> list[tuple[str, str]]:
        """The choices for every value of which it can be made."""
        return offered(self.space)

    @property
    def table_id(self) -> str:
        """Which table of the page is worth copying."""
        return "curve-table" if self.trade else "best-holds"

    @property
    def texts(self) -> dict[int, str]:
        """{place of a piece: its point as JSON}."""
        return {k: json.dumps(point) for k, (_, point) in enumerate(self.pieces) if point}

    def reading(self, value: float, gauge: str | None, digits: int = 5) -> str:
        return show(value, self.rows[gauge]["dimension"], self.display, digits)

    def _best_words(self) -> None:
        f = self.found
        g = self.rows[f["gauge"]]
        limited = any(r["at_least"] is not None or r["at_most"] is not None for r in self.rows.values())
        inside = " inside all limits" if limited else ""
        what = f"{'Highest' if f['highest'] else 'Lowest'} {in_sentence(g['label'])}{inside}{' found so far' if f['ended'] else ''}"
        if f["values"] is None:
            self._nowhere(what)
            return
        self.say(f"{what}: {self.reading(f['reads'], f['gauge'])} at ")
        self.say(self.place(f["values"]), f["values"])
        now = self.space.solution.gauges.get(f["gauge"]) if self.space.solution else None
        if now is not None:
            away = f["reads"] - now
            words = show(abs(away), difference_of(g["dimension"]), self.display, 4)
            same = abs(away) <= 1e-4 * max(abs(now), abs(f["reads"]))
            self.say(", as it is now" if same else f", {words} {'above' if away > 0.0 else 'below'} what it is now")
        self.say(".")

    def _nowhere(self, what: str) -> None:
        f = self.found
        names = [" and ".join(self.limit(i) for i in ids) for ids in f["excluding"][:2]]
        self.say(f"{what}: none of the {f['solves']} points looked at")
        if names:
            apart = any(len(ids) > 1 for ids in f["excluding"])
            self.say(f"; {'; '.join(names)} {'exclude each other' if apart else 'is met at none of them'}")
        elif f["doubtful"]:
            self.say(f"; every one of the {f['doubtful']} points that solved is doubtful")
        if f["nearest"]:
            self.say(". The nearest point is ")
            self.say(self.place(f["nearest"]["values"]), f["nearest"]["values"])
        self.say(".")

    def limit(self, id_: str) -> str:
        g = self.rows[id_]
        signs = (("at_least", "≥"), ("at_most", "≤"))
        return f"{in_sentence(g['label'])} {' and '.join(f'{s} {self.reading(g[n], id_, 4)}' for n, s in signs if g[n] is not None)}"

    @property
    def best_point(self) -> str:
        """The best point, or a trade-off's knee, as JSON, or ''."""
        values = self._chosen()
        return json.dumps(self.point(values)) if values else ""

    @property
    def best_name(self) -> str:
        """What a variant made of it is called if nobody names it."""
        if self.trade:
            return f"knee of {self.words}"[:80]
        return f"best for {in_sentence(self.rows[self.found['gauge']]['label'])}"[:80]

    def _chosen(self) -> list[float] | None:
        if not self.found:
            return None
        if not self.trade:
            return self.found["values"]
        return self.found["points"][self.found["knee"]]["values"] if self.found["knee"] is not None else None

    @property
    def ended(self) -> str:
        """Why the search is not complete, or ''."""
        if not self.found or not self.found["ended"]:
            return ""
        why = "was stopped" if self.found["ended"] == "stopped" else "ran out of solves"
        return f"Not complete: it {why} after {self.found['solves']} solves."

    def holds(self) -> Iterator:
        """Rows (what, its reading, what one unit more gives, whether it holds) of limits, doubts and ends."""
        f = self.found
        g = self.rows[f["gauge"]]
        sat = {(h["of"], h["kind"]): h for h in (*f["holds"], *f["ends"])}
        for h in sat.values():
            words = limit_words(h["of"], h["kind"], self.space.document, h["at"])
            yield words, "on it", worth_words(h, g["dimension"], f["highest"], self.display) or "–", True
        for r in self.rows.values():
            for kind in ("at_least", "at_most"):
                if r[kind] is not None and (r["id"], kind) not in sat:
                    words = limit_words(r["id"], kind, self.space.document, r[kind])
                    yield words, self.reading(f["readings"].get(r["id"]), r["id"], 4), "–", False

    def flat(self) -> Iterator:
        """Rows (knob, now, best, range in which at most 1 % of what the knobs do is lost)."""
        for k, v in zip(self.found["knobs"], self.found["values"], strict=True):
            at = show(v, k["dimension"], self.display, 4)
            yield k["label"], show(self.now(k), k["dimension"], self.display, 4), at, flat_words(self.found, k, self.display)

    @property
    def span(self) -> str:
        """What the knobs move the aim by, in words, or ''."""
        dimension = difference_of(self.rows[self.found["gauge"]]["dimension"])
        return show(self.found["span"], dimension, self.display, 3) if self.found["span"] else ""

    @property
    def at_ends(self) -> str:
        """Which knobs stand at the ends of their ranges, as a sentence, or ''."""
        return end_words(self.found) if not self.trade and self.found["values"] else ""

    @property
    def jumps(self) -> list:
        """Where the price of a medium holds the best point, as sentences."""
        return jump_words(self.found, self.display) if not self.trade and self.found["values"] else []

    @property
    def hidden(self) -> tuple | None:
        """(words, place, point as JSON) of a better point that only doubts keep out, or None."""
        found = None if self.trade else self.found["hidden"]
        if found is None:
            return None
        return hidden_words(self.space.document, self.found), self.place(found["values"]), json.dumps(self.point(found["values"]))

    def now(self, axis: dict[str, Any]) -> float | None:
        """Where a knob stands [SI], or None."""
        return self.space.stands(axis["address"])

    @property
    def band_words(self) -> str:
        """How far unsure data leave the best reading open, as a sentence, or ''."""
        pair = self.found.get("band", {}).get(self.found["gauge"])
        if not pair:
            return ""
        low, high = (self.reading(v, self.found["gauge"], 4) for v in pair)
        of = f", of {self.found['samples']}" if self.found["samples"] else ""
        return f"The data that are not sure leave it between {low} and {high} there (nine samples in ten{of})."

    @property
    def proof(self) -> str:
        """What the answer rests on."""
        return rests_on(self.found)

    def peaks(self) -> Iterator:
        """Other places where a climb ended: (reading, place, point as JSON)."""
        for p in self.found["peaks"]:
            yield self.reading(p["reads"], self.found["gauge"]), self.place(p["values"]), json.dumps(self.point(p["values"]))

    def doubts(self) -> list[tuple]:
        """(code, words, whether it is let pass) of doubts that some solve is under, or that are let pass."""
        codes = dict.fromkeys([*self.entry.passing, *(c for p in self.points for c in p.get("doubts", ()))])
        return [(c, DOUBTS[c], c in self.entry.passing) for c in codes if c in DOUBTS]

    @property
    def so_far(self) -> str:
        """The best reading of the solves that are there, in words."""
        gauge, inside = self.asked.get("aim"), [p for p in self.points if self.state(p) == "inside"]
        if not inside or self.trade or gauge not in self.rows:
            return ""
        pick = max if self.asked["highest"] else min
        return self.reading(pick(p["gauges"][gauge] for p in inside), gauge)

    def state(self, point: dict[str, Any]) -> str:
        """inside, out (beyond a limit), doubt or failed."""
        if not point["solved"]:
            return "failed"
        if point.get("doubts"):
            return "doubt"
        return "out" if any(limit_broken(point, g) for g in self.rows.values()) else "inside"

    @property
    def plot(self) -> dict[str, Any] | None:
        """The curve, or the solves over the knobs, in display units; None where there is nothing."""
        if self.trade and self.found:
            return plots.trade(self)
        return plots.solves(self) if self.points and self.asked.get("aim") in self.rows else None


def table_of(asked: dict[str, Any], points: list[dict[str, Any]]) -> dict[str, list[dict]]:
    """A search's solves, or its curve, as a scan's record for the file: the best first."""
    rows = {g["id"]: g for g in asked["gauges"]}
    if asked["kind"] == "trade-off" and asked.get("points"):
        found = [{"values": p["values"], "value": 0.0, "gauges": p["gauges"], "why": "", "solved": True} for p in asked["points"]]
    else:
        sign = -1.0 if asked["highest"] else 1.0

        def order(p: dict[str, Any]) -> tuple:
            reads = p["gauges"].get(asked["aim"]) if p["solved"] else None
            good = p["solved"] and not p["doubts"] and not any(limit_broken(p, g) for g in rows.values())
            return not good, reads is None, sign * (reads or 0.0)

        empty = dict.fromkeys(rows)
        found = sorted(({**p, "gauges": empty | p["gauges"]} for p in points), key=order)
    return {"axes": asked["axes"], "gauges": asked["gauges"], "points": found}
