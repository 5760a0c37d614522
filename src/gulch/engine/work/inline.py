"""The interface of the workers, worked in line: for commands and tests."""

from __future__ import annotations

from typing import Any

from gulch.engine.settle import Watch
from gulch.engine.work.job import Ending, Job, Pool
from gulch.engine.work.tasks import Shelf


class InlineWatch(Watch):
    def __init__(self, job: Job) -> None:
        self.job = job

    def passed(self, residual: float) -> None:
        self.job.passes += 1
        self.job.residual = residual

    def tell(self, item: Any) -> None:
        """Hand an item on at once."""
        if self.job.on_item is not None:
            self.job.on_item(self.job, item)


class Inline(Pool):
    """Does every task at once, in the thread that hands it in."""

    def __init__(self) -> None:
        self.shelf = Shelf()

    def take_in(self, job: Job, lane: str, ahead: bool) -> None:
        """Do a job at once."""
        job.began = job.handed_in
        try:
            value = job.task.perform(InlineWatch(job), self.shelf)
        except ValueError as error:
            job.end(Ending.FAULT, None, str(error))
        else:
            job.end(Ending.DONE, value)

    def find(self, key: Any, stopping: bool = False) -> Job | None:
        """None: nothing is ever under way."""
        return None

    def stop(self, key: Any, ending: Ending = Ending.STOPPED) -> int:
        """Nothing to stop."""
        return 0

    def stop_all(self) -> None:
        """Nothing is under way."""

    def load(self) -> tuple[int, int]:
        """(running, waiting): nothing."""
        return 0, 0

    def before(self, job: Job) -> int:
        """Nothing waits."""
        return 0

    def compiling(self) -> None:
        """None: who works in line does not wait for machine code."""

    def close(self) -> None:
        """Nothing is under way."""
