"""A pasted table of measurements: its columns with what they hold, and its rows as numbers in SI."""

from __future__ import annotations

import contextlib
import math
import re
from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING

from gulch.engine.measured.heads import guess
from gulch.engine.measured.what import RATES, VESSELS, WHAT
from gulch.engine.pasted.tables import EMPTY, head_of, numeric, plain, rows_of
from gulch.engine.project.reading import constant_unit, dimension_of_constant
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, conversion, parse, split_text
from gulch.engine.species import SpeciesError, lookup

if TYPE_CHECKING:
    from gulch.engine.document import Project, SheetEntry

MOST_TROUBLES = 8  # that are told one by one
HIGHEST = {"conversion": 1.0, "fraction": 1.0, "feed-fraction": 1.0}
MAY_BE_NEGATIVE = (*RATES, "temperature")


@dataclass(frozen=True)
class Column:
    """number: from 1; what: key of WHAT, "" where it is left aside; unit: as typed; assumed: nobody wrote the unit; named: a species
    that the project lacks."""

    number: int
    head: str
    what: str = ""
    species: str = ""
    unit: str = ""
    dimension: str = ""
    assumed: bool = False
    named: str = ""

    @property
    def symbol(self) -> str:
        """As an axis writes it: c(A)."""
        if not self.what:
            return self.head
        return WHAT[self.what].symbol + (f"({self.species})" if self.species else "")


@dataclass
class Table:
    """rows: {number of the row: {number of the column: SI value, or the text of a run}}; texts: cells as pasted, by row; troubles:
    sentences on what cannot be read; wrong: numbers of rows that do not count because of them."""

    columns: list[Column] = field(default_factory=list)
    rows: dict[int, dict[int, float | str]] = field(default_factory=dict)
    texts: dict[int, list[str]] = field(default_factory=dict)
    troubles: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    wrong: set[int] = field(default_factory=set)

    def of(self, what: str) -> list[Column]:
        """Columns that hold it."""
        return [c for c in self.columns if c.what == what]


@lru_cache(maxsize=64)
def _cells(text: str) -> tuple[tuple[str, ...], ...]:
    return tuple(tuple(row) for row in rows_of(text))


def names_of(project: Project) -> dict[str, str]:
    """{what may stand for a species in a head, in small letters: its id}: ids, names, formulas, and first letters that only one has."""
    found: dict[str, str] = {}
    for s in project.species:
        words = [s.id, s.shown]
        with contextlib.suppress(SpeciesError):
            words.append(lookup(*s.key).formula or s.id)
        for word in words:
            found.setdefault(word.lower(), s.id)
    initials = [s.shown[:1].lower() for s in project.species]
    for letter, s in zip(initials, project.species, strict=True):
        if initials.count(letter) == 1:
            found.setdefault(letter, s.id)
    return found


def table_of(project: Project, sheet: SheetEntry) -> Table:
    """The Table of a sheet; its troubles say what cannot be read."""
    table = Table()
    if not sheet.table.strip():
        table.troubles.append("Nothing is pasted yet: copy cells of a spreadsheet, head row included, and paste them here.")
        return table
    try:
        cells = _cells(sheet.table)
    except QuantityError as error:
        table.troubles.append(str(error))
        return table
    table.texts = {number: list(row) for number, row in enumerate(cells, 1)}
    heads = cells[0]
    if all(numeric(c) or c.lower() in EMPTY for c in heads):
        table.troubles.append(
            "The first row holds numbers: put a head above each column that says what it is, with its unit, as in “t / min” or "
            "“c_A [mol/L]”."
        )
        table.columns = [Column(i, f"column {i}") for i in range(1, len(heads) + 1)]
        return table
    names = names_of(project)
    table.columns = [_column(project, sheet, number, head, names, table) for number, head in enumerate(heads, 1)]
    for number, row in list(enumerate(cells, 1))[1:]:
        _read_row(table, sheet, number, row, project.display)
    _shares(table)
    _told(table, sheet)
    return table


def _column(project: Project, sheet: SheetEntry, number: int, head: str, names: dict[str, str], table: Table) -> Column:
    """The Column of a head, with what the user said of it."""
    typed = sheet.columns.get(str(number))
    found = guess(head, names)
    what, species, unit, named = found.what, found.species, found.unit, found.named
    if what == "pressure" and sheet.vessel == "differential":
        what = "feed-pressure" if species or named else what
    if what in ("partial-pressure", "concentration", "fraction") and sheet.vessel == "differential":
        what = {"partial-pressure": "feed-pressure", "concentration": "start", "fraction": "feed-fraction"}[what]
    if typed is not None:
        what = what if typed.what is None else typed.what
        species = typed.species or (species if what and WHAT.get(what) and WHAT[what].per_species else "")
        unit = typed.unit or unit or head_of(head)[1]
        named = "" if typed.species else named
    if what and (what not in WHAT or sheet.vessel not in WHAT[what].vessels):
        if typed is None or what not in WHAT:
            return Column(number, head, "", named=named)
        table.troubles.append(f"Column {number}, “{head}”: {WHAT[what].words} means nothing in a {VESSELS[sheet.vessel]}.")
        return Column(number, head, "")
    if not what:
        return Column(number, head, named=named)
    dimension = WHAT[what].dimension
    if what == "k":
        dimension = _dimension_of_k(project, sheet, unit)
        if not dimension:
            table.troubles.append(f"Column {number}, “{head}”: {_why_no_k(project, sheet, unit)}")
            return Column(number, head)
    if WHAT[what].per_species and not species and (named or what not in ("mass-time", "volume-time", "conversion")):
        words = f"“{named}” is not among the project's species" if named else "no species is named"
        table.troubles.append(f"Column {number}, “{head}”: {words}. Choose which one it is of.")
        return Column(number, head, named=named)
    assumed = False
    if dimension and not unit and dimension not in ("fraction", "ratio"):
        unit, assumed = DISPLAY_SETS[project.display].unit(dimension), True
    if dimension and unit:
        try:
            conversion("1" if unit in ("-", "–") else unit, dimension)
        except QuantityError as error:
            table.troubles.append(f"Column {number}, “{head}”: {error}")
            return Column(number, head)
    return Column(number, head, what, species, "1" if unit in ("-", "–") else unit, dimension, assumed, named)


def _dimension_of_k(project: Project, sheet: SheetEntry, unit: str) -> str:
    reaction = project.reaction(sheet.reaction or "")
    si = constant_unit(project, reaction, False) if reaction is not None else None
    return (dimension_of_constant(f"1 {unit}", si) or "") if si is not None else ""


def _why_no_k(project: Project, sheet: SheetEntry, unit: str) -> str:
    reaction = project.reaction(sheet.reaction or "")
    if reaction is None:
        return "say of which reaction it is the rate constant."
    if reaction.rate is None or reaction.rate.law != "power":
        return f"{reaction.id} has no power law: give it one, whose orders say what unit k has."
    return f"“{unit or 'no unit'}” does not fit the orders of {reaction.id}: mend the unit in the head, or the orders."


def _read_row(table: Table, sheet: SheetEntry, number: int, row: tuple[str, ...], display: str) -> None:
    values: dict[int, float | str] = {}
    for column in table.columns:
        text = row[column.number - 1]
        if not column.what or text.lower() in EMPTY:
            continue
        if not column.dimension:
            values[column.number] = text
            continue
        try:
            values[column.number] = _value(text, column)
        except QuantityError as error:
            _wrong(table, sheet, number, f"Row {number}, {column.head}: {error}")
            continue
        found = values[column.number]
        if isinstance(found, float) and found < 0.0 and column.what not in MAY_BE_NEGATIVE:
            _wrong(table, sheet, number, f"Row {number}, {column.head}: {text} is below zero. Mend it, or leave the row out.")
    table.rows[number] = values


def _value(text: str, column: Column) -> float:
    """SI value of a cell. Raises QuantityError."""
    bare = plain(text)
    value, unit = split_text(bare)
    if unit:
        return parse(bare, column.dimension)
    factor, offset = conversion(column.unit or "1", column.dimension)
    found = value * factor + offset
    if column.dimension == "temperature" and found <= 0.0:
        raise QuantityError(f"“{text}” is below absolute zero.")
    if not math.isfinite(found):
        raise QuantityError(f"“{text}” is no finite number.")
    return found


def _wrong(table: Table, sheet: SheetEntry, row: int, words: str) -> None:
    table.wrong.add(row)
    if str(row) not in sheet.left_out:
        table.troubles.append(words)


def _shares(table: Table) -> None:
    """Shares without a unit that go beyond 1 are per cent; beyond 100 % nothing is."""
    for column in table.columns:
        if column.dimension != "fraction":
            continue
        values = [v for r in table.rows.values() if isinstance(v := r.get(column.number), float)]
        if not column.unit and values and max(values) > 1.5:
            for r in table.rows.values():
                value = r.get(column.number)
                if isinstance(value, float):
                    r[column.number] = 0.01 * value
            table.notes.append(f"{column.head} has no unit and goes beyond 1: it is taken as per cent.")
    for column in table.columns:
        if column.what in HIGHEST:
            for number, r in table.rows.items():
                value = r.get(column.number)
                if isinstance(value, float) and value > HIGHEST[column.what] * 1.0000001 and number not in table.wrong:
                    table.wrong.add(number)
                    table.troubles.append(f"Row {number}, {column.head}: a {WHAT[column.what].words} above 100 % is none.")


def _told(table: Table, sheet: SheetEntry) -> None:
    """What is assumed of units, and the troubles cut to what can be read."""
    told = [f"{c.head} as {c.unit}" for c in table.columns if c.assumed]
    if told:
        table.notes.append(f"No unit stands in the head: {', '.join(told)} is assumed.")
    unknown = [c.head for c in table.columns if not (c.what or c.named or str(c.number) in sheet.columns) and c.head.strip()]
    if unknown:
        table.notes.append(
            f"Left aside, because the head does not say what it is: {', '.join(re.sub(r'^$', '–', h) for h in unknown[:6])}."
        )
    if len(table.troubles) > MOST_TROUBLES:
        table.troubles = [*table.troubles[:MOST_TROUBLES], f"And {len(table.troubles) - MOST_TROUBLES} more like these."]
