"""The interface of the workers, worked in line: for commands and tests."""

from gulch.engine.settle import Watch
from gulch.engine.work.job import Ending, Job
from gulch.engine.work.tasks import Shelf


class InlineWatch(Watch):
    def __init__(self, job):
        self.job = job

    def passed(self, residual):
        self.job.passes += 1
        self.job.residual = residual

    def tell(self, item):
        """Hand an item on at once."""
        if self.job.on_item is not None:
            self.job.on_item(self.job, item)


class Inline:
    """Does every task at once, in the thread that hands it in."""

    def __init__(self):
        self.shelf = Shelf()

    def submit(self, task, *, key=None, owner=None, lane="now", about=None, replaces=True, on_item=None, on_end=None):
        """Do a task at once; returns its ended Job. Arguments as of Workers.submit."""
        job = Job(task, key, owner, about, on_item, on_end)
        job.began = job.handed_in
        try:
            value = task.perform(InlineWatch(job), self.shelf)
        except ValueError as error:
            job.end(Ending.FAULT, None, str(error))
        else:
            job.end(Ending.DONE, value)
        return job

    def find(self, key):
        """None: nothing is ever under way."""
        return None

    def stop(self, key, ending=Ending.STOPPED):
        """Nothing to stop."""
        return 0

    def stop_all(self):
        """Nothing is under way."""

    def load(self):
        """(running, waiting): nothing."""
        return 0, 0

    def close(self):
        """Nothing is under way."""
