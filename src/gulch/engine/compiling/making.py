"""Making the machine code of all kernels, in processes of their own and at low priority.

Each of these processes takes the next kernel that nobody has made or claimed, until there is none: so any number of them, of any number of
servers, share the work, and one that is killed leaves only its kernel to the others.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import os
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from gulch.engine.compiling import store
from gulch.engine.compiling.chapters import ENTRIES, KERNELS, Kernel

CHAPTERS = ("fluids/*.py", "vessels/*.py", "*/kernels/*.py")  # where modules of kernels stand
MOST_PROCESSES = 4  # each takes some 300 MB
MOST_MEMORY = 440e6  # bytes that one may hold before it begins anew: numba keeps what it has compiled
RUBBISH = 20_000, 20, 20  # what it makes is kept, so that looking for rubbish often finds none
NICENESS = 10
LOOK = 0.5  # s between two looks at how far it is


@dataclass(frozen=True)
class Progress:
    """How far the making of machine code is. trouble: why it cannot go on, where it cannot."""

    made: int
    wanted: int
    trouble: str = ""

    @property
    def done(self) -> bool:
        return self.made >= self.wanted

    @property
    def slow(self) -> str:
        """Why a solve is slow, as users read it; empty where it is not."""
        if self.done:
            return ""
        return f"slow, since its kernels are not compiled: {self.trouble}" if self.trouble else f"slow for now: {self._under_way}"

    @property
    def waits(self) -> str:
        """What long work waits for, as users read it; empty where it does not wait."""
        return "" if self.done or self.trouble else f"waits: {self._under_way}"

    @property
    def _under_way(self) -> Any:
        return f"Gulch is compiling its kernels, once after each install ({self.made} of {self.wanted})"


@cache
def wanted() -> tuple[Kernel, ...]:
    """All kernels, of all chapters of the engine."""
    engine = Path(__file__).parents[1]
    for path in sorted(path for chapters in CHAPTERS for path in engine.glob(chapters)):
        parts = path.relative_to(engine).with_suffix("").parts
        importlib.import_module(".".join(("gulch.engine", *parts)).removesuffix(".__init__"))
    return (*KERNELS.values(), *(entry.kernel for entry in ENTRIES))


def progress(trouble: str = "") -> Progress:
    """How far it is, by what lies on disk."""
    kernels = wanted()
    return Progress(store.sealed(kernels), len(kernels), trouble)


def looked_through() -> Progress:
    """How far it is, after every file was compared with its seal: what is broken is to be made again."""
    for kernel in wanted():
        store.is_sound(kernel)
    return progress()


class Making:
    """Machine code being made beside whatever else goes on. done: called in a thread of its own once it ended, well or not."""

    def __init__(self, done: Callable[[Progress], None] = lambda _: None, processes: int | None = None) -> None:
        self.trouble = ""
        self.ended = threading.Event()
        self.done = done
        self.count = processes or min(_processors(), MOST_PROCESSES)
        self.running: list[subprocess.Popen] = []
        self.stopped = False
        threading.Thread(target=self._go, daemon=True, name="gulch-compiling").start()

    def progress(self) -> Progress:
        """How far it is."""
        return progress(self.trouble)

    def stop(self) -> None:
        """End it; what is made so far stays."""
        self.stopped = True
        for process in self.running:
            process.kill()

    def _go(self) -> None:
        try:
            store.prepare()
            command = [sys.executable, "-m", "gulch.engine.compiling.making"]
            self.running = [subprocess.Popen(command, stderr=subprocess.PIPE, stdin=subprocess.DEVNULL) for _ in range(self.count)]
            if self.stopped:  # while they were being started
                self.stop()
            said = [process.communicate()[1].decode(errors="replace").strip() for process in self.running]
            if not progress().done:
                last = next((line for text in said for line in reversed(text.splitlines()) if line.strip()), "")
                self.trouble = last or "compiling was broken off."
        except (store.Unwritable, OSError) as error:
            self.trouble = str(error)
        finally:
            self.ended.set()
            self.done(self.progress())


def _processors() -> Any:
    """How many processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def make_all(say: Callable[[Progress], None] = lambda _: None, processes: int | None = None) -> Progress:
    """Make what is missing, and wait for it. say: told how far it is, twice a second."""
    now = looked_through()
    if now.done:
        return now
    making = Making(processes=processes)
    while not making.ended.wait(LOOK):
        say(making.progress())
    say(making.progress())
    return making.progress()


def work(chosen: Sequence[str] = ()) -> int:
    """What one process does: make kernels until all are made, or cannot be. chosen: beginnings of symbols, where not all are wanted."""
    from gulch.engine.compiling import native  # numba, which nobody else needs as long as nothing is compiled

    with contextlib.suppress(OSError, AttributeError):
        os.nice(NICENESS)
    kernels = [k for k in wanted() if not chosen or k.symbol.startswith(tuple(chosen))]
    entered = {entry.kernel for entry in ENTRIES}
    start = os.getpid() % len(kernels)  # each begins elsewhere, so that they seldom meet
    order = [*kernels[start:], *kernels[:start]]
    native.declare(stand_in=True)
    gc.freeze()
    gc.set_threshold(*RUBBISH)
    try:
        store.prepare()
        while order:  # what others have claimed is looked at again until it is there, or they are gone
            for kernel in list(order):
                if _made(kernel, native.make_entry if kernel in entered else native.make):
                    order.remove(kernel)
                    if order and held() > MOST_MEMORY:
                        os.execv(sys.executable, [sys.executable, "-m", "gulch.engine.compiling.making", *chosen])
            time.sleep(LOOK if order else 0.0)
        store.forget_unused(wanted())
    except (store.Unwritable, OSError) as error:
        print(error, file=sys.stderr)
        return 1
    return 0


def held() -> float:
    """Memory that this process holds now [bytes]; 0 where the system does not say."""
    try:
        return float(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE")
    except (OSError, ValueError, AttributeError):
        return 0.0


def _made(kernel: Any, make: Any) -> Any:
    """Whether a kernel is there, made now where nobody else has claimed it."""
    if store.is_sound(kernel):
        return True
    if not store.claim(kernel):
        return False
    try:
        make(kernel, str(store.folder()))
        store.seal(kernel)
    finally:
        store.release(kernel)
    return True


if __name__ == "__main__":
    sys.exit(work(sys.argv[1:]))
