"""Curves inside a selected unit: the profiles of a plug flow, the heat diagram of a stirred tank."""

import csv
import io

from gulch.engine.exchange import safe
from gulch.engine.project.measures import key_per_product, measured
from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit


class Curves:
    """Prepared for one unit outcome that holds a `profile` or a `diagram`; falsy when it holds neither."""

    def __init__(self, space, unit):
        self.space, self.display = space, space.display
        self.unit = space.document.unit(unit)
        outcome = space.solution.units.get(unit) if space.solution and self.unit else None
        self.values = outcome.values if outcome is not None and outcome.solved else {}
        self.profile, self.diagram = self.values.get("profile"), self.values.get("diagram")

    def __bool__(self):
        return bool(self.profile or self.diagram)

    @property
    def title(self):
        return f"Along {self.unit.id}" if self.profile else f"Heat of {self.unit.id}"

    def label(self, dimension):
        return pretty_unit(DISPLAY_SETS[self.display].unit(dimension))

    def numbers(self, values, dimension):
        unit = DISPLAY_SETS[self.display].unit(dimension)
        return [to_unit(v, unit, dimension) for v in values]

    def way(self):
        """(values, label, unit) of the abscissa."""
        if self.profile["length"]:
            return self.numbers(self.profile["length"], "length"), "length", self.label("length")
        return self.numbers(self.profile["volume"], "volume"), "volume", self.label("volume")

    def groups(self):
        """Plots to choose from: each with its axes and series in display units."""
        p = self.profile
        names = {s.id: s.shown for s in self.space.document.species}
        flows = [
            {"label": names.get(s, s), "axis": 0, "y": self.numbers(v, "molar flow")}
            for s, v in p["flow"].items()
            if max(v) - min(v) > 1e-6 * sum(x[0] for x in p["flow"].values())
        ]
        out = [
            {"id": "composition", "label": "Composition", "axes": [{"label": "flow", "unit": self.label("molar flow")}], "series": flows},
            {
                "id": "state",
                "label": "Temperature and pressure",
                "axes": [
                    {"label": "temperature", "unit": self.label("temperature")},
                    {"label": "pressure", "unit": self.label("pressure")},
                ],
                "series": [
                    {"label": "temperature", "axis": 0, "y": self.numbers(p["T"], "temperature")},
                    {"label": "pressure", "axis": 1, "y": self.numbers(p["P"], "pressure")},
                ],
            },
        ]
        if p.get("coolant"):
            out[1]["series"].insert(1, {"label": "coolant", "axis": 0, "y": self.numbers(p["coolant"], "temperature")})
        kinds = {("rate per mass" if per == "catalyst" else "rate") for per in p["per"].values()}
        axes = sorted(kinds)
        out.append(
            {
                "id": "rates",
                "label": "Rates",
                "axes": [{"label": "rate", "unit": self.label(d)} for d in axes],
                "series": [
                    {
                        "label": r,
                        "axis": axes.index("rate per mass" if p["per"][r] == "catalyst" else "rate"),
                        "y": self.numbers(v, "rate per mass" if p["per"][r] == "catalyst" else "rate"),
                    }
                    for r, v in p["rate"].items()
                ],
            }
        )
        if p["conversion"]:
            series = [
                {
                    "label": f"conversion of {names.get(p['key'], p['key'])}",
                    "axis": 0,
                    "y": self.numbers(p["conversion"], "fraction"),
                }
            ]
            selectivity = self.selectivity()
            if selectivity:
                series.append({"label": "selectivity", "axis": 0, "y": selectivity})
            out.append({"id": "conversion", "label": "Conversion", "axes": [{"label": "share", "unit": "%"}], "series": series})
        return out

    def selectivity(self):
        """Selectivity from the inlet to each point, %, None where nothing is converted yet."""
        m = self.space.document.measures
        if not m or m.key not in self.profile["flow"] or m.product not in self.profile["flow"]:
            return None
        ratio = key_per_product(self.space.document)[0]
        flow = self.profile["flow"]
        before = {s: v[0] for s, v in flow.items()}
        out = []
        for i in range(len(flow[m.key])):
            share = measured((ratio, m.key, m.product), before, {s: v[i] for s, v in flow.items()})[1]
            out.append(100.0 * share if share is not None else None)
        return out

    def unchanged(self):
        """Names of species that pass through as they are, which the plot leaves out."""
        p = self.profile
        names = {s.id: s.shown for s in self.space.document.species}
        still = 1e-6 * sum(x[0] for x in p["flow"].values()) if p else 0.0
        return [names.get(s, s) for s, v in p["flow"].items() if max(v) > 0.0 and max(v) - min(v) <= still] if p else []

    def peaks(self):
        """Sentences on maxima inside the reactor: "ethylene peaks at 2.1 m"."""
        if self.profile:
            T = self.profile["T"]
            at = max(range(len(T)), key=T.__getitem__)
            if 0 < at < len(T) - 1:
                way, dimension = (self.profile["length"], "length") if self.profile["length"] else (self.profile["volume"], "volume")
                yield f"hottest, {show(T[at], 'temperature', self.display)}, at {show(way[at], dimension, self.display, 3)}"
        for p in self.values.get("peaks") or []:
            where = (
                show(p["length"], "length", self.display, 3) if p["length"] is not None else show(p["volume"], "volume", self.display, 3)
            )
            yield f"{p['species']} peaks at {where} with {show(p['flow'], 'molar flow', self.display)}"

    def data(self):
        """What the browser draws."""
        if self.diagram:
            hottest = max((s["T"] for s in self.values.get("steady") or []), default=self.diagram["T"][-1])
            top = hottest + 50.0 + 0.25 * (hottest - self.diagram["T"][0])  # beyond it nothing is decided
            keep = [i for i, T in enumerate(self.diagram["T"]) if top >= T]
            d = {k: [v[i] for i in keep] for k, v in self.diagram.items()}
            return {
                "kind": "heat",
                "x": self.numbers(d["T"], "temperature"),
                "x_label": "temperature",
                "x_unit": self.label("temperature"),
                "axis": self.label("power"),
                "made": self.numbers(d["made"], "power"),
                "removed": self.numbers(d["removed"], "power"),
                "states": [
                    {"x": self.numbers([s["T"]], "temperature")[0], "stable": s["stable"], "runs": s["runs"]}
                    for s in self.values.get("steady") or []
                ],
            }
        x, label, unit = self.way()
        peaks = []
        for p in self.values.get("peaks") or []:
            where = p["length"] if p["length"] is not None else p["volume"]
            dimension = "length" if p["length"] is not None else "volume"
            peaks.append(
                {
                    "x": self.numbers([where], dimension)[0],
                    "y": self.numbers([p["flow"]], "molar flow")[0],
                    "label": f"{p['species']} peaks",
                }
            )
        return {"kind": "profile", "x": x, "x_label": label, "x_unit": unit, "groups": self.groups(), "peaks": peaks}

    def steady(self):
        """Steady states as rows; `typed` is what runs one of them."""
        for s in self.values.get("steady") or []:
            yield {
                "T": show(s["T"], "temperature", self.display),
                "typed": f"{s['T']:.3f} K",
                "stable": s["stable"],
                "runs": s["runs"],
                "conversion": show(s["conversion"], "fraction", self.display),
                "key": s["key"],
            }

    def csv(self):
        """The profile as CSV in display units."""
        text = io.StringIO()
        writer = csv.writer(text)
        p = self.profile
        columns = [("volume", self.label("volume"), self.numbers(p["volume"], "volume"))]
        if p["length"]:
            columns.append(("length", self.label("length"), self.numbers(p["length"], "length")))
        for g in self.groups():
            columns += [(s["label"], g["axes"][s["axis"]]["unit"], s["y"]) for s in g["series"]]
        writer.writerow([safe(f"{label} [{unit}]" if unit else label) for label, unit, _ in columns])
        for row in zip(*(c[2] for c in columns), strict=True):
            writer.writerow(["" if v is None else f"{v:.8g}" for v in row])
        return text.getvalue()
