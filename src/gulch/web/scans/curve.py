"""What the page of a trade-off shows of its curve: where it runs, where it bends, and its points as a table."""

import json

from gulch.engine.exchange import in_sentence, limit_words
from gulch.engine.quantities import show
from gulch.web.projects.words import show_unit


class Curve:
    """The parts of a `BestPage` that tell of a curve."""

    def _curve_words(self):
        f = self.found
        points = f["points"]

        def both(p):
            return " with ".join(
                f"{in_sentence(a['label'])} {show(v, a['dimension'], self.display, 4)}" for a, v in zip(f["aims"], p["reads"], strict=True)
            )

        if len(points) == 1:
            self.say("Both aims have their best at one point: nothing is traded. ")
            self.say(both(points[0]), points[0]["values"])
            self.say(".")
            return
        self.say("What can be had of one for what of the other: from ")
        self.say(both(points[0]), points[0]["values"])
        self.say(" to ")
        self.say(both(points[-1]), points[-1]["values"])
        self.say(".")
        if f["knee"] is not None:
            knee = points[f["knee"]]
            self.say(" It bends most at ")
            self.say(both(knee), knee["values"])
            self.say(".")

    def held_by(self, point):
        """What holds a point of a trade-off, in words."""
        return "; ".join(limit_words(h["of"], h["kind"], self.space.document) for h in point["holds"]) or "nothing"

    def curve(self):
        """Rows of a trade-off's points."""
        f = self.found
        for i, p in enumerate(f["points"]):
            yield {
                "reads": [show(v, a["dimension"], self.display, 4, unit=False) for a, v in zip(f["aims"], p["reads"], strict=True)],
                "values": [show(v, a["dimension"], self.display, 4, unit=False) for a, v in zip(self.axes, p["values"], strict=True)],
                "holds": self.held_by(p),
                "point": json.dumps(self.point(p["values"])),
                "typed": self.place(p["values"]),
                "knee": i == f["knee"],
                "rough": p["rough"],
            }

    def curve_heads(self):
        return [(a["label"], show_unit(a["dimension"], self.display)) for a in (*self.found["aims"], *self.axes)]
