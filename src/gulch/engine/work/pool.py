"""Worker processes on this machine.

Each worker is one process behind one pipe: it can be killed without breaking the others, which a pool of
`concurrent.futures` cannot bear. Two lanes: *now* for what a user waits for, *later* for scans, which run at lower
priority and take turns between owners. A job of the first lane that lasts steps aside: its worker goes on at lower
priority and a fresh one takes its place, so one hard process holds up nobody else.
"""

from __future__ import annotations

import contextlib
import itertools
import logging
import multiprocessing
import os
import threading
import time
from collections import OrderedDict, deque
from multiprocessing.connection import wait
from queue import SimpleQueue
from typing import TYPE_CHECKING, Any

from gulch.engine.compiling.making import Making, Progress, looked_through
from gulch.engine.settle import Reason
from gulch.engine.work.job import Ending, Job, Pool, new_reference
from gulch.engine.work.worker import serve

if TYPE_CHECKING:
    from collections.abc import Iterator


log = logging.getLogger("gulch.work")

TIME_LIMIT = 600.0  # s, of one task: a guard only, since searches are limited by counts
GRACE = 0.3  # s that a task asked to stop has to come to its own end
STEP_ASIDE = 1.5  # s after which a job of the first lane makes room
MOST_ASIDE = 6  # jobs that may have stepped aside at a time
JOBS_EACH = 1000  # after which a worker is made anew, so that memory never piles up
LATER = 10  # niceness of what is done later
PRELOAD = ("gulch.engine.work.preload",)


class Workers(Pool):
    """Takes tasks and runs them. now, later: how many workers each lane has.

    Machine code that is missing is made beside. Until it is there the first lane solves by plain kernels and the second waits.
    """

    def __init__(self, now: int = 1, later: int | None = None, limit: float = TIME_LIMIT, preload: Any = PRELOAD) -> None:
        os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # small matrices: threads would only compete
        ways = multiprocessing.get_all_start_methods()
        self.context = multiprocessing.get_context("forkserver" if "forkserver" in ways else "spawn")
        if "forkserver" in ways:
            self.context.set_forkserver_preload(list(preload))
        self.limit = limit
        self.size = {"now": now, "later": later or os.cpu_count() or 1}
        self.change = threading.Condition()
        self.queues = {"now": OrderedDict(), "later": OrderedDict()}  # owner -> deque of jobs
        self.running = {}  # job -> slot
        self.ending: set[Job] = set()  # jobs that are done, while what hangs on their end is
        self.slots = {"now": set(), "later": set()}
        self.numbers = itertools.count(1)
        self.ready = threading.Event()  # set once the first worker is there, kernels loaded
        self.closed = False
        self.making = None if looked_through().done else Making(self._made)
        self.tell = Telling(self)

    def compiling(self) -> Progress | None:
        """How far the making of machine code is while solves are slow for want of it, else None."""
        now = self.making.progress() if self.making is not None else None
        return None if now is None or now.done else now

    def _made(self, now: Any) -> None:
        """Wake what waited for machine code; where there will be none, plain kernels have to do."""
        if now.trouble:
            log.warning("no machine code: %s", now.trouble)
        with self.change:
            self.change.notify_all()

    def take_in(self, job: Job, lane: str, ahead: bool) -> None:
        """Put a job into its lane. Raises RuntimeError."""
        with self.change:
            if self.closed:
                raise RuntimeError("the workers are closed")
            queue = self.queues[lane].setdefault(job.owner, deque())
            queue.appendleft(job) if ahead else queue.append(job)
            self._staff(lane)
            self.change.notify_all()

    def find(self, key: Any, stopping: bool = False) -> Job | None:
        """The Job of a key that has not ended, or None; stopping: one that was stopped too, until what hangs on its end is done."""
        wanted = {None, Ending.STOPPED} if stopping else {None}
        with self.change:
            there = (*self._jobs(), *self.ending)
            return next((j for j in there if j.key == key and not j.ended and j.wanted_end in wanted), None)

    def stop(self, key: Any, ending: Ending = Ending.STOPPED) -> int:
        """End the jobs of a key: at once where they wait, within a second where they run. Returns how many."""
        dropped, asked = [], 0
        with self.change:
            for queue in self.queues.values():
                for owner, jobs in list(queue.items()):
                    dropped += [j for j in jobs if j.key == key]
                    queue[owner] = deque(j for j in jobs if j.key != key)
            for job, slot in self.running.items():
                if job.key == key and job.wanted_end is None:
                    job.wanted_end = ending
                    slot.bell()
                    asked += 1
            for job in dropped:
                job.wanted_end = ending
            self.ending.update(dropped)
        for job in dropped:
            job.end(ending)
            self.ended(job)
        return len(dropped) + asked

    def stop_all(self) -> None:
        """End all jobs, and wait until they have ended."""
        with self.change:
            jobs = list(self._jobs())
            keys = {j.key for j in jobs}
        for key in keys:
            self.stop(key)
        for job in jobs:
            job.wait(10.0)

    def close(self) -> None:
        """End everything; nothing can be handed in any more."""
        with self.change:
            self.closed = True
            waiting = [j for q in self.queues.values() for jobs in q.values() for j in jobs]
            for queue in self.queues.values():
                queue.clear()
            slots = [s for lane in self.slots.values() for s in lane]
            for job in self.running:
                job.wanted_end = job.wanted_end or Ending.STOPPED
            self.change.notify_all()
        if self.making is not None:
            self.making.stop()
        for slot in slots:
            slot.bell()
        for job in waiting:
            job.end(Ending.STOPPED)
        for slot in slots:
            slot.thread.join(5.0)
        self.tell.close()

    def load(self) -> tuple[int, int]:
        """(jobs that run, jobs that wait) in the first lane."""
        with self.change:
            running = sum(slot.lane == "now" for slot in self.running.values())
            return running, sum(map(len, self.queues["now"].values()))

    def before(self, job: Job) -> int:
        """How many jobs of the first lane that wait are taken before one of them: owners take turns. 0 of any other job."""
        with self.change:
            queue = self.queues["now"]
            own = next((jobs for jobs in queue.values() if job in jobs), None)
            if own is None:
                return 0
            turns = own.index(job) + 1  # of each other owner at most so many are taken meanwhile
            return turns - 1 + sum(min(len(jobs), turns) for jobs in queue.values() if jobs is not own)

    # Used by slots

    def _jobs(self) -> Iterator:
        yield from self.running
        for queue in self.queues.values():
            for jobs in queue.values():
                yield from jobs

    def _staff(self, lane: str) -> None:
        """Have as many slots as the lane should; those that stepped aside do not count. The lock is held."""
        slots = self.slots[lane]
        aside = sum(s.aside for s in slots)
        want = self.size[lane] + min(aside, MOST_ASIDE)
        if len(slots) < want and sum(map(len, self.queues[lane].values())) > sum(s.idle for s in slots):
            slots.add(Slot(self, lane))

    def take(self, slot: Slot) -> Job | None:
        """The next job for a slot, owners in turn; None when the slot is to end."""
        with self.change:
            queue = self.queues[slot.lane]
            while True:
                if self.closed or slot.aside:
                    self.slots[slot.lane].discard(slot)
                    return None
                if slot.lane == "later" and self.making is not None and not self.making.ended.is_set():
                    self.change.wait()
                    continue
                for owner in list(queue):
                    if queue[owner]:
                        job = queue[owner].popleft()
                        queue.move_to_end(owner)
                        self.running[job] = slot
                        slot.idle = False
                        self._staff(slot.lane)
                        return job
                    del queue[owner]
                slot.idle = True
                self.change.wait()

    def done(self, job: Job) -> None:
        """Take a job that ended out of the books and wake who waits."""
        with self.change:
            self.running.pop(job, None)
            self.ending.add(job)

    def ended(self, job: Job) -> None:
        """Forget a job whose end everybody knows of."""
        with self.change:
            self.ending.discard(job)

    def step_aside(self, slot: Slot) -> bool:
        """Let a fresh slot take over the lane from one that is busy for long."""
        with self.change:
            if sum(s.aside for s in self.slots[slot.lane]) < MOST_ASIDE:
                slot.aside = True
                self._staff(slot.lane)
        return slot.aside


class Telling:
    """The thread in which jobs end: what hangs on it, such as storing an answer, keeps no worker from its next job."""

    def __init__(self, workers: Workers) -> None:
        self.workers, self.ends = workers, SimpleQueue()
        self.thread = threading.Thread(target=self.go, daemon=True, name="gulch-work-ends")
        self.thread.start()

    def __call__(self, job: Job, ending: Ending, value: Any, words: str) -> None:
        """Have a job end, after those before it."""
        self.ends.put((job, ending, value, words))

    def go(self) -> None:
        """End jobs in the order in which they are done, until the pool is closed."""
        while (done := self.ends.get()) is not None:
            job, ending, value, words = done
            try:
                job.end(ending, value, words)
            except Exception:
                log.exception("what hangs on the end of a job failed")
            self.workers.ended(job)

    def close(self) -> None:
        """End the jobs that are left, and the thread."""
        self.ends.put(None)
        self.thread.join(5.0)


class Slot:
    """One worker process, and the thread that feeds it."""

    def __init__(self, workers: Workers, lane: str) -> None:
        self.workers, self.lane = workers, lane
        self.idle, self.aside = True, False
        self.process: Any = None
        self.pipe: Any = None
        self.jobs = 0
        self.hear, self.ring = multiprocessing.Pipe(duplex=False)
        self.thread = threading.Thread(target=self.go, daemon=True, name=f"gulch-work-{lane}")
        self.thread.start()

    def bell(self) -> None:
        """Wake the slot to look at its job again."""
        with contextlib.suppress(OSError, ValueError):
            self.ring.send_bytes(b"!")

    def go(self) -> None:
        """Work on jobs, one after another, until the pool is closed."""
        while (job := self.workers.take(self)) is not None:
            try:
                ending, value, words = self.run(job)
            except Exception as error:  # the pool itself must go on
                ending_all = self.workers.closed or isinstance(error, EOFError)  # the whole group of processes is told to end
                log.warning("no worker can be started any more") if ending_all else log.exception("a worker could not be run")
                self.kill()
                ending, value, words = Ending.FAULT, None, "The solver's process could not be started."
            self.workers.done(job)
            self.workers.tell(job, ending, value, words)
            self.idle = True
        self.kill()
        self.hear.close()
        self.ring.close()

    def start(self) -> None:
        """A fresh process behind a fresh pipe."""
        self.kill()
        self.pipe, theirs = multiprocessing.Pipe()
        process = self.workers.context.Process(  # type: ignore[attr-defined]  # every context has one
            target=serve, args=(theirs, LATER if self.lane == "later" else 0), daemon=True, name="gulch-worker"
        )
        process.start()
        self.process = process
        theirs.close()
        self.jobs = 0

    def kill(self) -> None:
        """End the process, whatever it does."""
        if self.process is not None:
            if self.process.is_alive():
                self.process.kill()
            self.process.join(2.0)
            self.process = None
        if self.pipe is not None:
            self.pipe.close()
            self.pipe = None

    def run(self, job: Job) -> tuple:
        """Have one job done. Returns (Ending, value, words)."""
        if job.wanted_end is not None:
            return job.wanted_end, None, ""
        if self.process is None or not self.process.is_alive() or self.jobs >= JOBS_EACH:
            self.start()
        self.jobs += 1
        number = next(self.workers.numbers)
        job.began = time.monotonic()
        try:
            self.pipe.send(("do", number, job.task, self.workers.limit))
            return self.follow(job, number)
        except (EOFError, OSError):
            code = self.process.exitcode if self.process is not None else None
            log.warning("a worker ended unexpectedly (exit code %s)", code)
            self.kill()
            return job.wanted_end or Ending.DIED, None, ""

    def follow(self, job: Job, number: int) -> tuple:
        """Listen to a job until it ends; asks it to stop, and kills what does not."""
        limits = Limits(job, self)
        while True:
            assert self.pipe is not None  # a worker that has a job is there
            heard = wait([self.pipe, self.hear], limits.next())
            if self.hear in heard:
                self.hear.recv_bytes()
            if self.pipe in heard:
                word, of, what = self.pipe.recv()
                if word == "ready":
                    self.workers.ready.set()
                elif of == number and (ended := self.heard(job, word, what)) is not None:
                    return ended
            if limits.strike(number):
                self.kill()
                return limits.ending, None, ""

    def heard(self, job: Job, word: str, what: Any) -> tuple | None:
        """Take one word of the worker; (Ending, value, words) where it is the last."""
        if word == "passes":
            job.passes, job.residual = what
        elif word == "item" and job.on_item is not None:
            try:
                job.on_item(job, what)
            except Exception:
                log.exception("a part of an answer could not be kept")
        elif word == "done":
            return (job.wanted_end, None, "") if job.wanted_end else (Ending.DONE, what, "")
        elif word == "ended":
            return job.wanted_end or (Ending.OUT_OF_TIME if what is Reason.OUT_OF_TIME else Ending.STOPPED), None, ""
        elif word == "refused":
            log.info("a task was refused: %s", what[1])
            return Ending.FAULT, None, what[0]
        elif word == "fault":
            reference = new_reference()
            log.error("fault %s in a worker\n%s", reference, what)
            return (
                Ending.FAULT,
                None,
                f"Gulch met a fault of its own (reference {reference}); the project is unchanged.",
            )
        return None


class Limits:
    """When a running job is to be looked at next, and what is done to it then."""

    def __init__(self, job: Any, slot: Any) -> None:
        self.job, self.slot = job, slot
        self.latest = job.began + slot.workers.limit + 10.0  # its own watch comes first
        self.asked: float | None = None
        self.ending: Ending | None = None

    def next(self) -> float:
        """Seconds until something is due."""
        due = [self.latest]
        if self.asked is not None:
            due.append(self.asked + GRACE)
        elif self.slot.lane == "now" and not self.slot.aside:
            due.append(max(self.job.began + STEP_ASIDE, time.monotonic() + 0.1))
        return max(0.0, min(due) - time.monotonic())

    def strike(self, number: int) -> bool:
        """Do what is due; whether the process is to be killed."""
        now, job, slot = time.monotonic(), self.job, self.slot
        if job.wanted_end is not None and self.asked is None:
            self.asked, self.ending = now, job.wanted_end
            slot.pipe.send(("stop", number))
        if self.asked is not None and now >= self.asked + GRACE:
            return True
        if now >= self.latest:
            self.ending = Ending.OUT_OF_TIME
            return True
        if slot.lane == "now" and not slot.aside and now >= job.began + STEP_ASIDE and slot.workers.step_aside(slot):
            with contextlib.suppress(OSError, AttributeError):
                os.setpriority(os.PRIO_PROCESS, slot.process.pid, LATER)
        return False
