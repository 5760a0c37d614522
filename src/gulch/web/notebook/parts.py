"""What a piece of the notebook is made of; one template shows them on the page and in the files."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

WIDEST = 9  # columns of a table on paper, besides its first
LETTERS = 126  # that stand side by side in a table as wide as the paper
WORDY = 40  # letters of a column of words, from which on it breaks its lines
NARROW = 10  # letters below which no column of words is pressed
BOLD = 1.15  # times as wide as another letter
GAP = 4  # letters' width between columns
LEAST = 45  # per cent of the paper that a table takes


def anchor(key: str) -> str:
    """A key of a piece as an id that links and selectors take.

    >>> anchor("result:product.fraction.ethanol")
    'result-product-fraction-ethanol'
    """
    return re.sub(r"[^\w\-]", "-", key)


@dataclass(frozen=True)
class Words:
    """A paragraph. kind: "", "formula", "warning" or "error"."""

    text: str
    kind: str = ""


@dataclass(frozen=True)
class Head:
    """A heading inside a piece."""

    text: str


@dataclass(frozen=True)
class Table:
    """Rows of text under their heads. heads: (words, unit); rows: lists of texts, the first of each its name.

    worded: places of columns that hold words and not figures.
    """

    heads: tuple
    rows: list
    worded: frozenset = frozenset()
    name: str = ""  # for those who find it by its id

    def split(self) -> list[Table]:
        """Tables no wider than paper is, each with the first column."""
        rest = len(self.heads) - 1
        count = max(-(-rest // WIDEST), -(-int(sum(self._least())) // int(1.02 * LETTERS)))
        if count <= 1 or rest < 2:
            return [self]
        wide = -(-rest // count)
        found = []
        for begin in range(1, len(self.heads), wide):
            places = [0, *range(begin, min(begin + wide, len(self.heads)))]
            worded = frozenset(i for i, p in enumerate(places) if p in self.worded)
            found.append(Table(tuple(self.heads[p] for p in places), [[r[p] for p in places] for r in self.rows], worded, self.name))
        return found

    def _least(self) -> list[float]:
        """Letters that each column needs at the least: words can break, figures cannot."""
        wordy = {0} | self.worded
        return [(max(NARROW, self._longest_word(i)) if i in wordy else self._figures(i)) + GAP for i in range(len(self.heads))]

    @property
    def widths(self) -> tuple:
        """(per cent of the paper that it takes, [per cent of that for each column]): said, so that nobody has to try all cells."""
        needs, least = [self._need(i) + GAP for i in range(len(self.heads))], self._least()
        beyond, room = sum(needs) - LETTERS, sum(max(n - m, 0) for n, m in zip(needs, least, strict=True))
        if beyond > 0 and room > 0:
            needs = [n - min(1.0, beyond / room) * max(n - m, 0) for n, m in zip(needs, least, strict=True)]
        whole = sum(needs)
        return min(100, max(LEAST, round(100 * whole / LETTERS))), [round(100 * n / whole, 1) for n in needs]

    def _need(self, i: int) -> float:
        """Letters side by side that a column would like: all of a figure, a line of words, a short head."""
        if i == 0 or i in self.worded:
            longest = max((len(r[i]) for r in self.rows), default=0)
            return max(min(longest, WORDY), self._longest_word(i), min(len(self.heads[i][0]), 12))
        return max(self._figures(i), min(len(self.heads[i][0]), 12))

    def _figures(self, i: int) -> float:
        """Letters of the longest figure of a column, and of the longest word above it."""
        return max(self._longest_word(i), len(self.heads[i][1]), *(len(r[i]) for r in self.rows), 0)

    def _longest_word(self, i: int) -> float:
        cells = [w for r in self.rows for w in r[i].split(" ")] if i == 0 or i in self.worded else []
        bold = [BOLD * len(w) for w in self.heads[i][0].split(" ")]
        return max(*bold, *(len(w) for w in cells), 0)

    @property
    def lines(self) -> list[tuple]:
        """[(name, [(text, whether it is words)])] of the rows."""
        return [(r[0], [(t, i in self.worded) for i, t in enumerate(r[1:], 1)]) for r in self.rows]

    @property
    def columns(self) -> list[tuple]:
        """[(words, unit, whether it holds words)] of the heads."""
        return [(words, unit, i == 0 or i in self.worded) for i, (words, unit) in enumerate(self.heads)]


@dataclass(frozen=True)
class Figure:
    """A drawing that the browser makes. key: names it; data: of a plot, None for the map."""

    key: str
    title: str
    data: dict | None = None

    @property
    def block(self) -> str:
        """The id of its block of data."""
        return f"figure-{anchor(self.key)}"


@dataclass
class Section:
    """A piece with what it holds. key: names it; empty: what is said where it holds nothing."""

    key: str
    title: str
    comment: str = ""
    parts: list = field(default_factory=list)
    empty: str = ""
    comment_html: str = ""
    telling: bool = False  # whether that it is empty says something to who reads the report
    place: int = 0

    @property
    def anchor(self) -> str:
        return anchor(self.key)

    @property
    def up(self) -> int:
        return max(self.place - 1, 0)

    @property
    def down(self) -> int:
        return self.place + 1

    def say(self, text: str, kind: str = "") -> None:
        """Add a paragraph, where there is something to say."""
        if text:
            self.parts.append(Words(text, kind))

    def head(self, text: str) -> None:
        self.parts.append(Head(text))

    def table(self, heads: tuple, rows: list, worded: range | tuple = (), name: str = "") -> None:
        """Add a table, where it has rows; heads: (words, unit), or words alone."""
        rows = [list(r) for r in rows]
        if rows:
            heads = tuple((h, "") if isinstance(h, str) else h for h in heads)
            self.parts.extend(Table(heads, rows, frozenset(worded), name).split())

    def figure(self, key: str, title: str, data: dict[str, Any] | None = None) -> None:
        self.parts.append(Figure(key, title, data))

    @property
    def shown(self) -> list[tuple]:
        """[(kind, part)] for the template."""
        return [(type(p).__name__.lower(), p) for p in self.parts]
