"""The answer of a scan in words, with the figures that can be carried back to the process."""

import json

from gulch.engine.exchange import DOUBTS
from gulch.engine.quantities import QuantityError, difference_of, parse, show, write
from gulch.engine.scans import answer_of
from gulch.web.projects.words import pretty_text


def shown_gauge(result, entry):
    """The gauge of which the best is told: the one chosen, else the first without limits, else the first."""
    gauges = result["gauges"]
    chosen = next((g for g in gauges if g["id"] == entry.shows), None)
    free = next((g for g in gauges if g["at_least"] is None and g["at_most"] is None), None)
    return chosen or free or gauges[0]


class Sentence:
    """The answer of a result. pieces: (text, point) each; a point is {address: document text} to be carried back."""

    def __init__(self, result, entry, space):
        self.result, self.display, self.space = result, space.display, space
        self.gauges = {g["id"]: g for g in result["gauges"]}
        self.shown = shown_gauge(result, entry)
        self.highest = entry.aim == "highest"
        self.axes = result.get("axes") or [result]
        self.within = _share(entry.within)
        self.answer = answer_of(result, self.shown["id"], self.highest, entry.passing, self.within)
        self.pieces, self.passing = [], entry.passing
        if self.answer.limited and len(self.axes) == 1:
            self.window()
        elif self.answer.limited:
            self.say(f"{self.answer.inside} of {len(result['points'])} points meet all limits." if self.answer.inside else "")
        if self.answer.limited and not (self.answer.inside or self.answer.windows):
            self.nowhere()
        if self.answer.best is not None:
            self.best()
        elif self.answer.inside:
            self.say(" Every point inside the limits is doubtful, so none is called best.")
        self.left_out()

    @property
    def texts(self):
        """{place of a piece: its point as JSON}."""
        return {k: json.dumps(point) for k, (_, point) in enumerate(self.pieces) if point}

    @property
    def best_text(self):
        """The best point as JSON, or ''."""
        return json.dumps(self.point(self.answer.best.values)) if self.answer.best else ""

    @property
    def best_name(self):
        """What a variant made of the best point is called if nobody names it."""
        return pretty_text(", ".join(self.point(self.answer.best.values).values()))

    def say(self, text, point=None):
        if text:
            self.pieces.append((text, point))

    def point(self, values):
        """{address: document text} of values of the knobs [SI]."""
        return {a["address"]: write(v, a["dimension"], self.display, 7) for a, v in zip(self.axes, values, strict=True)}

    def knob(self, value, axis=0):
        a = self.axes[axis]
        return show(value, a["dimension"], self.display, 4)

    def window(self):
        answer, values = self.answer, [p["value"] for p in self.result["points"]]
        if not answer.windows:
            return
        label = self.axes[0]["label"]
        if answer.windows == [(values[0], values[-1])]:
            self.say(f"All limits hold over the whole range of {label}.")
            return
        self.say("All limits hold from ")
        for k, (low, high) in enumerate(answer.windows):
            self.say(" and from " if k else "")
            self.say(self.knob(low), self.point([low]))
            self.say(" to ")
            self.say(self.knob(high), self.point([high]))
        self.say(f" of {label}")
        ends = [f"{side}, {self.broken(end)}" for side, end in zip(("below", "above"), answer.ends[0], strict=True) if end]
        self.say("; " + "; ".join(ends) + "." if len(answer.windows) == 1 and ends else ".")
        if answer.drawn:
            self.say(" An end for which the limit was typed after the run is drawn between its points: run it again to have it solved.")

    def broken(self, end):
        id_, limit = end
        if limit == "failed":
            return "it does not solve"
        return f"{self.gauges[id_]['label']} is too {'low' if limit == 'at_least' else 'high'}"

    def nowhere(self):
        """No point meets all limits: which exclude which, and the nearest point."""
        names = [" and ".join(self.limit(i) for i in ids) for ids in self.answer.excluding[:2]]
        apart = any(len(ids) > 1 for ids in self.answer.excluding)
        self.say("No point meets all limits")
        self.say(f": {'; '.join(names)} {'exclude each other' if apart else 'is met at none of them'}" if names else "")
        nearest = self.answer.nearest
        if nearest:
            values = nearest.get("values", [nearest["value"]])
            self.say(". The nearest point is ")
            self.say(self.place(values), self.point(values))
        self.say(".")

    def limit(self, id_):
        g = self.gauges[id_]
        parts = [
            f"{sign} {show(g[n], g['dimension'], self.display, 4)}" for n, sign in (("at_least", "≥"), ("at_most", "≤")) if g[n] is not None
        ]
        return f"{g['label']} {' and '.join(parts)}"

    def place(self, values):
        return " and ".join(
            f"{a['label']} {self.knob(v, k)}" if len(values) > 1 else self.knob(v, k)
            for k, (v, a) in enumerate(zip(values, self.axes, strict=True))
        )

    def best(self):
        g, best = self.shown, self.answer.best
        inside = " inside all limits" if self.answer.limited and len(self.axes) > 1 else ""
        self.say(
            f" {'Highest' if self.highest else 'Lowest'} {g['label']}{inside}: {show(best.reads, g['dimension'], self.display, 5)} at "
        )
        self.say(self.place(best.values), self.point(best.values))
        now = self.space.solution.gauges.get(g["id"]) if self.space.solution else None
        if now is not None:
            away = best.reads - now
            words = show(abs(away), difference_of(g["dimension"]), self.display, 3)
            same = abs(away) <= 1e-6 * max(abs(now), abs(best.reads))
            self.say(", as now" if same else f", {words} {'above' if away > 0.0 else 'below'} what it is now")
        self.say(".")
        for k, (low, high) in enumerate(self.answer.near):
            self.say(f" Within {show(self.within, 'fraction', self.display, 3)} of that from " if k == 0 else " and from ")
            self.say(self.knob(low), self.point([low]))
            self.say(" to ")
            self.say(self.knob(high), self.point([high]))
        self.say("." if self.answer.near else "")

    def left_out(self):
        if self.answer.doubtful:
            self.say(f" {_points(self.answer.doubtful)} doubtful and never called best.")
        if self.answer.failed:
            self.say(f" {_points(self.answer.failed)} left out: the process did not solve there.")

    @property
    def doubts(self):
        """(code, words, whether it is let pass) of the doubts that some point is under."""
        codes = dict.fromkeys(c for p in self.result["points"] for c in p.get("doubts", ()))
        return [(c, DOUBTS[c], c in self.passing) for c in codes if c in DOUBTS]

    @property
    def now(self):
        """Values of the knobs as they are typed [SI], or None."""
        try:
            return [parse(self.space.inputs[a["address"]].text, a["dimension"]) for a in self.axes]
        except (KeyError, QuantityError, TypeError, AttributeError):
            return None


def _share(text):
    """A typed share as a number, or None."""
    try:
        return parse(text, "fraction") if text else None
    except QuantityError:
        return None


def _points(n):
    return f"{n} point is" if n == 1 else f"{n} points are"
