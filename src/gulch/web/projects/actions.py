"""What can be done to a project. Views call these; tests and commands may too.

An edit is a short transaction: the version is compared, the change applied, a revision appended. Its figures follow.
"""

from __future__ import annotations

from contextvars import ContextVar
from typing import TYPE_CHECKING, Any

from pydantic import ValidationError

from gulch.engine.document import DocumentError, load, loads
from gulch.engine.project.edit import EditError
from gulch.engine.project.variants import folded, worked
from gulch.engine.species.kept import expect
from gulch.engine.work import Examine, document_digest, look_at
from gulch.engine.work.job import new_reference
from gulch.web.projects import solving
from gulch.web.projects.models import Project, Revision
from gulch.web.projects.turnstile import waited

if TYPE_CHECKING:
    from collections.abc import Callable

    from django.contrib.auth.models import User

    from gulch.web.projects.registry import Done


READING_PATIENCE = 60.0  # s that a file may take to be read


class Conflict(Exception):
    """The project changed since the page was made; carries the newest revision."""

    def __init__(self, newest: Revision) -> None:
        super().__init__("changed meanwhile")
        self.newest = newest


def create_project(owner: User, document: Any, label: str, outcome: tuple | None = None) -> Project:
    """Store a document as a new project and have it solved. outcome: (solved, packed) where it is known already."""
    with solving.changing():
        row = Project.objects.create(owner=owner, name=document.name)
        add_revision(row, document, label)
        if outcome is not None:
            row.outcomes.create(digest=row.current.digest, solved=outcome[0], packed=outcome[1])
            solving.know(row)
    solving.begin(row)
    row.refresh_from_db()
    return row


def received(owner: User, text: bytes) -> Any:
    """The document in a file's bytes, read and examined in a worker: what one file may hold takes seconds. Raises DocumentError."""
    job = solving.workers().submit(Examine(text), key=("examine", new_reference()), owner=owner.pk)
    if not waited(job, READING_PATIENCE):
        solving.workers().stop(job.key)
        raise DocumentError(f"Reading it took longer than {READING_PATIENCE:.0f} s and was stopped: nothing of it was stored.")
    good, why = job.value or (False, f"It could not be read: {job.words or 'the work on it was broken off'}.")
    if not good:
        raise DocumentError(why)
    document = loads(text)
    expect(s.cas or "" for s in document.species)  # not while the database is held for it
    return document


def copy_project(row: Project, name: str) -> Project:
    """A copy of a project's current state under another name, with its figures."""
    document = load(row.current.document)
    document.name = name[:120]
    found = row.outcome()
    return create_project(row.owner, document, f"Copy of {row.name}", (found.solved, bytes(found.packed)) if found else None)


def claim(row: Project, version: int | None, client: str) -> None:
    """Let an open page change a row that it saw at a version; None for no check.

    Raises Conflict when another page changed it since; edits that one page sends faster than they are answered
    follow one another.
    """
    own = bool(client) and client == row.client and version is not None and version >= row.client_since
    if version is not None and version != row.version and not own:
        raise Conflict(row.current)
    if not own:
        row.client, row.client_since = client, row.version


def lock(row: Project, *more: Any) -> None:
    """Bring the row up to date and hold it for the transaction under way; more: what is wanted of its relations."""
    row.refresh_from_db(from_queryset=Project.objects.select_for_update().select_related("current", *more))


stored: ContextVar[int | None] = ContextVar("stored", default=None)  # number of the revision that this request has stored


def edit(row: Project, version: int | None, label: Callable | str, change: Callable, client: str = "", whole: bool = False) -> Done | None:
    """Apply change(document) to the current document as a new revision, and have it solved.

    client: a name of the open page that asks. whole: the change concerns all variants. label: words for the history,
    or a function of what `change` returned. Returns what `change` returned. Raises Conflict when `version` is not the
    row's, EditError when the change cannot be made.
    """
    with solving.changing():
        lock(row, "good_outcome")
        claim(row, version, client)
        project = load(row.current.document)
        try:
            document = project if whole else worked(project)
            outcome = change(document)
            document = load(document.dump()) if whole else folded(project, document)
        except (ValidationError, DocumentError) as error:
            raise EditError(_sentence(error)) from None
        if document.dump() == row.current.document:
            return outcome
        add_revision(row, document, label(outcome) if callable(label) else label, ahead=True)
    stored.set(row.current.number)
    solving.begin(row)
    return outcome


def _sentence(error: Any) -> str:
    if isinstance(error, DocumentError):
        return str(error)
    problem = error.errors()[0]
    place = " › ".join(str(p) for p in problem["loc"])
    return f"{place}: {problem['msg']}."


def add_revision(row: Project, document: Any, label: str, ahead: bool = False) -> None:
    """Append a revision after the current one and make it current; ahead: workers begin on it while it is stored.

    It is looked at before it is stored: one that pages could not read raises here, and the project stays as it was.
    """
    last = row.revisions.order_by("-number").values_list("number", flat=True).first()
    new = Revision(project=row, number=(last or 0) + 1, parent=row.current, label=label[:200], document=document.dump())
    new.read = document
    new.digest = document_digest(new.worked_data)
    known = not (ahead and solving.ahead(row, new))
    look_at(new.worked)
    new.save(force_insert=True)
    row.current = new
    stand_on_current(row, known)


def stand_on_current(row: Project, known: bool = True) -> None:
    """Store that the project stands at another revision now; figures that are known are good at once. known: they may be."""
    row.name = row.current.document.get("name", row.name)
    row.version += 1
    row.save()
    if known:
        solving.know(row)


def take_back(row: Project, number: int) -> bool:
    """Remove the newest revision as if it had never been, where it is that number and nobody went on from it. Returns whether it was."""
    with solving.changing():
        lock(row, "current__parent")
        new = row.current
        if new.number != number or new.parent is None or new.children.exists():
            return False
        row.current = new.parent
        stand_on_current(row)
        new.delete()
    stored.set(None)
    solving.begin(row)
    return True


def undo(row: Project, version: int | None, client: str = "") -> str | None:
    """Back to the parent revision. Returns the label of what was undone, or None."""
    return _step(row, version, client, lambda r: (r.current.parent, r.current.label))


def redo(row: Project, version: int | None, client: str = "") -> str | None:
    """Forward to the newest child of the current revision. Returns its label, or None."""

    def forward(r: Project) -> tuple:
        child = r.current.children.order_by("-number").first()
        return child, child.label if child else None

    return _step(row, version, client, forward)


def _step(row: Project, version: int | None, client: str, choose: Callable) -> str | None:
    with solving.changing():
        lock(row, "current__parent")
        claim(row, version, client)
        to, label = choose(row)
        if to is None:
            return None
        row.current = to
        stand_on_current(row)
    solving.begin(row)
    return label


def restore(row: Project, version: int | None, number: int) -> None:
    """Make an old revision's document the newest. Raises Conflict, DocumentError, Revision.DoesNotExist."""
    with solving.changing():
        lock(row)
        claim(row, version, "")
        document = load(row.revisions.get(number=number).document)
        add_revision(row, document, f"Back to revision {number}")
    solving.begin(row)
