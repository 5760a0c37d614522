"""What is read from a document many times while it stands still is read once."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import wraps
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gulch.engine.document import Project

_standing: ContextVar[tuple | None] = ContextVar("standing", default=None)


@contextmanager
def standing(project: Project) -> Iterator:
    """Inside, the Project is not changed by anybody."""
    now = _standing.get()
    token = _standing.set(now if now is not None and now[0] is project else (project, {}))
    try:
        yield
    finally:
        _standing.reset(token)


def once(function: Callable) -> Callable:
    """Let a function of a Project keep its answer while the project stands still; the answer is not to be changed."""

    @wraps(function)
    def ask(project: Project) -> Any:
        now = _standing.get()
        if now is None or now[0] is not project:
            return function(project)
        if function not in now[1]:
            now[1][function] = function(project)
        return now[1][function]

    return ask
