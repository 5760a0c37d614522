"""What the page of measurements shows: the sheets, one of them as a table, or a fit as question, answer and pictures."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.measured import WHAT, SheetTrouble, runs_of, table_of
from gulch.engine.measured.what import VESSELS
from gulch.engine.project.edit import seekable
from gulch.engine.project.reading import model_of
from gulch.engine.project.unsure import fits_in_use
from gulch.engine.quantities import DISPLAY_SETS, pretty_unit, show, to_unit
from gulch.engine.species import SpeciesError
from gulch.web.measured.pairs import PairPanel
from gulch.web.measured.pictures import Pictures
from gulch.web.projects.words import pretty_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document import SheetEntry
    from gulch.engine.fitting.answer import Answer
    from gulch.engine.measured import Table
    from gulch.web.measured.answers import FitAnswer
    from gulch.web.measured.pairs import PairAnswer
    from gulch.web.projects.workspace import Workspace

_RAISED = str.maketrans("-.0123456789", "⁻·⁰¹²³⁴⁵⁶⁷⁸⁹")
MOST_ROWS = 400  # of a table that are shown
ERRORS = (
    ("", "of the same size, unknown"),
    ("relative", "a share of each reading, unknown"),
    ("1 %", "1 % of each reading"),
    ("2 %", "2 % of each reading"),
    ("5 %", "5 % of each reading"),
)


@dataclass(frozen=True)
class Line:
    """A sheet or fit in the list. select: how a link chooses it."""

    select: str
    name: str
    words: str
    here: bool


def raised(text: str) -> str:
    """A text with the exponents of its units as one writes them.

    >>> raised("2 L^2/(mol kg min)")
    '2 L²/(mol kg min)'
    """
    return re.sub(r"\^(-?[\d.]+)", lambda m: m[1].translate(_RAISED), text)


class MeasuredPage:
    """The list at the side, and what is chosen of it."""

    def __init__(self, space: Workspace, answer: FitAnswer, boils: PairAnswer | None) -> None:
        self.space, self.document = space, space.document
        head, _, rest = space.select.partition(":")
        self.boiling = PairPanel(space)
        self.pair = self.boiling.detail(boils)
        sheet = space.document.sheet(rest) if head == "sheet" else None
        if sheet is None and answer.entry is None and self.pair is None and space.document.measurements:
            sheet = space.document.measurements[0]
        self.sheet = SheetPage(space, sheet) if sheet is not None else None
        self.fit = FitPage(space, answer, rest.partition(":")[2]) if answer.entry is not None and self.sheet is None else None
        self.ready = any(r.rate is not None for r in self.document.reactions)

    def sheets(self) -> Iterator[Line]:
        for s in self.document.measurements:
            here = self.sheet is not None and self.sheet.entry.id == s.id
            yield Line(f"sheet:{s.id}", s.shown, counted(self.space, s), here)

    def pairs(self) -> Iterator[Line]:
        """Pairs whose boiling was measured: their points and fits stand at the pair's diagram."""
        for m in self.document.phase_model.measured:
            a, b = m.pair
            words = f"{len(m.points)} point{'' if len(m.points) == 1 else 's'} at {pretty_text(m.at)}"
            yield Line(f"pair:{a}:{b}", f"{a} – {b}", words, self.pair is not None and {self.pair.a, self.pair.b} == {a, b})

    def other_pairs(self) -> list[tuple]:
        """Pairs of what can boil that nobody measured yet."""
        known = {frozenset(m.pair) for m in self.document.phase_model.measured}
        return [p for p in self.boiling.choices() if frozenset(p) not in known]

    def fits(self) -> Iterator[Line]:
        for f in self.document.fits:
            here = self.fit is not None and self.fit.entry.id == f.id
            words = ", ".join(w for a, w in seekable(self.document, f) if a in f.free) or "nothing sought yet"
            yield Line(f"fit:{f.id}", f.name or f"fit of {f.set or '–'}", words, here)


def counted(space: Workspace, sheet: SheetEntry) -> str:
    """What a sheet holds in few words: 36 readings, 3 runs, 4 replicates."""
    try:
        runs = runs_of(space.document, sheet, model_of(space.document))
    except (SheetTrouble, SpeciesError) as error:
        return str(error).partition(": ")[2] or str(error)
    readings = [r for run in runs for r in run.readings]
    places: dict[tuple, int] = {}
    for r in readings:
        key = (r.run, r.point, r.what, r.species)
        places[key] = places.get(key, 0) + 1
    again = sum(n - 1 for n in places.values())
    words = f"{len(readings)} readings, {len(runs)} run{'s' if len(runs) > 1 else ''}"
    return words + (f", {again} replicate{'s' if again > 1 else ''}" if again else "")


class SheetPage:
    """One sheet: what it was measured in, its columns and rows."""

    def __init__(self, space: Workspace, entry: SheetEntry) -> None:
        self.space, self.document, self.entry = space, space.document, entry
        self.table: Table = table_of(space.document, entry)
        self.words = counted(space, entry)
        self.stands = not self.words[:1].isupper() and self.words[:1].isdigit()

    def vessels(self) -> list[tuple]:
        return [(v, words, v == self.entry.vessel) for v, words in VESSELS.items()]

    def phases(self) -> list[tuple]:
        return [(v, v, v == self.entry.phase) for v in ("liquid", "vapour")]

    def fields(self) -> list[tuple]:
        """(field, label, text, placeholder) of what holds for all rows."""
        e, has = self.entry, {c.what for c in self.table.columns}
        rows = []
        if e.vessel != "constants":
            if "pressure" not in has:
                rows.append(("pressure", "pressure", pretty_text(e.pressure or ""), "1 atm"))
            if e.vessel != "differential":
                rows.append(("catalyst", "catalyst per volume", pretty_text(e.catalyst or ""), "none"))
                rows.append(("surface", "surface per volume", pretty_text(e.surface or ""), "none"))
            if e.vessel in ("tube", "tank"):
                rows.append(("void", "void fraction", pretty_text(e.void or ""), "100 %"))
        if "temperature" not in has:
            rows.insert(0, ("temperature", "temperature", pretty_text(e.temperature or ""), "as in “60 °C”"))
            if e.vessel in ("batch-volume", "batch-pressure"):
                rows.append(("course", "or its course", pretty_text(e.course or ""), "0 min 25 degC; 10 min 60 degC"))
        return rows

    def charged(self) -> list[tuple]:
        """(species, label, text, placeholder) of what may be charged."""
        if self.entry.vessel == "constants":
            return []
        told = {c.species: c.head for c in self.table.columns if c.what in ("start", "feed-fraction", "feed-pressure", "feed-flow")}
        return [
            (s.id, s.shown, pretty_text(self.entry.charge.get(s.id, "")), f"column {told[s.id]}" if s.id in told else "")
            for s in self.document.species
        ]

    def reactions(self) -> list[tuple]:
        return [(r.id, r.id == self.entry.reaction) for r in self.document.reactions]

    def columns(self) -> Iterator[dict[str, Any]]:
        """Each column with what it may hold."""
        for c in self.table.columns:
            choices = [(k, w.words, k == c.what) for k, w in WHAT.items() if self.entry.vessel in w.vessels]
            yield {
                "number": c.number,
                "head": c.head,
                "choices": [("", "left aside", not c.what), *choices],
                "species": [(s.id, s.shown, s.id == c.species) for s in self.document.species],
                "of_species": c.what in WHAT and WHAT[c.what].per_species or bool(c.named),
                "unit": pretty_unit(c.unit) if c.unit else "",
                "column": c,
            }

    def rows(self) -> Iterator[tuple]:
        """(number, cells, reason why it is left out or "", whether it is wrong)."""
        for number in list(self.table.rows)[:MOST_ROWS]:
            yield number, self.table.texts[number], self.entry.left_out.get(str(number), ""), number in self.table.wrong

    @property
    def more(self) -> int:
        return max(len(self.table.rows) - MOST_ROWS, 0)


class FitPage:
    """A fit: its question, its answer and its pictures. shown: which response is drawn."""

    def __init__(self, space: Workspace, answer: FitAnswer, shown: str) -> None:
        assert answer.entry is not None
        self.space, self.document, self.entry = space, space.document, answer.entry
        self.pending, self.trouble, self.study = answer.pending, answer.trouble, answer.study
        self.stopped = answer.stopped
        self.answer: Answer | None = answer.study.answer if answer.study is not None and not answer.trouble else None
        what, _, species = shown.partition(":")
        response = (what, int(species)) if species.lstrip("-").isdigit() else None
        self.pictures = Pictures(self.document, self.answer, response) if self.answer is not None else None

    def sheets(self) -> list[tuple]:
        return [(s.id, s.shown, s.id in self.entry.sheets) for s in self.document.measurements]

    def sets(self) -> list[tuple]:
        return [(s.id, s.id == self.entry.set) for s in self.document.reaction_sets]

    def free(self) -> list[tuple]:
        return [(a, words, a in self.entry.free) for a, words in seekable(self.document, self.entry)]

    def errors(self) -> list[tuple]:
        typed = self.entry.errors.get("", "")
        known = [(v, w, v == typed) for v, w in ERRORS]
        if any(here for *_, here in known):
            return known
        return [*known, (typed, f"{typed} of each reading" if typed.endswith("%") else typed, True)]

    def headline(self) -> str:
        """What was found, as one writes it."""
        if self.answer is None:
            return ""
        unit = DISPLAY_SETS[self.document.display].unit("temperature")
        at = f"{to_unit(self.answer.T, unit, 'temperature'):.5g} {pretty_unit(unit)}"
        parts = []
        for n in self.answer.numbers:
            symbol = n.symbol.replace("k", f"k({at})", 1) if n.kind in ("k", "back_k") else n.symbol
            parts.append(f"{symbol} = {n.text}" if n.text != "not determined" else f"{symbol} is not determined")
        return raised(", ".join(parts)) + "."

    def said(self) -> list[str]:
        return list(self.answer.said) if self.answer is not None else []

    @property
    def usable(self) -> bool:
        return self.answer is not None and all(n.text != "not determined" for n in self.answer.numbers)

    @property
    def used(self) -> bool:
        """Whether what was found stands in the laws already."""
        found = self.entry.found if self.entry in fits_in_use(self.document) else None
        if self.answer is None or found is None or found.numbers != [n.address for n in self.answer.numbers]:
            return False
        if any(".lnK_" in a for a in found.numbers):  # A and B stand there for K and its heat
            return True
        return all(abs(v - n.phi) <= 0.02 * n.sigma for v, n in zip(found.values, self.answer.numbers, strict=True))

    def to_use(self) -> str:
        """What is posted to use it."""
        a = self.answer
        if a is None:
            return "{}"
        numbers = [{k: v for k, v in vars(n).items() if k not in ("curve", "text")} | {"curve": [], "text": ""} for n in a.numbers]
        kept = {"T": a.T, "numbers": numbers, "covariance": a.covariance, "freedom": a.freedom, "sizes": a.sizes}
        return json.dumps({"id": self.entry.id, "answer": json.dumps(kept)})

    def tabs(self) -> list[tuple]:
        """(select, words, here) of the responses that can be drawn."""
        p = self.pictures
        if p is None or len(p.responses) < 2:
            return []
        return [(f"fit:{self.entry.id}:{w}:{s}", p.name((w, s)), (w, s) == p.response) for w, s in p.responses]

    def numbers(self) -> Iterator[dict[str, Any]]:
        """Each number with both intervals and its bounds."""
        if self.answer is None:
            return
        for n in self.answer.numbers:
            ends = tuple("–" if v is None else f"{v:.4g}" for v in (n.low, n.high))
            linear = tuple(f"{v:.4g}" for v in n.linear)
            yield {
                "address": n.address,
                "symbol": n.symbol,
                "value": f"{n.value:.5g}",
                "unit": raised(n.unit),
                "profile": f"{ends[0]} to {ends[1]}",
                "linear": f"{linear[0]} to {linear[1]}",
                "low": self.entry.low.get(n.address, ""),
                "high": self.entry.high.get(n.address, ""),
            }

    def correlations(self) -> list[tuple]:
        """(two numbers, their correlation), the closest first."""
        a = self.answer
        if a is None or not a.correlation:
            return []
        pairs = [(a.numbers[j].symbol, a.numbers[i].symbol, a.correlation[i][j]) for i in range(len(a.numbers)) for j in range(i)]
        pairs.sort(key=lambda p: -abs(p[2]))
        return [(f"{x}, {y}", f"{r:.2f}".replace("-", "−")) for x, y, r in pairs[:6]]

    def scatter(self) -> list[tuple]:
        """(response, size of its error, whether it was typed)."""
        out = []
        for what, (size, relative, known) in (self.answer.sizes if self.answer else {}).items():
            dimension = WHAT[what].dimension
            words = show(size, dimension, self.document.display, 2) if dimension else f"{size:.2g}"
            words = f"{100.0 * size:.2g} % of a reading" if relative else words
            out.append((WHAT[what].words, words, "as typed" if known else "found"))
        return out

    def rivals(self) -> list[Any]:
        return self.study.rivals if self.study is not None else []

    def plots(self) -> list[tuple]:
        """(id, title, data) of each picture."""
        p = self.pictures
        if p is None or not p.points:
            return []
        drawn = [
            ("fit-through", "Through the points", p.through()),
            ("fit-parity", "Measured against computed", p.parity()),
            ("fit-off", "Residuals", p.off()),
            ("fit-arrhenius", "ln k over 1/T, with its band", p.arrhenius()),
            ("fit-ellipse", "What hangs together, 95 %", p.ellipse()),
        ]
        return [(id_, title, data) for id_, title, data in drawn if data is not None]
