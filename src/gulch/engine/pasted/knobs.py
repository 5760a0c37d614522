"""Points of a scan pasted as a table: a knob above each column, its unit beside it or not."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.pasted.tables import Cell, Head, head_of, numeric, quantity, rows_of
from gulch.engine.project.edit import EditError
from gulch.engine.project.inputs import addresses
from gulch.engine.quantities import QuantityError

if TYPE_CHECKING:
    from gulch.engine.document import KnobEntry, Project, ScanEntry

MOST_LISTED = 2000


def read_points_of_knobs(project: Project, scan: ScanEntry, text: str) -> tuple[list[KnobEntry], list[list[str]]]:
    """(knobs, rows of document texts) of a pasted table with a head of knobs, or without one for the knobs of the scan.

    A number without a unit takes that of its head, else the one shown. Raises EditError with all that cannot be read.
    """
    try:
        rows = rows_of(text)
    except QuantityError as error:
        raise EditError(str(error)) from None
    names = {n.lower(): k for k in project.knobs for n in (k.id, k.label or k.id, k.input)}
    heads = [head_of(c) for c in rows[0]]
    found = [names.get(c.lower()) or names.get(h.words.lower()) for c, h in zip(rows[0], heads, strict=True)]
    if all(found):
        knobs, begin = [k for k in found if k is not None], 2
        heads = [Head("", "") if c.lower() in names else h for c, h in zip(rows[0], heads, strict=True)]
        rows = rows[1:]
    else:
        knobs, begin = [k for s in scan.over if (k := project.knob(s.knob)) is not None], 1
        heads = [Head("", "")] * len(knobs)
        if len(knobs) != len(scan.over) or len(rows[0]) != len(knobs) or not all(numeric(c) for c in rows[0]):
            known = ", ".join(k.label or k.id for k in project.knobs)
            raise EditError(f"The first line of the list names no knobs: begin it with some of {known}, one above each column.")
    if not rows or len(rows) > MOST_LISTED:
        raise EditError(f"The list holds {len(rows)} points: give from 1 to {MOST_LISTED}.")
    known_inputs = addresses(project)
    dimensions = [known_inputs[k.input].dimension if k.input in known_inputs else "ratio" for k in knobs]
    out, wrong = [], []
    for number, row in enumerate(rows, begin):
        texts = []
        for i, (cell, head, dimension) in enumerate(zip(row, heads, dimensions, strict=True)):
            place = f"row {number}, {knobs[i].label or knobs[i].id}"
            try:
                if not cell:
                    raise QuantityError(f"{place}: nothing stands there")
                texts.append(quantity(Cell(cell, place), head.unit, dimension, project.display))
            except QuantityError as error:
                wrong.append(str(error).rstrip("."))
        out.append(texts)
    if wrong:
        more = f"; and {len(wrong) - 5} more" if len(wrong) > 5 else ""
        raise EditError(f"The list cannot be taken: {'; '.join(wrong[:5])}{more}.")
    return knobs, out
