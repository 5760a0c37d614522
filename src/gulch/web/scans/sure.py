"""How sure, on the page: what is unsure, the band of every gauge, and which datum contributes what."""

from __future__ import annotations

from itertools import combinations
from typing import TYPE_CHECKING, Any, NamedTuple

from gulch.engine.project.inputs import addresses
from gulch.engine.project.unsure import anything_unsure, fits_in_use
from gulch.engine.quantities import difference_of, show
from gulch.engine.scans.sure import WORDS
from gulch.engine.work import SampleData
from gulch.web.projects import solving
from gulch.web.projects.words import pretty_text
from gulch.web.scans.actions import free_knobs
from gulch.web.scans.known import Known, known

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.web.projects.workspace import Workspace


SELECT = "sure"


class SureAnswer(NamedTuple):
    """What is known of how sure the gauges are."""

    known: Known


def sample_data(space: Workspace) -> SureAnswer | None:
    """What sampling has found, or a job that workers begin on now; None on other pages."""
    return sure_of(space) if space.select == SELECT else None


def sure_of(space: Workspace) -> SureAnswer:
    """What sampling has found, or a job that workers begin on now."""
    if not anything_unsure(space.document):
        return SureAnswer(Known())
    if not space.document.gauges:
        return SureAnswer(Known(trouble="No gauge is there to be watched: turn a result into a gauge in Process (○ beside it)."))
    return SureAnswer(known(space, SampleData(space.document.dump(), solving.start_of(space.row)), SELECT))


class SurePage:
    """What is unsure, and what of it."""

    def __init__(self, space: Workspace, answer: SureAnswer | None) -> None:
        self.space, self.document, self.display = space, space.document, space.display
        self.trouble, self.pending = answer.known.trouble, answer.known.pending
        self.found: dict[str, Any] = answer.known.found or {}

    def fitted(self) -> list[tuple]:
        """(numbers, measurements, fit) of fits whose numbers are sampled together."""
        out = []
        for f in fits_in_use(self.document):
            known = addresses(self.document)
            labels = [known[a].label for a in f.found.numbers if a in known] if f.found else []
            out.append((", ".join(labels), f.found.on if f.found else "", f"fit:{f.id}"))
        return out

    def samples(self) -> list[tuple]:
        return [(n, n == self.document.samples) for n in (64, 256, 1024)]

    @property
    def in_tails(self) -> int:
        """On how many samples each end of a band rests."""
        return round(0.05 * 2 * self.document.samples)

    def rows(self) -> Iterator:
        """(key, words, value now, ± as typed, shapes, cause, correlation with it) of what is on the list."""
        inputs = addresses(self.document)
        for e in self.document.spreads:
            found = inputs.get(e.input or "")
            yield (
                e.key,
                self.label(e.what, e.input or e.reaction or e.species),
                pretty_text(found.text) if found else "",
                pretty_text(e.by),
                self.shapes(e.shape),
                e.cause,
                f"{e.correlation:g}",
            )

    def correlated(self) -> list[tuple]:
        """(cause, [(first, second, correlation)]) of data that have one in common."""
        causes: dict[str, list] = {}
        for e in self.document.spreads:
            if e.cause and e.correlation:
                causes.setdefault(e.cause, []).append((self.label(e.what, e.input or e.reaction or e.species), e.correlation))
        told = {c: [(a, b, f"{r * s:.3g}".replace("-", "−")) for (a, r), (b, s) in combinations(own, 2)] for c, own in causes.items()}
        return [(c, rows) for c, rows in told.items() if rows]

    @staticmethod
    def shapes(chosen: str) -> list[tuple]:
        return [(v, w, v == chosen) for v, w in (("even", "evenly"), ("normal", "95 in 100"), ("log-normal", "95 in 100, by factors"))]

    def label(self, what: str, of: str) -> str:
        if what == "input":
            found = addresses(self.document).get(of)
            return found.label if found else of
        shown = next((s.shown for s in self.document.species if s.id == of), of)
        return f"{WORDS[what]} {shown}"

    def choices(self) -> Iterator:
        """(group, [(choice, words)]) of what can be put on the list."""
        taken = {e.key for e in self.document.spreads}
        constants = [("constant", r.id) for r in self.document.reactions]
        rates = [("rate", r.id) for r in self.document.reactions if r.rate is not None and r.rate.law == "power"]
        prices = self.document.prices
        sides = ("bought", "sold")
        priced = [(side, s) for s, p in prices.species.items() for side in sides if getattr(p, side)] if prices else []
        held = {k.input for k in self.document.knobs} - {k.input for k in free_knobs(self.document)}
        set_by = held | {t.sets for t in self.document.ties}
        inputs = [("input", a.address) for a in addresses(self.document).values() if a.text and a.address not in set_by]
        for group, some in (("constants", constants), ("rates", rates), ("prices", priced), ("inputs", inputs)):
            rows = [(f"{what}.{of}", self.label(what, of)) for what, of in some if f"{what}.{of}" not in taken]
            if rows:
                yield group, rows

    def bands(self) -> Iterator:
        """(gauge, now, its band, by what each end may be off, [(share, what it may be off by, words) of each datum, the largest first])."""
        labels = {x["key"]: x["label"] for x in self.found["data"]}
        for g in self.found["gauges"]:
            now, high = (show(g[n], g["dimension"], self.display) for n in ("now", "high"))
            low = show(g["low"], g["dimension"], self.display, unit=False)
            shares = sorted(g["total"].items(), key=lambda pair: -pair[1])
            parts = [(round(100 * v), round(100 * g.get("off", {}).get(k, 0.0)), labels[k]) for k, v in shares if v > 0.005]
            off = [show(x, difference_of(g["dimension"]), self.display, 2, unit=False) for x in g.get("ends_off", [])]
            yield g["label"], now, f"{low} to {high}" if g["low"] is not None else "–", off, parts
