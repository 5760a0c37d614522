"""Which pieces of a project stand in its notebook, in which order, and the edits of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import NotebookEntry, PieceEntry
from gulch.engine.project.couplings import readings
from gulch.engine.project.edit import EditError
from gulch.engine.project.unsure import anything_unsure
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import Project

WHOLE = {  # pieces that there is one of
    "gauges": "Knobs and gauges",
    "chemistry": "Chemistry and its data",
    "measured": "Measurements and rate laws",
    "map": "The process",
    "streams": "Streams",
    "reactors": "Reactors",
    "columns": "Columns",
    "balances": "Balances",
    "loops": "Loops and targets",
    "variants": "Variants",
    "worth": "Worth",
    "swings": "What matters most",
    "sure": "How sure",
    "sizing": "Sizing",
    "assumptions": "Assumptions",
    "warnings": "Doubts that stand",
}
COLUMNS = ("shortcut-column", "washer")
OF = ("unit", "stream", "scan", "search", "result")  # pieces that there may be many of, each named by a field of its own


def pieces_of(project: Project) -> list[PieceEntry]:
    """The pieces of the notebook: those that were arranged, else the usual ones."""
    return usual_pieces(project) if project.notebook is None else project.notebook.pieces


def usual_pieces(project: Project) -> list[PieceEntry]:
    """What a report of the project usually holds, by what there is in it: every scan, reactors where there are some."""
    there = {
        "gauges": bool(project.gauges or project.knobs),
        "reactors": bool(of_kind(project, "reactors")),
        "columns": bool(of_kind(project, "columns")),
        "variants": bool(project.variants),
        "worth": project.prices is not None,
        "swings": False,
        "sure": anything_unsure(project),
        "sizing": project.sizing is not None,
        "measured": bool(project.fits),
    }
    asked = [PieceEntry(what="scan", scan=s.id) for s in project.scans]
    asked += [PieceEntry(what="search", search=s.id) for s in project.searches]
    found = []
    for what in WHOLE:
        if what == "variants":
            found += asked
        if there.get(what, True):
            found.append(PieceEntry(what=what))
    return found


def of_kind(project: Project, what: str) -> list:
    """The unit entries that "reactors" or "columns" is about."""
    return [u for u in project.units if (u.kind in COLUMNS if what == "columns" else KINDS[u.kind].family == "reactors")]


def pin(project: Project, what: str, of: str = "") -> PieceEntry:
    """Put a piece at the end of the notebook. of: what it is of, "" where there is one. Raises EditError where it cannot."""
    if what not in (WHOLE if not of else OF):
        raise EditError("There is no such piece of the notebook. Reload the page and try again.")
    known = {
        "unit": project.unit,
        "stream": project.stream,
        "scan": project.scan,
        "search": project.search,
        "result": lambda address: address in readings(project),
    }
    if of and not known[what](of):
        raise EditError(f"There is no {what} {of} any more, so it cannot be put into the notebook.")
    piece = PieceEntry(what=what, **({what: of} if of else {}))
    pieces = _arranged(project)
    if any(p.key == piece.key for p in pieces):
        raise EditError("That stands in the notebook already.")
    pieces.append(piece)
    return piece


def take_out(project: Project, key: str) -> None:
    """Take a piece out. Raises EditError where it is gone."""
    pieces = _arranged(project)
    pieces.remove(_found(pieces, key))


def move(project: Project, key: str, to: int) -> None:
    """Put a piece at another place, counted from 0; beyond the ends it stays at the end. Raises EditError where it is gone."""
    pieces = _arranged(project)
    piece = _found(pieces, key)
    pieces.remove(piece)
    pieces.insert(max(to, 0), piece)


def comment(project: Project, key: str, text: str) -> None:
    """Say something before a piece. Raises EditError where it is gone."""
    _found(_arranged(project), key).comment = text


def _arranged(project: Project) -> list[PieceEntry]:
    """The list of pieces to be changed; from now on the notebook is the user's own."""
    if project.notebook is None:
        project.notebook = NotebookEntry(pieces=usual_pieces(project))
    return project.notebook.pieces


def _found(pieces: list[PieceEntry], key: str) -> PieceEntry:
    found = next((p for p in pieces if p.key == key), None)
    if found is None:
        raise EditError("That piece is no longer in the notebook. Reload the page.")
    return found
