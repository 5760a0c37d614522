"""Letting only so many threads work at a time, those first whom somebody is looking at an empty page for."""

from __future__ import annotations

import threading
from collections import deque
from contextlib import contextmanager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator


class Turnstile:
    """So many places; whoever is in a hurry passes those who wait. More threads at work would share one interpreter, and all come late."""

    def __init__(self, places: int) -> None:
        self._free, self._lock = places, threading.Lock()
        self._hurried, self._others = deque(), deque()

    @contextmanager
    def passed(self, hurry: bool = False) -> Iterator:
        """Inside, a place is held."""
        self._enter(hurry)
        try:
            yield
        finally:
            self._leave()

    def _enter(self, hurry: bool) -> None:
        with self._lock:
            if self._free:
                self._free -= 1
                return
            mine = threading.Event()
            (self._hurried if hurry else self._others).append(mine)
        mine.wait()  # whoever leaves hands its place on

    def _leave(self) -> None:
        with self._lock:
            waiting = self._hurried or self._others
            if waiting:
                waiting.popleft().set()
            else:
                self._free += 1
