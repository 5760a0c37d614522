"""Taking machine code into this process, where it lies ready; else its kernels stay plain Python."""

from __future__ import annotations

import logging
import threading
from functools import cache
from typing import Any

from gulch.engine.compiling import store
from gulch.engine.compiling.chapters import ENTRIES, Entry, Kernel, plain

log = logging.getLogger("gulch.compiling")
_lock = threading.RLock()
_there: set[Kernel] = set()  # kernels under their symbols
_plain = False


def stay_plain() -> None:
    """Never load machine code here: a process that hardly computes does without what that takes."""
    global _plain
    _plain = True


def take(entry: Entry) -> bool:
    """Let an entry run in machine code if that and all it calls lie ready, and whether it does."""
    with _lock:
        if entry.compiled:
            return True
        entry.run = plain(entry.kernel.function)
        if _plain or store.sealed(_closure(entry.kernel)) < len(_closure(entry.kernel)):
            return False
        try:
            from gulch.engine.compiling import native  # imports numba: only where there is something to load

            if not native.for_any_machine():
                log.warning("numba was put to work before Gulch was loaded: here the kernels are not compiled, which is slow")
                stay_plain()
                return False
            folder = str(store.folder())
            native.declare()
            if not all(k in _there or store.is_sound(k) for k in _closure(entry.kernel)):
                return False
            for kernel in _closure(entry.kernel):
                if kernel not in _there and kernel is not entry.kernel:
                    native.make(kernel, folder)
                    _there.add(kernel)
            entry.run, entry.compiled = native.make_entry(entry.kernel, folder), True
        except Exception:  # whatever is wrong with machine code: the plain kernels give the same figures
            log.exception("machine code could not be loaded")
            return False
        return True


def take_all() -> bool:
    """Take machine code for all that this process has imported; whether there was some for each."""
    return all([take(entry) for entry in ENTRIES])


@cache
def _closure(kernel: Any) -> Any:
    """A kernel and all that it calls, each after what it calls itself."""
    done: dict[Kernel, None] = {}

    def visit(one: Any) -> None:
        for called in one.calls:
            if called not in done:
                visit(called)
        done[one] = None

    visit(kernel)
    return list(done)
