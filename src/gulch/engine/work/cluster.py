"""The workers' interface with its second lane on a cluster of dask.distributed; the first stays on this machine.

Only needed where GULCH_CLUSTER gives an address: `pip install "gulch[cluster]"`. Owners take turns here, since the
cluster is handed little more than it can begin at once.
"""

from __future__ import annotations

import itertools
import logging
import threading
import time
from collections import OrderedDict, deque
from typing import Any
from uuid import uuid4

from gulch.engine.compiling.making import Progress, make_all
from gulch.engine.settle import Reason, Watch
from gulch.engine.work.job import Ending, Job, Pool, new_reference
from gulch.engine.work.pool import Workers
from gulch.engine.work.tasks import Shelf

log = logging.getLogger("gulch.work")

CONNECT = 5.0  # s that the cluster has to answer in
ASK_EVERY = 0.5  # s between two questions whether to stop
AHEAD = 1  # tasks handed on for each thread beyond the one that runs
ABSENT = "The cluster at {} does not answer. Start it, or start Gulch without GULCH_CLUSTER; what is finished is kept."
NOT_INSTALLED = 'Scans on a cluster need further packages: pip install "gulch[cluster]", or start Gulch without GULCH_CLUSTER.'
_own = threading.local()


class ClusterWatch(Watch):
    """Keeps what a task tells, and asks the cluster now and then whether to stop."""

    def __init__(self, flag: Any, limit: Any) -> None:
        from distributed import Event

        self.items, self.flag, self.latest = [], Event(flag), time.monotonic() + limit
        self.reason: Reason | None = None
        self.next = time.monotonic() + ASK_EVERY

    def ended(self) -> Any:
        now = time.monotonic()
        if self.reason is None and now > self.latest:
            self.reason = Reason.OUT_OF_TIME
        if self.reason is None and now > self.next:
            self.next = now + ASK_EVERY
            if self.flag.is_set():
                self.reason = Reason.CANCELLED
        return self.reason

    def tell(self, item: Any) -> None:
        """Keep an item until it is fetched."""
        self.items.append(item)


def perform(task: Any, flag: Any, limit: float) -> Any:
    """Run a task on a worker of the cluster: (items told, answer, settle.Reason or None, refusal or "")."""
    if not hasattr(_own, "shelf"):
        make_all()
        _own.shelf = Shelf()
    watch = ClusterWatch(flag, limit)
    try:
        return watch.items, task.perform(watch, _own.shelf), watch.reason, ""
    except ValueError as error:
        return watch.items, None, watch.reason, str(error)


class Cluster(Pool):
    """As `Workers`; address: of the scheduler, "tcp://host:8786"."""

    def __init__(self, address: Any, now: Any = 1, later: Any = None, limit: Any = 600.0) -> None:
        self.address, self.limit = address, limit
        self.local = Workers(now, later, limit)
        self.ready = self.local.ready
        self.client: Any = None
        self.lock = threading.RLock()
        self.queue = OrderedDict()  # owner -> deque of jobs
        self.under_way = {}  # job -> (future, name of its flag)

    def take_in(self, job: Job, lane: str, ahead: bool) -> None:
        """Put a job of the first lane into that of this machine, any other into the queue for the cluster."""
        if lane == "now":
            return self.local.take_in(job, lane, ahead)
        with self.lock:
            queue = self.queue.setdefault(job.owner, deque())
            queue.appendleft(job) if ahead else queue.append(job)
        threading.Thread(target=self.pass_on, daemon=True, name="gulch-work-cluster").start()
        return None

    def compiling(self) -> Progress | None:
        """See `Workers.compiling`: of this machine. What runs on the cluster is compiled there."""
        return self.local.compiling()

    def connected(self) -> Any:
        """The client, connected; None where the cluster does not answer."""
        from distributed import Client

        with self.lock:
            if self.client is not None and self.client.status == "running":
                return self.client
            self.client = None
            try:
                self.client = Client(self.address, timeout=CONNECT, set_as_default=False, name="gulch")
            except (OSError, TimeoutError, ValueError) as error:  # ValueError: what stands there is no address
                log.warning("the cluster at %s: %s", self.address, error)
            return self.client

    def pass_on(self) -> None:
        """Hand waiting jobs to the cluster as far as it can soon begin on them, owners in turn."""
        try:
            client, why = self.connected(), ABSENT.format(self.address)
        except ImportError:
            client, why = None, NOT_INSTALLED
        if client is None:
            with self.lock:
                waiting = [j for jobs in self.queue.values() for j in jobs]
                self.queue.clear()
            for job in waiting:
                job.end(Ending.FAULT, None, why)
            return
        with self.lock:
            room = max(1, sum(client.nthreads().values())) * (1 + AHEAD) - len(self.under_way)
            while room > 0 and (job := self._next()) is not None:
                flag = f"gulch-stop-{uuid4().hex}"
                job.began = time.monotonic()
                future = client.submit(perform, job.task, flag, self.limit, pure=False)
                self.under_way[job] = (future, flag)
                future.add_done_callback(lambda done, job=job: self.ended(job, done))
                room -= 1

    def _next(self) -> Any:
        for owner in list(self.queue):
            if self.queue[owner]:
                self.queue.move_to_end(owner)
                return self.queue[owner].popleft()
            del self.queue[owner]
        return None

    def ended(self, job: Job, future: Any) -> None:
        """Take a job's answer; called in a thread of the client."""
        with self.lock:
            if self.under_way.pop(job, None) is None:
                return  # stopped meanwhile
        # in a thread of our own name: who keeps answers gives up its database connection by that
        threading.Thread(target=self._take, args=(job, future), daemon=True, name="gulch-work-cluster").start()

    def _take(self, job: Any, future: Any) -> None:
        try:
            ending = self._answer(job, future)
        except Exception:
            log.exception("an answer of the cluster could not be taken")
            ending = (Ending.DIED, None, "")
        try:
            job.end(*ending)
        except Exception:
            log.exception("what hangs on the end of a job failed")
        self.pass_on()

    def _answer(self, job: Any, future: Any) -> Any:
        """(Ending, value, words) of a future that is done."""
        if future.status != "finished":
            error = future.exception() if future.status == "error" else None
            if type(error).__name__ in ("KilledWorker", "NoneType", "CommClosedError"):
                return Ending.DIED, None, ""
            reference = new_reference()
            log.error("fault %s on the cluster: %r", reference, error)
            return (
                Ending.FAULT,
                None,
                f"Gulch met a fault of its own (reference {reference}); the project is unchanged.",
            )
        items, value, reason, refusal = future.result()
        for item in items:
            if job.on_item is not None:
                job.on_item(job, item)
        if refusal:
            return Ending.FAULT, None, refusal
        if reason is not None:
            return (Ending.OUT_OF_TIME if reason is Reason.OUT_OF_TIME else Ending.STOPPED), None, ""
        return Ending.DONE, value, ""

    def find(self, key: Any, stopping: bool = False) -> Job | None:
        """The Job under a key, or None."""
        with self.lock:
            mine = [j for j in (*self.under_way, *itertools.chain(*self.queue.values())) if j.key == key]
        return mine[0] if mine else self.local.find(key, stopping)

    def stop(self, key: Any, ending: Ending = Ending.STOPPED) -> int:
        """End the jobs of a key at once; the cluster is told, and what it still brings is dropped."""
        with self.lock:
            dropped = [j for jobs in self.queue.values() for j in jobs if j.key == key]
            for owner, jobs in self.queue.items():
                self.queue[owner] = deque(j for j in jobs if j.key != key)
            running = {j: self.under_way.pop(j) for j in list(self.under_way) if j.key == key}
        for future, flag in running.values():
            self._tell_to_stop(future, flag)
        for job in (*dropped, *running):
            job.end(ending)
        return len(dropped) + len(running) + self.local.stop(key, ending)

    def _tell_to_stop(self, future: Any, flag: Any) -> None:
        from distributed import Event

        try:
            Event(flag, client=self.client).set()
            future.cancel()
        except Exception:
            log.exception("the cluster could not be told to stop")

    def stop_all(self) -> None:
        """Stop everything on the cluster."""
        with self.lock:
            keys = {j.key for j in (*self.under_way, *itertools.chain(*self.queue.values()))}
        for key in keys:
            self.stop(key)
        self.local.stop_all()

    def load(self) -> tuple[int, int]:
        """(running, waiting) jobs here."""
        return self.local.load()

    def before(self, job: Job) -> int:
        """How many jobs of the first lane come before one that waits here."""
        return self.local.before(job)

    def close(self) -> None:
        """End everything, here and on the cluster."""
        self.stop_all()
        if self.client is not None:
            self.client.close()
        self.local.close()
