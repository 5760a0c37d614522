"""The list of what was asked of a process: each question with its answer in a line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gulch.web.projects.models import ScanRun
from gulch.web.scans import jobs
from gulch.web.scans.best import BestPage, search_words
from gulch.web.scans.presenter import scan_words, sentence_of
from gulch.web.scans.today import result_today

if TYPE_CHECKING:
    from collections.abc import Callable

    from gulch.engine.document.studies import ScanEntry, SearchEntry
    from gulch.web.projects.workspace import Workspace


LONGEST = 74  # letters of an answer in the list
KEPT = 1000  # answers that are remembered
_told: dict[tuple, str] = {}
STANDING = (("swings", "What matters most"), ("sure", "How sure"), ("worth", "What it is worth"))


@dataclass
class Line:
    """A question of the list; answer: its newest one in few words, or ''; sought: whether the best is asked for."""

    id: str
    words: str
    answer: str
    here: bool
    sought: bool = False


def lines(space: Workspace) -> list[Line]:
    """Every scan and search of the project in order, then the standing questions."""
    chosen = chosen_id(space)
    newest = jobs.newest_of_all(space.row, space.whole.working)
    out = []
    for scan in space.document.scans:
        answer = _answer(space, scan, newest.get(scan.id), _of_scan)
        out.append(Line(scan.id, scan_words(space, scan), answer, scan.id == chosen))
    for search in space.document.searches:
        answer = _answer(space, search, newest.get(search.id), _of_search)
        out.append(Line(search.id, search_words(space, search), answer, search.id == chosen, sought=True))
    return out + [Line(id_, words, "", id_ == chosen) for id_, words in STANDING if id_ != "swings" or space.document.knobs]


def chosen_id(space: Workspace) -> str:
    """The id of the question that is shown."""
    head = space.select.partition(":")[0]
    if head in dict(STANDING) or space.document.scan(space.select) or space.document.search(space.select):
        return head if head in dict(STANDING) else space.select
    first = next(iter((*space.document.scans, *space.document.searches)), None)
    return first.id if first is not None else ""


def _answer(space: Workspace, entry: ScanEntry | SearchEntry, run: tuple | None, tell: Callable) -> str:
    """The answer of the newest run in few words; told once for each state of it and of what it is read against."""
    if run is None:
        return ""
    if run[1] in (ScanRun.WAITING, ScanRun.RUNNING):
        return "under way …"
    gauges = tuple((g.id, g.reads, g.at_least, g.at_most, g.label) for g in space.document.gauges)
    key = (run, space.display, entry.model_dump_json(), gauges, space.whole.working)
    told = _told.get(key)
    if told is None:
        told = tell(space, entry)
        while len(_told) >= KEPT:
            _told.pop(next(iter(_told)), None)
        _told[key] = told  # another request may have dropped it by the next line
    return told


def _of_scan(space: Workspace, entry: ScanEntry) -> str:
    run = jobs.newest(space.row, space.document, entry, space.whole.working)
    result = result_today(run, space.document, entry) if run is not None else None
    if not result or not result["points"] or not result["gauges"]:
        return ""
    return cut(sentence_of(result, entry, space).text)


def _of_search(space: Workspace, entry: SearchEntry) -> str:
    page = BestPage(space, entry)
    return cut("".join(text for text, _ in page.pieces).partition(": ")[2]) if page.found else ""


def cut(text: str) -> str:
    """The beginning of an answer, to a word."""
    if len(text) <= LONGEST:
        return text
    return text[:LONGEST].rsplit(" ", 1)[0].rstrip(",;:. ") + " …"
