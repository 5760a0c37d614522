"""A task handed in: its progress, how it ended, and waiting for that."""

from __future__ import annotations

import threading
import time
from abc import ABC, abstractmethod
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

    @property
    def pace(self) -> int:
        """ms after which asking again may tell something new: the more come first, the later, since asking takes the server's time."""
        return min(700 + 60 * self.before, 4000)


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


class Pool(ABC):
    """Who takes tasks and has them worked on."""

    def submit(
        self,
        task: Any,
        *,
        key: Any = None,
        owner: int | None = None,
        lane: str = "now",
        about: Any = None,
        replaces: bool = True,
        ahead: bool = False,
        on_item: Callable | None = None,
        on_end: Callable | None = None,
    ) -> Job:
        """Hand in a task; jobs of the same key that have not ended are replaced, unless told otherwise. Returns a Job.

        about: whatever the caller wants to know it by. ahead: before all else of its owner that waits. on_item(job, item), on_end(job):
        called in a thread of the pool.
        Raises RuntimeError.
        """
        job = Job(task, key, owner, about, on_item, on_end)
        if key is not None and replaces:
            self.stop(key, Ending.REPLACED)
        self.take_in(job, lane, ahead)
        return job

    @abstractmethod
    def take_in(self, job: Job, lane: str, ahead: bool) -> None:
        """Take a job into a lane. Raises RuntimeError."""

    @abstractmethod
    def find(self, key: Any, stopping: bool = False) -> Job | None:
        """The Job of a key that has not ended, or None; stopping: one that was stopped too, until what hangs on its end is done."""

    @abstractmethod
    def stop(self, key: Any, ending: Ending = Ending.STOPPED) -> int:
        """End the jobs of a key; returns how many."""

    @abstractmethod
    def stop_all(self) -> None:
        """End all jobs."""

    @abstractmethod
    def load(self) -> tuple[int, int]:
        """(jobs that run, jobs that wait) in the first lane."""

    @abstractmethod
    def before(self, job: Job) -> int:
        """How many jobs of the first lane that wait are taken before one of them."""

    @abstractmethod
    def compiling(self) -> Any:
        """How far the making of machine code is while solves are slow for want of it, else None."""

    @abstractmethod
    def close(self) -> None:
        """End everything under way and take nothing any more."""
