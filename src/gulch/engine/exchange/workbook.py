"""Tables as an XLSX workbook: a sheet each, a head with units, numbers as numbers."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

from gulch.engine.exchange.ledger import safe, scan_table

if TYPE_CHECKING:
    from collections.abc import Iterable

WIDEST = 40  # characters of a column


def workbook(sheets: dict[str, Iterable]) -> bytes:
    """An XLSX file of {title: rows}; the first row of each is its head, kept in sight. Texts are no formulas."""
    from openpyxl import Workbook  # large: loaded when a file is asked for
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    book = Workbook(write_only=True)
    for title, rows in sheets.items():
        sheet = book.create_sheet("".join(c for c in title if c not in "[]:*?/\\")[:31] or "Sheet")
        sheet.freeze_panes = "A2"
        rows = [list(r) for r in rows]
        for i in range(len(rows[0]) if rows else 0):
            widest = max(len(str(r[i] if i < len(r) and r[i] is not None else "")) for r in rows[:200])
            sheet.column_dimensions[get_column_letter(i + 1)].width = min(widest + 2, WIDEST)
        for at, row in enumerate(rows):
            cells = [WriteOnlyCell(sheet, value=safe(v) if isinstance(v, str) else v) for v in row]
            if at == 0:
                for cell in cells:
                    cell.font = Font(bold=True)
            sheet.append(cells)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def scan_xlsx(result: dict[str, Any], display: str) -> bytes:
    """A ScanResult as plain data (or a search's table alike) as an XLSX file in display units."""
    return workbook({"Points": scan_table(result, display)})
