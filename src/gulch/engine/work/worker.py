"""What runs in a worker process: tasks one after another, told about as they go."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import sys
import time
import traceback
from typing import Any

from gulch.engine.settle import Reason, Watch

EVERY = 0.1  # s between two words on progress


class PipeWatch(Watch):
    """Tells the progress of one task through a pipe, and listens there for its end."""

    def __init__(self, pipe: Any, number: Any, limit: Any) -> None:
        self.pipe, self.number = pipe, number
        self.passes, self.told = 0, time.monotonic()
        self.latest = self.told + limit
        self.reason: Reason | None = None

    def ended(self) -> Any:
        while self.reason is None and self.pipe.poll():
            word, number = self.pipe.recv()  # the other end gone: EOFError ends the process
            if word == "stop" and number == self.number:
                self.reason = Reason.CANCELLED
        if self.reason is None and time.monotonic() > self.latest:
            self.reason = Reason.OUT_OF_TIME
        return self.reason

    def passed(self, residual: float) -> None:
        self.passes += 1
        if (now := time.monotonic()) > self.told + EVERY:
            self.told = now
            self.pipe.send(("passes", self.number, (self.passes, float(residual))))

    def tell(self, item: Any) -> None:
        """Hand a part of the answer on at once."""
        self.pipe.send(("item", self.number, item))


def serve(pipe: Any, niceness: int) -> None:
    """Work on what comes through the pipe until it is closed."""
    from gulch.engine.compiling import taking
    from gulch.engine.species.kept import gather_elsewhere
    from gulch.engine.work.tasks import Shelf

    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the server, which ends its workers
    _end_with_parent()
    gather_elsewhere()
    if niceness and hasattr(os, "nice"):
        with contextlib.suppress(OSError):
            os.nice(niceness)
    shelf = Shelf()
    with contextlib.suppress(EOFError, BrokenPipeError, ConnectionResetError):
        pipe.send(("ready", 0, os.getpid()))
        quick = False
        while True:
            word, *rest = pipe.recv()
            if word == "do":
                quick = quick or taking.take_all()
                _do(pipe, shelf, *rest)


def _do(pipe: Any, shelf: Any, number: Any, task: Any, limit: Any) -> None:
    watch = PipeWatch(pipe, number, limit)
    try:
        value = task.perform(watch, shelf)
        told = ("ended", number, watch.reason) if watch.reason else ("done", number, value)
    except (EOFError, BrokenPipeError):
        raise
    except ValueError as error:
        told = ("refused", number, (str(error), traceback.format_exc()))
    except Exception:
        told = ("fault", number, traceback.format_exc())
    pipe.send(told)


def _end_with_parent() -> None:
    """On Linux a worker ends with the process that made it, even in the middle of a kernel."""
    if sys.platform == "linux":
        with contextlib.suppress(OSError, AttributeError):
            ctypes.CDLL(None).prctl(1, signal.SIGKILL)  # PR_SET_PDEATHSIG
