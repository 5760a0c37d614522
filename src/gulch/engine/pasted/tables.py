"""A pasted table as cells; numbers as spreadsheets of any country write them; units in the head row."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import NamedTuple

from gulch.engine.quantities import QuantityError, complete, parse

MOST_ROWS, MOST_COLUMNS, MOST_CHARACTERS = 2000, 300, 200_000
LONGEST_HEAD = 120  # characters of a head cell that is looked through for a unit
EMPTY = ("", "-", "–", "—", "n/a", "na", "nan")
_UNIT = re.compile(r"^(?P<words>.*?)\s*(?:\[(?P<a>[^\]]*)\]|\((?P<b>[^()]*(?:\([^()]*\)[^()]*)*)\)|\s/\s*(?P<c>\S.*)|,\s+(?P<d>\S+))$")
_NUMBER = re.compile(r"^[+\-−]?[\d.,'’\u00a0\u2009\u202f]*\d")
_THOUSANDS = re.compile(r"[+\-−]?\d{1,3}(?:[.,]\d{3})+")
_GROUPS = re.compile(r"['’\u00a0\u2009\u202f]")


class Head(NamedTuple):
    """A cell of the head row: its words, and the unit that it gives its column."""

    words: str
    unit: str


@dataclass(frozen=True)
class Cell:
    """A cell with its place, as the sentences about it say it."""

    text: str
    place: str

    @property
    def empty(self) -> bool:
        """Whether nothing stands there."""
        return self.text.lower() in EMPTY


def rows_of(text: str) -> list[list[str]]:
    """Cells of a pasted table, row by row, empty rows left out. Raises QuantityError where there is none, or too much.

    Columns stand apart by tabs; without any by semicolons, bars, commas before a blank, or two blanks and more.
    """
    if len(text) > MOST_CHARACTERS:
        raise QuantityError(f"The table is longer than {MOST_CHARACTERS} characters: paste a part of it.")
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines:
        raise QuantityError("Nothing is pasted yet: copy cells of a spreadsheet, head row included, and paste them here.")
    if len(lines) > MOST_ROWS:
        raise QuantityError(f"The table has {len(lines)} rows: paste at most {MOST_ROWS}.")
    mark = next((m for m in ("\t", ";", "|") if any(m in line for line in lines)), None)
    rows = [line.split(mark) if mark else _apart(line) for line in lines]
    rows = [[c.strip().strip('"').strip() for c in row] for row in rows]
    if max(len(r) for r in rows) > MOST_COLUMNS:
        raise QuantityError(f"The table has more than {MOST_COLUMNS} columns: paste a part of it.")
    width = max(len(r) for r in rows)
    return [r + [""] * (width - len(r)) for r in rows]


def _apart(line: str) -> list[str]:
    """Cells of a line without tabs, semicolons or bars."""
    parts = re.split(r"\s{2,}|,\s+", line.strip())
    return parts if len(parts) > 1 else line.split(",")


def head_of(cell: str) -> Head:
    """Words and unit of a head cell.

    >>> head_of("Temperature [°C]"), head_of("water / (kmol/h)"), head_of("T, K"), head_of("flow of n-butane")
    (Head(words='Temperature', unit='°C'), Head(words='water', unit='kmol/h'), Head(words='T', unit='K'), \
Head(words='flow of n-butane', unit=''))
    """
    match = _UNIT.match(cell.strip()) if len(cell) <= LONGEST_HEAD else None
    if match is None:
        return Head(cell.strip(), "")
    unit = next((u for u in (match["a"], match["b"], match["c"], match["d"]) if u is not None), "").strip()
    if unit.startswith("(") and unit.endswith(")"):
        unit = unit[1:-1]
    words = match["words"].strip().removesuffix("/").strip()
    return Head(words, unit) if words else Head(cell.strip(), "")


def plain(text: str) -> str:
    """A cell with its number as the document writes it: a point for decimals, no mark between thousands.

    Raises QuantityError where a comma may be either.

    >>> plain("1.234,5 kg/h"), plain("1 234.5"), plain("0,25 %")
    ('1234.5 kg/h', '1234.5', '0.25 %')
    """
    text = re.sub(r"(?<=\d) (?=\d{3}\b)", "", text.strip())
    match = _NUMBER.match(text)
    if match is None:
        return text
    number, rest = _GROUPS.sub("", match[0]), text[match.end() :]
    commas, points = number.count(","), number.count(".")
    if commas + points > 1:
        decimal = max(number.rfind(","), number.rfind(".")) if commas and points else len(number)
        if not _THOUSANDS.fullmatch(number[:decimal]) or (commas > 1 and points > 1):
            raise QuantityError(f"“{text}” is no number: write decimals with a point and thousands without a mark.")
        number = re.sub(r"[.,]", "", number[:decimal]) + ("." + number[decimal + 1 :] if decimal < len(number) else "")
    elif commas:
        before, _, after = number.partition(",")
        if len(after) == 3 and 1 <= len(before.lstrip("+-−")) <= 3 and before.lstrip("+-−") != "0":
            raise QuantityError(f"“{text}” may be {before}.{after} or {before}{after}: write it without the comma.")
        number = f"{before}.{after}"
    return number + rest


def quantity(cell: Cell, unit: str, dimension: str, display: str) -> str:
    """Document text of a cell in the unit of its column; its own unit counts before that, the one shown without either.

    Raises QuantityError, saying where it stands, where it is no such quantity.
    """
    try:
        text = plain(cell.text)
        if unit and re.fullmatch(r"[+\-−]?[\d.]+(?:[eE][+\-−]?\d+)?", text):
            text = f"{text} {unit}"
        text = complete(text, dimension, display)
        parse(text, dimension)
    except QuantityError as error:
        raise QuantityError(f"{cell.place}: {error}") from None
    return text


def numeric(text: str) -> bool:
    """Whether a cell begins with a number.

    >>> numeric("5 bar"), numeric("S1"), numeric("−3,5")
    (True, False, True)
    """
    return bool(_NUMBER.match(text.strip()))
