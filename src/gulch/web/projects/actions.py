"""What can be done to a project. Views call these; tests and commands may too."""

from django.db import transaction
from pydantic import ValidationError

from gulch.engine.document import DocumentError, load
from gulch.engine.flowsheet import Solution, solve
from gulch.engine.flowsheet.edit import EditError
from gulch.engine.flowsheet.variants import folded, worked
from gulch.web.projects.models import Project, Revision


class Conflict(Exception):
    """The project changed since the page was made; carries the newest revision."""

    def __init__(self, newest):
        super().__init__("changed meanwhile")
        self.newest = newest


def create_project(owner, document, label):
    """Store a document as a new project and solve it."""
    with transaction.atomic():
        row = Project.objects.create(owner=owner, name=document.name)
        add_revision(row, document, label)
    return row


def copy_project(row, name):
    """A copy of a project's current state under another name."""
    document = load(row.current.document)
    document.name = name[:120]
    return create_project(row.owner, document, f"Copy of {row.name}")


def claim(row, version, client):
    """Let an open page change a row that it saw at a version; None for no check.

    Raises Conflict when another page changed it since; edits that one page sends faster than they are answered
    follow one another.
    """
    own = bool(client) and client == row.client and version is not None and version >= row.client_since
    if version is not None and version != row.version and not own:
        raise Conflict(row.current)
    if not own:
        row.client, row.client_since = client, row.version


def edit(row, version, label, change, client="", whole=False):
    """Apply change(document) to the current document as a new revision, and solve.

    client: a name of the open page that asks. whole: the change concerns all variants. label: words for the history, or a function of what `change` returned. Returns what `change`
    returned. Raises Conflict when `version` is not the row's, EditError when the change cannot be made.
    """
    with transaction.atomic():
        row = Project.objects.select_for_update().select_related("current").get(pk=row.pk)
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
        add_revision(row, document, label(outcome) if callable(label) else label)
    return outcome


def _sentence(error):
    if isinstance(error, DocumentError):
        return str(error)
    problem = error.errors()[0]
    place = " › ".join(str(p) for p in problem["loc"])
    return f"{place}: {problem['msg']}."


def add_revision(row, document, label):
    """Append a revision after the current one and make it current."""
    last = row.revisions.order_by("-number").first()
    number = last.number + 1 if last else 1
    row.current = Revision.objects.create(
        project=row, number=number, parent=row.current, label=label[:200], document=document.dump()
    )
    row.name = document.name
    settle_on_current(row, document)


def settle_on_current(row, document=None, max_passes=None, start=None):
    """Solve the current revision and store what was found; a failed solve leaves the last good one."""
    document = worked(document or load(row.current.document))
    solution = solve(
        document, start=start_of(row) if start is None else start, **({"max_passes": max_passes} if max_passes else {})
    )
    if not solution.solved and start is None and row.good:
        # a start from another state may mislead: try from nothing before giving up
        if any(not loop.settled for loop in solution.loops):
            again = solve(document)
            solution = again if again.solved else solution
    store(row, solution)
    return solution


def store(row, solution):
    row.latest = solution.to_dict()
    if solution.solved:
        row.good, row.good_revision = row.latest, row.current.number
        row.current.tears = solution.tears
        row.current.save(update_fields=["tears"])
    row.version += 1
    row.save()


def start_of(row):
    """Start for the tears: those with which this revision was solved before, or those of the last good solution."""
    return row.current.tears or (row.good or {}).get("tears")


def document_of(row):
    """The document of a project as it is worked on: the base, or a variant."""
    return worked(load(row.current.document))


def go_on(row):
    """Continue the loops from the last iterate."""
    with transaction.atomic():
        row = Project.objects.select_for_update().select_related("current").get(pk=row.pk)
        row.client = ""
        tears = (row.latest or {}).get("tears") or start_of(row)
        return settle_on_current(row, max_passes=600, start=tears)


def undo(row, version, client=""):
    """Back to the parent revision. Returns the label of what was undone, or None."""
    return _step(row, version, client, lambda r: (r.current.parent, r.current.label))


def redo(row, version, client=""):
    """Forward to the newest child of the current revision. Returns its label, or None."""

    def forward(r):
        child = r.current.children.order_by("-number").first()
        return child, child.label if child else None

    return _step(row, version, client, forward)


def _step(row, version, client, choose):
    with transaction.atomic():
        row = Project.objects.select_for_update().select_related("current", "current__parent").get(pk=row.pk)
        claim(row, version, client)
        to, label = choose(row)
        if to is None:
            return None
        row.current = to
        document = load(to.document)
        row.name = document.name
        settle_on_current(row, document)
    return label


def solution_of(data):
    return Solution.from_dict(data) if data else None
