"""What the plots of a fit draw, in the units shown."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.measured import WHAT
from gulch.engine.measured.what import RATES
from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.fitting.answer import Answer, Found

R = 8.314462618
BAND = 31  # points of a band
AROUND = 61  # of an ellipse


class Pictures:
    """The plots of an Answer. response: (what, species) of the readings that are drawn."""

    def __init__(self, document: Project, answer: Answer, response: tuple[str, int] | None) -> None:
        self.document, self.answer = document, answer
        self.display = document.display
        self.units = DISPLAY_SETS[self.display]
        self.responses = list(dict.fromkeys((p.what, p.species) for p in answer.points))
        self.response = response if response in self.responses else self.responses[0] if self.responses else ("", -1)
        self.points = [p for p in answer.points if (p.what, p.species) == self.response]

    def name(self, response: tuple[str, int]) -> str:
        """A response as an axis writes it: c(A)."""
        what, species = response
        symbol = WHAT[what].symbol if what in WHAT else what
        return f"{symbol}({self.document.species[species].shown})" if species >= 0 else symbol

    def shown(self, value: float, dimension: str) -> float:
        """A number as it stands before the unit shown."""
        return to_unit(value, self.units.unit(dimension), dimension) if dimension else value

    def axis(self, what: str, name: str) -> str:
        """The title of an axis: name and unit."""
        dimension = WHAT[what].dimension if what in WHAT else ""
        unit = pretty_unit(self.units.unit(dimension)) if dimension else ""
        return f"{name} [{unit}]" if unit else name

    def through(self) -> dict[str, Any]:
        """Readings and curves over what runs along, a colour a run; over temperature where nothing does."""
        what, _ = self.response
        dimension = WHAT[what].dimension
        along = next((a for a in self.answer.along if a), "")
        x_of = WHAT[along].dimension if along else "temperature"
        runs = []
        for i, name in enumerate(self.answer.runs):
            own = [p for p in self.points if p.run == i]
            curve = next((c for c in self.answer.curves if c.run == i and (c.what, c.species) == self.response), None)
            if own:
                runs.append(
                    {
                        "name": name,
                        "x": [self.shown(p.s if along else p.T, x_of) for p in own],
                        "y": [self.shown(p.measured, dimension) for p in own],
                        "rows": [p.row for p in own],
                        "curve": [
                            [self.shown(s, x_of) for s in curve.s],
                            [self.shown(v, dimension) for v in curve.value],
                        ]
                        if curve
                        else [[], []],
                    }
                )
        symbol = WHAT[along].symbol if along else "T"
        return {
            "kind": "fit-through",
            "runs": runs if along else [self._merged(runs)] if runs else [],
            "x": self.axis(along or "temperature", symbol),
            "y": self.axis(what, self.name(self.response)),
            "log": what in ("k", "K"),
        }

    @staticmethod
    def _merged(runs: list[dict[str, Any]]) -> dict[str, Any]:
        """Single readings at many conditions as one row of points."""
        return {"name": "measured", "curve": [[], []]} | {k: [v for r in runs for v in r[k]] for k in ("x", "y", "rows")}

    def parity(self) -> dict[str, Any]:
        """Measured against computed."""
        what, _ = self.response
        dimension = WHAT[what].dimension
        return {
            "kind": "fit-parity",
            "x": [self.shown(p.computed, dimension) for p in self.points],
            "y": [self.shown(p.measured, dimension) for p in self.points],
            "runs": [p.run for p in self.points],
            "rows": [p.row for p in self.points],
            "title": self.axis(what, self.name(self.response)),
            "log": what in ("k", "K", *RATES),
        }

    def off(self) -> dict[str, Any]:
        """Residuals in standard deviations, over the way, temperature, run and what is computed."""
        along = next((a for a in self.answer.along if a), "")
        what, _ = self.response
        over = []
        if along:
            values = [self.shown(p.s, WHAT[along].dimension) for p in self.points]
            over.append({"label": self.axis(along, WHAT[along].symbol), "x": values})
        over.append({"label": self.axis("temperature", "T"), "x": [self.shown(p.T, "temperature") for p in self.points]})
        over.append({"label": "computed", "x": [self.shown(p.computed, WHAT[what].dimension) for p in self.points]})
        over.append({"label": "run", "x": [p.run + 1 for p in self.points]})
        over.append({"label": "leverage", "x": [p.leverage for p in self.points]})
        return {
            "kind": "fit-off",
            "over": over,
            "y": [p.off for p in self.points],
            "runs": [p.run for p in self.points],
            "rows": [p.row for p in self.points],
        }

    def arrhenius(self) -> dict[str, Any] | None:
        """ln k over 1000 K/T with the band of 95 % and each temperature's own k; None where no k is sought with its energy."""
        drawn = []
        place = {n.address: i for i, n in enumerate(self.answer.numbers)}
        for i, n in enumerate(self.answer.numbers):
            if n.kind not in ("k", "back_k"):
                continue
            energy = place.get(n.address[: -len(n.kind)] + n.kind.replace("k", "energy"))
            own = [s for s in self.answer.singles if s.address == n.address]
            if energy is None or len(own) < 2:
                continue
            drawn.append(self._line(n, self.answer.numbers[energy], i, energy, own))
        return {"kind": "fit-arrhenius", "lines": drawn} if drawn else None

    def _line(self, k: Found, E: Found, i: int, j: int, own: list) -> dict[str, Any]:
        ends = [1.0 / s.T for s in own]
        x = np.linspace(min(ends), max(ends), BAND)
        V = np.array(self.answer.covariance)
        d = -(x - 1.0 / self.answer.T) / R
        ln_k = math.log(k.value) + d * E.phi
        half = self._quantile() * np.sqrt(np.maximum(V[i, i] + 2.0 * d * V[i, j] + d**2 * V[j, j], 0.0))
        return {
            "name": f"ln ({k.symbol} / ({k.unit.replace('^2', '²').replace('^3', '³')}))",
            "x": (1000.0 * x).tolist(),
            "y": ln_k.tolist(),
            "low": (ln_k - half).tolist(),
            "high": (ln_k + half).tolist(),
            "own": [[1000.0 / s.T for s in own], [s.ln_k for s in own], [s.sigma for s in own]],
            "T": [show(s.T, "temperature", self.display) for s in own],
        }

    def _quantile(self) -> float:
        known = all(known for _, _, known in self.answer.sizes.values())
        return 1.96 if known else float(scipy.stats.t.ppf(0.975, max(self.answer.freedom, 1)))

    def ellipse(self) -> dict[str, Any] | None:
        """The region in which the two numbers that hang together most lie, 95 times in 100, and their values."""
        r = np.array(self.answer.correlation)
        if r.size < 4:
            return None
        off = np.abs(np.tril(r, -1))
        b, a = (int(v) for v in np.unravel_index(int(np.argmax(off)), off.shape))
        V = np.array(self.answer.covariance)[np.ix_([a, b], [a, b])]
        if not np.all(np.isfinite(V)):
            return None
        known = all(known for _, _, known in self.answer.sizes.values())
        size = scipy.stats.chi2.ppf(0.95, 2) if known else 2.0 * scipy.stats.f.ppf(0.95, 2, max(self.answer.freedom, 1))
        turn = np.linspace(0.0, 2.0 * math.pi, AROUND)
        axes, vectors = np.linalg.eigh(V)
        ring = vectors @ (np.sqrt(np.maximum(axes, 0.0) * size)[:, None] * np.array([np.cos(turn), np.sin(turn)]))
        numbers = [self.answer.numbers[i] for i in (a, b)]
        return {
            "kind": "fit-ellipse",
            "ring": [self._moved(n, row) for n, row in zip(numbers, ring, strict=True)],
            "at": [n.value for n in numbers],
            "titles": [f"{n.symbol}{f' [{n.unit}]' if n.unit else ''}".replace("^2", "²").replace("^3", "³") for n in numbers],
        }

    @staticmethod
    def _moved(n: Found, by: np.ndarray) -> list[float]:
        if n.logarithmic:
            return (n.value * np.exp(by)).tolist()
        return (n.value + by * (n.value / n.phi if n.phi else 1.0)).tolist()
