"""What the notebook's page and its files show."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import PieceEntry
from gulch.engine.exchange.printing import PAPERS
from gulch.engine.project.notebook import WHOLE, pieces_of, usual_pieces
from gulch.engine.units import KINDS
from gulch.web.notebook.markdown import as_html
from gulch.web.notebook.pieces import sections

if TYPE_CHECKING:
    from django.db.models import QuerySet

    from gulch.engine.document.project import Project
    from gulch.web.notebook.studies import Asked
    from gulch.web.projects.workspace import Workspace


class NotebookPage:
    """The notebook of a Workspace. asked: what workers have found for it."""

    def __init__(self, space: Workspace, asked: Asked) -> None:
        self.space, self.row, self.asked = space, space.row, asked
        self.remarks, self.remarks_html = space.whole.remarks, as_html(space.whole.remarks)
        self.sections = sections(space, asked)
        self.arranged = space.whole.notebook is not None
        for s in self.sections:
            s.comment_html = as_html(s.comment)

    @property
    def pending(self) -> bool:
        """Whether workers are at something that the notebook shows."""
        a = self.asked
        return any(v.pending for v in (a.variants or {}).values()) or any(
            x is not None and x.pending for x in (a.swings and a.swings.known, a.sure and a.sure.known, a.sizing, *(a.fits or ()))
        )

    @property
    def state(self) -> str:
        """At which revision the figures were made, as a sentence."""
        row, space = self.row, self.space
        name = f" “{row.current.name}”" if row.current.name else ""
        variant = f", variant {space.variant.name}" if space.variant else ""
        begin = f"Revision {row.current.number}{name} of {row.current.created:%d %B %Y, %H:%M} UTC{variant}"
        if space.stale or space.solution is None:
            return f"{begin}. {space.stale or 'It is not solved.'}"
        return f"{begin}; all figures are its own."

    def papers(self) -> list[tuple]:
        """(size, whether it is usual with the units shown)."""
        return [(name, name == usual_paper(self.space.display)) for name in PAPERS]

    def offered(self) -> list[tuple]:
        """(what, of, words) of pieces that are not in it."""
        there = {p.key for p in pieces_of(self.space.whole)}
        document = self.space.whole
        wide = usual_pieces(document)
        wide += [PieceEntry(what=what) for what in WHOLE if what not in {p.what for p in wide}]
        wide += [PieceEntry(what="unit", unit=u.id) for u in document.units]
        wide += [PieceEntry(what="stream", stream=s.id) for s in document.streams]
        return [(p.what, p.of, words_for(document, p)) for p in wide if p.key not in there]

    def kept(self) -> QuerySet:
        """The frozen copies, newest first, without their pages."""
        return self.row.reports.defer("page")


def usual_paper(display: str) -> str:
    """The paper that is usual where these units are."""
    return "Letter" if display == "us-customary" else "A4"


def words_for(project: Project, piece: PieceEntry) -> str:
    """A PieceEntry in words."""
    if not piece.of:
        return WHOLE[piece.what].lower()
    found = project.unit(piece.of) if piece.what == "unit" else None
    return f"{piece.what} {piece.of}" + (f", {KINDS[found.kind].label.lower()}" if found is not None else "")
