"""Tasks for the tests of the workers: slow, stubborn, dying, faulty."""

import ctypes
import os
import signal
import time
from dataclasses import dataclass


@dataclass(frozen=True)
class Sleep:
    """Takes its time, but listens."""

    seconds: float
    answer: object = None

    def perform(self, watch, shelf):
        until = time.monotonic() + self.seconds
        while time.monotonic() < until and not watch.ended():
            watch.passed(1e-3)
            time.sleep(0.005)
        return self.answer


@dataclass(frozen=True)
class Stubborn:
    """Sits in machine code that does not end, deaf to everything."""

    def perform(self, watch, shelf):
        return ctypes.PyDLL(None).sleep(10_000)  # which holds Python's lock


@dataclass(frozen=True)
class Tell:
    items: tuple

    def perform(self, watch, shelf):
        for item in self.items:
            watch.tell(item)
        return os.getpid()


@dataclass(frozen=True)
class Die:
    def perform(self, watch, shelf):
        os.kill(os.getpid(), signal.SIGKILL)


@dataclass(frozen=True)
class Fault:
    def perform(self, watch, shelf):
        raise ZeroDivisionError("within")
