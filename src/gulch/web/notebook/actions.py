"""Edits of the notebook; all variants share it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.project import notebook
from gulch.engine.project.edit import EditError
from gulch.web.notebook.presenter import words_for
from gulch.web.projects.forms import Key, Text, Whole
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


LONGEST = 8000  # characters of a comment
MOST = 20_000  # of the remarks


@action("pin", whole=True, what=Key(), of=Text())
def pin(project: Project, form: Values) -> Done:
    piece = notebook.pin(project, form.what, form.of)
    return Done(f"Put {words_for(project, piece)} into the notebook")


@action("unpin", whole=True, key=Key())
def unpin(project: Project, form: Values) -> Done:
    notebook.take_out(project, form.key)
    return Done(f"Take {form.key.replace(':', ' ')} out of the notebook")


@action("piece-move", whole=True, key=Key(), to=Whole("places", 0, 500, needed=True))
def move(project: Project, form: Values) -> Done:
    notebook.move(project, form.key, form.to)
    return Done("Order the notebook")


@action("piece-comment", whole=True, key=Key(), value=Text(LONGEST, f"A comment has at most {LONGEST} characters: shorten it."))
def comment(project: Project, form: Values) -> Done:
    notebook.comment(project, form.key, form.value)
    return Done(f"Comment on {form.key.replace(':', ' ')} in the notebook")


@action("notebook-usual", whole=True)
def usual(project: Project, form: Values) -> Done:
    """Forget the arrangement; comments go with it, as undo brings back."""
    if project.notebook is None:
        raise EditError("The notebook holds the usual pieces already.")
    project.notebook = None
    return Done("Put the usual pieces into the notebook")


@action("remarks", whole=True, value=Text(MOST, f"Remarks have at most {MOST} characters: shorten them."))
def remarks(project: Project, form: Values) -> Done:
    project.remarks = form.value
    return Done("Write the remarks")
