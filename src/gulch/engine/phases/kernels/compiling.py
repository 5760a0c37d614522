"""Compiling a chapter of kernels, with its machine code kept on disk for as long as the sources behind it stay.

numba's own cache follows the time stamp of a function's file and would not notice a change in a kernel or a number that is
imported from another. So each chapter has a folder of its own, named by a hash of its source and of the sources that it
imports: an edit recompiles the chapter and those that use it, and no others.
"""

from __future__ import annotations

import ast
import os
import shutil
import sys
from collections.abc import Callable
from hashlib import sha256
from pathlib import Path

import numba

OPTIONS = dict(cache=True, nogil=True, error_model="numpy")
KEPT = 4  # folders of a chapter: of versions that one goes back and forth between

_stamps = {}  # module name -> hash of all sources that its code hangs on


def chapter(name: str, inline: bool = False) -> Callable:
    """A decorator that compiles the functions of the module of that name, which calls this when its imports are done.

    inline: they become part of what calls them, which saves short functions of the inmost loops the handing over.
    """
    folder = _folder(name)
    options = OPTIONS | ({"inline": "always"} if inline else {})

    def kernel(function):
        before, numba.config.CACHE_DIR = numba.config.CACHE_DIR, str(folder)
        try:
            return numba.njit(**options)(function)
        finally:
            numba.config.CACHE_DIR = before

    return kernel


def _folder(name):
    root = _root()
    folder = root / f"{name.removeprefix('gulch.engine.')}-{stamp(name)[:16]}"
    try:
        if not folder.exists():
            folder.mkdir(parents=True, exist_ok=True)
            _forget_old(root, folder.name.rpartition("-")[0])
        os.utime(folder)
    except OSError:
        pass  # numba says what it cannot write, or compiles anew
    return folder


def _root():
    """Where compiled code lies: beside the sources where one may write there, else in the user's cache."""
    beside = Path(__file__).parent / "__pycache__"
    beside.mkdir(exist_ok=True) if os.access(beside.parent, os.W_OK) else None
    if os.access(beside, os.W_OK):
        return beside
    return Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "gulch" / "kernels"


def _forget_old(root, name):
    found = sorted(root.glob(f"{name}-{'?' * 16}"), key=lambda p: p.stat().st_mtime, reverse=True)
    for old in found[KEPT:]:
        shutil.rmtree(old, ignore_errors=True)


def stamp(name: str) -> str:
    """Hash of a module's source and of the sources of Gulch that it takes names from, through all chapters."""
    if name not in _stamps:
        source = Path(str(sys.modules[name].__file__)).read_bytes()
        others = sorted(_imported(source)) if ".kernels." in name else ()
        _stamps[name] = sha256(b"\0".join([source, *(stamp(other).encode() for other in others)])).hexdigest()
    return _stamps[name]


def _imported(source):
    """Names of the modules of Gulch that a source imports from, this one aside."""
    nodes = ast.walk(ast.parse(source))
    found = {n.module for n in nodes if isinstance(n, ast.ImportFrom) and n.module and n.module.startswith("gulch.")}
    return found - {__name__}
