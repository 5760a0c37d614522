"""Where machine code lies on disk, and whether what lies there may be trusted.

Each kernel has files of its own, named by its key, and a seal: a small file with the hashes of those files, written last. What
has no seal, or does not fit it (half written, changed), does not exist. A claim
tells other processes that a kernel is being made.
"""

from __future__ import annotations

import contextlib
import json
import os
import platform
import shutil
import sys
import time
from collections.abc import Iterable
from functools import cache
from hashlib import sha256
from importlib.metadata import version
from pathlib import Path
from typing import Any

from platformdirs import user_cache_dir

from gulch.engine.compiling.chapters import Kernel

STALE = 120.0  # s after which a claim counts no more: no kernel takes that long
UNUSED = 30 * 86400.0  # s after which files that nobody loaded are forgotten


class Unwritable(Exception):
    """Machine code cannot be kept; says why."""


@cache
def folder() -> Path:
    """The folder for this Python, numba, machine and way of calling: beside the sources where one may write, else in the user's cache."""
    here = Path(__file__).parent
    way = sha256(b"".join((here / name).read_bytes() for name in ("native.py", "lean.py"))).hexdigest()[:8]
    kind = f"{sys.implementation.cache_tag}-{sys.platform}-{platform.machine()}-numba-{version('numba')}-{way}"
    chosen = os.environ.get("GULCH_KERNELS")
    if chosen:
        return Path(chosen) / kind
    beside = Path(__file__).parent / "__pycache__"
    with contextlib.suppress(OSError):
        beside.mkdir(exist_ok=True)
    if os.access(beside, os.W_OK):
        return beside / "kernels" / kind
    return Path(user_cache_dir("gulch", appauthor=False)) / "kernels" / kind


def prepare() -> None:
    """Make the folder and try to write in it. Raises Unwritable."""
    try:
        folder().mkdir(parents=True, exist_ok=True)
        trial = folder() / f"trial-{os.getpid()}"
        trial.write_bytes(b"x")
        trial.unlink()
    except OSError as error:
        raise Unwritable(f"compiled kernels cannot be kept in {folder()}: {error.strerror or error}.") from None


def _seal(kernel: Any) -> Any:
    return folder() / f"{kernel.symbol}-{kernel.key}.seal"


def _claim(kernel: Any) -> Any:
    return folder() / f"{kernel.symbol}-{kernel.key}.claim"


def _files(kernel: Any) -> Any:
    return sorted(p for p in folder().glob(f"*-{kernel.key}.py*") if ".tmp." not in p.name)


def is_sealed(kernel: Kernel) -> bool:
    """Whether a kernel was made once; its files are not looked at."""
    return _seal(kernel).exists()


def sealed(kernels: Iterable[Kernel]) -> int:
    """How many of some kernels were made once."""
    try:
        there = set(os.listdir(folder()))
    except OSError:
        return 0
    return sum(_seal(kernel).name in there for kernel in kernels)


def is_sound(kernel: Kernel) -> bool:
    """Whether a kernel's files are what its seal says; what is broken loses its seal and its files."""
    try:
        told = json.loads(_seal(kernel).read_text())
        if told and all(_hash(folder() / name) == value for name, value in told.items()):
            return True
    except (OSError, ValueError, AttributeError):
        if not is_sealed(kernel):
            return False
    unseal(kernel)
    return False


def _hash(path: Any) -> Any:
    return sha256(path.read_bytes()).hexdigest()


def seal(kernel: Kernel) -> None:
    """Vouch for a kernel's files. Raises Unwritable."""
    try:
        told = {p.name: _hash(p) for p in _files(kernel)}
        part = _seal(kernel).with_suffix(f".{os.getpid()}")
        part.write_text(json.dumps(told))
        os.replace(part, _seal(kernel))
    except OSError as error:
        raise Unwritable(f"compiled kernels cannot be kept in {folder()}: {error.strerror or error}.") from None


def unseal(kernel: Kernel) -> None:
    """Forget a kernel's files."""
    for path in (_seal(kernel), *_files(kernel)):
        with contextlib.suppress(OSError):
            path.unlink()


def claim(kernel: Kernel) -> bool:
    """Take a kernel for making; False where another process that lives has it. Raises Unwritable."""
    path = _claim(kernel)
    for _ in range(2):
        try:
            with open(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY), "w") as file:
                file.write(str(os.getpid()))
            return True
        except FileExistsError:
            if _held(path):
                return False
            with contextlib.suppress(OSError):
                path.unlink()
        except OSError as error:
            raise Unwritable(f"compiled kernels cannot be kept in {folder()}: {error.strerror or error}.") from None
    return False


def _held(path: Any) -> Any:
    """Whether the process that wrote a claim may still be at it."""
    try:
        if time.time() - path.stat().st_mtime > STALE:
            return False
        holder = int(path.read_text() or "0")
    except (OSError, ValueError):
        return False
    if holder <= 0 or os.name != "posix":
        return True
    try:
        os.kill(holder, 0)
    except ProcessLookupError:
        return False
    except OSError:
        pass
    return True


def release(kernel: Kernel) -> None:
    """Let others have a kernel."""
    with contextlib.suppress(OSError):
        _claim(kernel).unlink()


def forget_unused(wanted: Iterable[Kernel]) -> None:
    """Delete what nobody has used for a month, other folders too, but what is wanted now; mark that as used."""
    keys = {kernel.key for kernel in wanted}
    now = time.time()
    with contextlib.suppress(OSError):
        os.utime(folder())
        for other in folder().parent.glob("*-numba-*"):  # nothing else that may lie there
            if other.is_dir() and now - other.stat().st_mtime > UNUSED:
                shutil.rmtree(other, ignore_errors=True)
        for path in folder().iterdir():
            with contextlib.suppress(OSError):
                if any(key in path.name for key in keys):
                    os.utime(path)
                elif now - path.stat().st_mtime > UNUSED:
                    path.unlink()
