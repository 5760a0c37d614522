"""A task handed in: its progress, how it ended, and waiting for that."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass
from enum import Enum
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Callable


def new_reference() -> str:
    """A number under which a fault is told to the user and found in the log."""
    return f"{time.time_ns() // 1_000_000 % 10**8:08d}"


class Ending(Enum):
    """How a job ended, as words that finish “Not solved: …”."""

    DONE = "done"
    STOPPED = "stopped"
    REPLACED = "another edit took its place"
    OUT_OF_TIME = "it was stopped by the time limit"
    DIED = "the process that worked on it ended unexpectedly (killed, or out of memory)"
    FAULT = "Gulch met a fault of its own"


@dataclass(frozen=True)
class Progress:
    """How far a task is: passes made, largest scaled change of the last one, seconds since it began."""

    passes: int = 0
    residual: float | None = None
    seconds: float = 0.0
    waiting: bool = True  # not begun
    before: int = 0  # jobs of the first lane that come first, where it waits


class Job:
    """One task on its way. `value` and `ending` are there once `wait` returns true."""

    def __init__(
        self,
        task: Any,
        key: tuple | None = None,
        owner: int | None = None,
        about: str | None = None,
        on_item: Callable | None = None,
        on_end: Callable | None = None,
    ) -> None:
        self.task, self.key, self.owner, self.about = task, key, owner, about
        self.on_item, self.on_end = on_item, on_end
        self.value: Any = None
        self.ending: Ending | None = None
        self.words = ""
        self.handed_in = time.monotonic()
        self.began: float | None = None
        self.passes = 0
        self.residual: float | None = None
        self.wanted_end: Ending | None = None  # the Ending that somebody asked for while it ran
        self._ended = threading.Event()

    @property
    def progress(self) -> Progress:
        since = self.handed_in if self.began is None else self.began
        return Progress(self.passes, self.residual, time.monotonic() - since, self.began is None)

    @property
    def age(self) -> float:
        """Seconds since it was handed in."""
        return time.monotonic() - self.handed_in

    @property
    def ended(self) -> bool:
        return self._ended.is_set()

    def wait(self, seconds: float) -> bool:
        """Whether it ended within some seconds, what hangs on its end included."""
        return self._ended.wait(seconds)

    def end(self, ending: Ending, value: Any = None, words: str = "") -> None:
        """Note how it ended and tell whoever asked to be told."""
        self.ending, self.value, self.words = ending, value, words
        try:
            if self.on_end is not None:
                self.on_end(self)
        finally:
            self._ended.set()
