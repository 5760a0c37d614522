"""Results as pandas frames, for those who go on in Python: pip install ".[frames]" in its folder."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.exchange.ledger import scan_table
from gulch.engine.exchange.project_book import project_tables

if TYPE_CHECKING:
    from collections.abc import Iterable

    import pandas

    from gulch.engine.document import Project
    from gulch.engine.flowsheet.solution import Solution


def project_frames(
    project: Project, solution: Solution | None, scans: Iterable[tuple[str, dict[str, Any]]] = ()
) -> dict[str, pandas.DataFrame]:
    """{title: frame} of what `project_tables` holds: Streams by their ids, Gauges by their names, the others as they are listed.

    Columns carry their unit in brackets; numbers are in the project's units. Raises NotSolved where the process has no figures,
    ImportError with a sentence where pandas is not installed.
    """
    found = {title: _frame(rows) for title, rows in project_tables(project, solution, scans).items()}
    for title, column in (("Streams", "Stream"), ("Gauges", "Gauge")):
        found[title] = found[title].set_index(column)
    return found


def scan_frame(result: dict[str, Any], display: str) -> pandas.DataFrame:
    """A frame of a scan's points, one row each. result: a ScanResult as plain data; display: units shown, as of a project."""
    return _frame(scan_table(result, display))


def _frame(rows: list[list[Any]]) -> pandas.DataFrame:
    try:
        import pandas
    except ImportError as error:
        raise ImportError('Frames need pandas: run pip install ".[frames]" in the folder Gulch came in.') from error
    return pandas.DataFrame(rows[1:], columns=rows[0])
