"""Letting only so many requests work at a time, those first whom somebody is looking at an empty page for.

Requests share one interpreter: with many at work at a time each is slow, whoever holds the database's lock too, and all wait for that.
"""

from __future__ import annotations

import threading
from collections import deque
from contextlib import contextmanager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from django.http import HttpRequest, HttpResponse

    from gulch.engine.work.job import Job


class Turnstile:
    """So many places; whoever is in a hurry passes those who wait, and nobody waits longer than `patience` [s]."""

    def __init__(self, places: int, patience: float = 10.0) -> None:
        self._free, self._lock, self._patience = places, threading.Lock(), patience
        self._hurried, self._others = deque(), deque()
        self._mine = threading.local()

    @contextmanager
    def passed(self, hurry: bool = False) -> Iterator:
        """Inside, a place is held."""
        self._enter(hurry)
        self._mine.held = True
        try:
            yield
        finally:
            self._mine.held = False
            self._leave()

    @contextmanager
    def left(self) -> Iterator:
        """Inside, the place that this thread may hold is another's; nothing that others wait for may be held meanwhile."""
        held = getattr(self._mine, "held", False)
        if held:
            self._leave()
        try:
            yield
        finally:
            if held:
                self._enter(hurry=True)

    def _enter(self, hurry: bool) -> None:
        with self._lock:
            if self._free > 0:
                self._free -= 1
                return
            mine = threading.Event()
            (self._hurried if hurry else self._others).append(mine)
        if mine.wait(self._patience):  # whoever leaves hands its place on
            return
        with self._lock:
            if not mine.is_set():  # whoever holds the places hangs: one more at work is slower, but works
                (self._hurried if hurry else self._others).remove(mine)
                self._free -= 1

    def _leave(self) -> None:
        with self._lock:
            waiting = self._hurried or self._others
            if waiting and self._free >= 0:
                waiting.popleft().set()
            else:
                self._free += 1


at_work = Turnstile(2)  # while one asks the database the other goes on


def waited(job: Job, seconds: float) -> bool:
    """Whether a job ended within some seconds; other requests work meanwhile."""
    with at_work.left():
        return job.wait(seconds)


class AtWork:
    """Requests work so many at a time."""

    def __init__(self, get_response: Callable) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with at_work.passed(hurry=request.method == "GET"):
            return self.get_response(request)
