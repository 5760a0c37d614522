"""Letting only so many threads work at a time, those first whom somebody is looking at an empty page for."""

import threading
from collections import deque
from contextlib import contextmanager


class Turnstile:
    """So many places; whoever is in a hurry passes those who wait. More threads at work would share one interpreter, and all come late."""

    def __init__(self, places):
        self._free, self._lock = places, threading.Lock()
        self._hurried, self._others = deque(), deque()

    @contextmanager
    def passed(self, hurry=False):
        """Inside, a place is held."""
        self._enter(hurry)
        try:
            yield
        finally:
            self._leave()

    def _enter(self, hurry):
        with self._lock:
            if self._free:
                self._free -= 1
                return
            mine = threading.Event()
            (self._hurried if hurry else self._others).append(mine)
        mine.wait()  # whoever leaves hands its place on

    def _leave(self):
        with self._lock:
            waiting = self._hurried or self._others
            if waiting:
                waiting.popleft().set()
            else:
                self._free += 1
