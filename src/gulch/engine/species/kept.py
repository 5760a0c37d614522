"""What was gathered from the databank's tables, kept on disk: loading the tables takes longer than most solves.

One small file a species, under a folder named by the versions of the databank and of the code that reads it, so that
neither is ever outlived. Whatever is wrong with the folder, the tables themselves are read.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import tempfile
import threading
from collections.abc import Callable
from functools import cache, lru_cache, wraps
from hashlib import sha256
from importlib.metadata import version
from pathlib import Path
from typing import Any

from platformdirs import user_cache_dir

_tables = threading.RLock()  # the databank loads its tables when first asked, which two threads must not do at once


@cache
def folder() -> Path:
    """Where the files are: in GULCH_HOME where that is given, else the user's cache."""
    here = Path(__file__).parent
    stamp = sha256(f"{version('chemicals')} {version('thermo')}".encode())
    for file in sorted([*here.glob("*.py"), *here.glob("*.tsv")]):
        stamp.update(file.read_bytes())
    home = os.environ.get("GULCH_HOME")
    base = Path(home) / "cache" if home else Path(user_cache_dir("gulch", appauthor=False))
    return base / f"species-{stamp.hexdigest()[:16]}"


@lru_cache(maxsize=2048)
def _book(name):
    """{call: value} of one species, or of what concerns all, as read from its file."""
    try:
        return pickle.loads((folder() / f"{name}.pickle").read_bytes())
    except Exception:  # missing, cut short, of another make: all the same to us
        return {}


def _write(name, book):
    with contextlib.suppress(OSError):
        folder().mkdir(mode=0o700, parents=True, exist_ok=True)
        handle, made = tempfile.mkstemp(dir=folder())
        with os.fdopen(handle, "wb") as file:
            pickle.dump(book, file)
        os.replace(made, folder() / f"{name}.pickle")


def kept(function: Callable) -> Any:
    """Keep what a function of a CAS number (or of nothing) and plain numbers returns; errors are not kept."""

    @wraps(function)
    def get(*args):
        if args and not args[0]:  # no species of the databank
            return function(*args)
        name = args[0] if args else function.__name__
        key, book = (function.__name__, repr(args[1:])), _book(name)
        if key not in book:
            with _tables:
                book[key] = function(*args)
            _write(name, book)
        return book[key]

    return get
