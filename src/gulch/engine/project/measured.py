"""Measured points of a pair of species: pasted tables read into the document, and out of it into SI."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse

if TYPE_CHECKING:
    from gulch.engine.document import MeasuredPair, Project

MOST = 500
LONGEST_HEAD = 120  # characters of a head cell that is looked through for a unit
UNIT = re.compile(r"(?:/|\(|\[|,| in )\s*([^\s()\[\],/]+(?:/[^\s()\[\],]+)?)\s*[)\]]?\s*$")


class Held(NamedTuple):
    """What a diagram holds: a pressure P [Pa] or a temperature T [K], the other None."""

    P: float | None
    T: float | None

    @property
    def free(self) -> str:
        """The dimension that runs."""
        return "temperature" if self.P is not None else "pressure"


def held(text: str) -> Held:
    """What a text holds: "1 atm", "25 degC". Raises QuantityError with a sentence."""
    for dimension in ("pressure", "temperature"):
        try:
            value = parse(text, dimension)
        except QuantityError:
            continue
        if dimension == "pressure" and not 0.0 < value < 1e9:
            raise QuantityError(f"A pressure of {text} is beyond reason: type it above zero, as in 1 atm.")
        return Held(value, None) if dimension == "pressure" else Held(None, value)
    raise QuantityError(f"“{text}” is neither a pressure nor a temperature: type 1 atm for boiling temperatures, or 25 °C for pressures.")


def measured_of(project: Project, a: str, b: str) -> MeasuredPair | None:
    """What is measured of a pair, whichever of the two is named first."""
    return next((m for m in project.phase_model.measured if set(m.pair) == {a, b}), None)


def in_si(entry: MeasuredPair) -> tuple:
    """(Held, ((x, y or None, T [K] or P [Pa]), …)) of measured points of the document. Raises QuantityError."""
    what = held(entry.at)
    return what, tuple((x, y, parse(value, what.free)) for x, y, value in entry.points)


def read_points(text: str, at: str, display: str) -> list:
    """[(x, y or None, temperature or pressure with its unit)] of a pasted table, for a diagram at `at`. Raises QuantityError.

    Two columns are x and the temperature or pressure, three have y too; fractions are told by lying between 0 and 1. A head row may name
    them, and the unit, as in "T / °C"; without one the unit is that of the display set.
    """
    free = held(at).free
    lines = [line for line in (part.strip() for part in re.split(r"[\n;]", text)) if line]
    if not lines:
        return []
    if len(lines) > MOST + 1:
        raise QuantityError(f"These are {len(lines)} rows: paste at most {MOST}.")
    head = _cells(lines[0]) if re.search(r"[A-Za-z]{1}", lines[0]) and not _numbers(lines[0]) else None
    rows = []
    for number, line in enumerate(lines[1:] if head else lines, 2 if head else 1):
        values = _numbers(line)
        if values is None:
            raise QuantityError(f"Row {number}, “{line[:40]}”, has a cell that is no number: leave words to the first row.")
        rows.append(values)
    if not rows:
        raise QuantityError("There is a head row and nothing below it.")
    width = len(rows[0])
    if width not in (2, 3):
        raise QuantityError(f"The first row has {width} columns: give x and {free}, or x, y and {free}.")
    odd = next((n for n, r in enumerate(rows, 2 if head else 1) if len(r) != width), None)
    if odd is not None:
        raise QuantityError(f"Row {odd} has not {width} cells like the first.")
    column = _running(rows, head, free)
    unit = _unit(head[column] if head and len(head) == width else "", free, display)
    fractions = [c for c in range(width) if c != column]
    out = []
    for row in rows:
        x, y = row[fractions[0]], row[fractions[1]] if width == 3 else None
        value = f"{row[column]:.10g} {unit}"
        if parse(value, free) <= 0.0:
            raise QuantityError(f"A {free} of {value} is none.")
        out.append((x, y, value))
    return sorted(out)


def read_pairs(text: str, names: dict[str, str]) -> list:
    """[(first, second, {"a_ab", "a_ba", "b_ab", "b_ba", "alpha"})] of a pasted table of parameters; names: {what is typed: species}.

    Each row: two species and b12, b21, maybe alpha; or the columns that a head row names (1, 2, a12, a21, b12, b21, alpha), where a unit
    of b may stand as in "b12 / (cal/mol)". Raises QuantityError with a sentence.
    """
    rows = [_cells(line) for line in (part.strip() for part in re.split(r"[\n;]", text)) if line]
    if not rows:
        raise QuantityError("There is nothing to take: paste rows of two species and their parameters.")
    head, unit = ["1", "2", "b12", "b21", "alpha"], "K"
    if any(re.match(r"[ab]_?12|alpha|α", cell.lower()) for cell in rows[0]):
        units = [m[1] for cell in rows[0] if cell.lower().startswith("b") and (m := re.search(r"(?:/|\(|\[)\s*\(?([^()\[\]]+)", cell))]
        unit = units[0].strip() if units else "K"
        head = [re.split(r"[\s/(\[]", cell.lower().replace("_", "").replace("α", "alpha"))[0] for cell in rows.pop(0)]
    if not rows:
        raise QuantityError("There is a head row and nothing below it.")
    keys = {"a12": "a_ab", "a21": "a_ba", "b12": "b_ab", "b21": "b_ba", "alpha": "alpha"}
    out = []
    for number, row in enumerate(rows, 1):
        if len(row) < 4 or len(row) > len(head):
            raise QuantityError(f"Row {number} has {len(row)} cells: give two species, b12, b21 and maybe alpha, or a head row.")
        pair = [names.get(cell.lower()) for cell in row[:2]]
        if None in pair:
            raise QuantityError(f"Row {number} names {row[pair.index(None)]}, which is not among the project's species.")
        texts = {keys[name]: cell.replace(",", ".") for name, cell in zip(head[2:], row[2:], strict=False) if name in keys}
        for key in ("b_ab", "b_ba"):
            if key in texts and re.fullmatch(r"[-+\d.eE−]+", texts[key]):
                texts[key] += f" {unit}"
        out.append((pair[0], pair[1], texts))
    return out


def _cells(line: str) -> list[str]:
    if "\t" in line:
        return [c.strip() for c in line.split("\t")]
    return [c for c in re.split(r"\s{2,}|,\s+|\|", line) if c] if re.search(r"\s{2,}|,\s", line) else line.split()


def _numbers(line: str) -> list[float] | None:
    """The numbers of a row, or None where a cell is none; a comma is a decimal one where cells are set apart by blanks."""
    cells = line.split() if re.search(r"\s", line) else line.split(",")
    try:
        return [float(c.rstrip(",").replace(",", ".")) for c in cells if c != ","]
    except ValueError:
        return None


def _running(rows: list[list[float]], head: list[str] | None, free: str) -> int:
    """The column of the temperature or pressure: the one that is no fraction, or that the head calls so."""
    outside = [c for c in range(len(rows[0])) if not all(0.0 <= r[c] <= 1.0 for r in rows)]
    if len(outside) > 1:
        raise QuantityError("More than one column goes beyond 0 to 1: give compositions as mole fractions.")
    if outside:
        return outside[0]
    letter = "t" if free == "temperature" else "p"
    named = [c for c, cell in enumerate(head or []) if cell.lower().startswith(letter)]
    if len(named) == 1 and head is not None and len(head) == len(rows[0]):
        return named[0]
    raise QuantityError(f"All columns lie between 0 and 1: say in a head row which is the {free}, with its unit.")


def _unit(cell: str, free: str, display: str) -> str:
    match = UNIT.search(cell) if len(cell) <= LONGEST_HEAD else None
    if match is None:
        return DISPLAY_SETS[display].unit(free)
    try:
        parse(f"1 {match[1]}", free)
    except QuantityError:
        raise QuantityError(f"“{match[1]}” in the head row is no unit of {free}.") from None
    return match[1]
