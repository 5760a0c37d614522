"""What workers have found for a page beside the solve, or that they are still at it."""

from dataclasses import dataclass

from gulch.web.projects import solving


@dataclass(frozen=True)
class Known:
    """found: the answer's plain data; trouble: why there is none, as a sentence; pending: whether it is being worked on."""

    found: dict | None = None
    trouble: str = ""
    pending: bool = False


def known(space, task, name):
    """What is known of a task on what is shown; workers begin on it where nothing is. name: the page's, one job a project."""
    if not space.fresh:
        return Known(trouble="The process is not solved as it is: mend it first.")
    row = space.row
    outcome, pending = solving.answer(row, task, (name, row.pk))
    if outcome is None:
        return Known(pending=pending)
    data = outcome.data()
    if "messages" in data:  # broken off
        return Known(trouble=data["messages"][0]["what"])
    return Known(data.get("found"), data.get("trouble", ""))
