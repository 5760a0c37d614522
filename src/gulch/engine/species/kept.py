"""What was gathered from the databank's tables, kept on disk: loading the tables takes longer than most solves, and hundreds of MB.

One small file a species, under a folder named by the versions of the databank and of the code that reads it, so that neither is ever
outlived. What concerns all and the commonest species ship with Gulch (`shipped.zip`, made by `script/figures`). Processes that stay have
others gathered by a process that ends. Whatever is wrong with all these, the tables themselves are read.
"""

from __future__ import annotations

import contextlib
import io
import os
import pickle
import subprocess
import sys
import tempfile
import threading
import zipfile
from collections.abc import Callable, Iterable
from functools import cache, lru_cache, wraps
from hashlib import sha256
from importlib.metadata import version
from pathlib import Path
from typing import Any

from platformdirs import user_cache_dir

HERE = Path(__file__).parent
SHIPPED = HERE / "shipped.zip"
PATIENCE = 120.0  # s that a process has to gather a species
DATED = (2026, 1, 1, 0, 0, 0)  # of all that ships: the same content makes the same file

UNKNOWN = "unknown"  # the key under which it is kept that the databank has no such species


class Unknown(LookupError):
    """A species that was gathered elsewhere and is none: the tables need not be asked again."""


_tables = threading.RLock()  # the databank loads its tables when first asked, which two threads must not do at once
_elsewhere = False  # whether others gather
_asking = threading.Lock()
_asked: dict[str, threading.Event] = {}  # species that were asked for elsewhere, with what is set once that has ended
_wish: list[str] | None = None  # what may be wanted soon; None while nobody gathers it


def gather_elsewhere() -> None:
    """Have what is not known yet gathered by processes that end, because this one stays."""
    global _elsewhere
    _elsewhere = True


@cache
def _code() -> str:
    """A hash of the code that reads the tables."""
    files = sorted([*HERE.glob("*.py"), *HERE.glob("*.tsv")])
    return sha256(b"\0".join(file.read_bytes() for file in files)).hexdigest()[:16]


@cache
def folder() -> Path:
    """Where the files are: in GULCH_HOME where that is given, else the user's cache."""
    stamp = sha256(f"{version('chemicals')} {version('thermo')} {_code()}".encode())
    home = os.environ.get("GULCH_HOME")
    base = Path(home) / "cache" if home else Path(user_cache_dir("gulch", appauthor=False))
    return base / f"species-{stamp.hexdigest()[:16]}"


@cache
def shipped() -> dict[str, bytes]:
    """What ships with Gulch: {name: its packed book}; nothing where it was made by other code."""
    with contextlib.suppress(OSError, zipfile.BadZipFile, KeyError), zipfile.ZipFile(SHIPPED) as archive:
        if archive.comment.decode() == _code():
            return {name: archive.read(name) for name in archive.namelist()}
    return {}


def ship(names: Iterable[str]) -> int:
    """Write `shipped.zip` of what is kept of these; its size."""
    with zipfile.ZipFile(made := io.BytesIO(), "w", zipfile.ZIP_DEFLATED, compresslevel=9) as archive:
        for name in sorted(names):
            archive.writestr(zipfile.ZipInfo(name, DATED), pickle.dumps(_book(name)), zipfile.ZIP_DEFLATED, 9)
        archive.comment = _code().encode()
    return SHIPPED.write_bytes(made.getvalue())


@lru_cache(maxsize=2048)
def _book(name: str) -> dict:
    """{call: value} of one species, or of what concerns all: as it ships, and as read from its file."""
    book = pickle.loads(shipped()[name]) if name in shipped() else {}
    with contextlib.suppress(Exception):  # missing, cut short, of another make: all the same to us
        book |= pickle.loads((folder() / f"{name}.pickle").read_bytes())
    return book


def expect(names: Iterable[str]) -> None:
    """Where others gather: have all that is known of several species gathered at once, those that were not asked for yet.

    What is being gathered for somebody else is waited for.
    """
    unknown = [name for name in dict.fromkeys(names) if name and not _book(name)]
    if not _elsewhere or not unknown:
        return
    done = threading.Event()
    with _asking:
        others = {_asked[name] for name in unknown if name in _asked}
        mine = [name for name in unknown if name not in _asked]
        _asked.update(dict.fromkeys(mine, done))
    if mine:
        with contextlib.suppress(OSError, subprocess.SubprocessError):
            subprocess.run([sys.executable, "-m", "gulch.engine.phases.gathering", *mine], timeout=PATIENCE, stdin=subprocess.DEVNULL)
        _book.cache_clear()
        done.set()
    for other in others:
        other.wait(PATIENCE)


def foresee(names: Iterable[str]) -> None:
    """Where others gather: have species that somebody looks at gathered meanwhile, one process at a time; the newest wish counts."""
    global _wish
    unknown = [name for name in names if name and not _book(name)]
    if not _elsewhere or not unknown:
        return
    with _asking:
        running, _wish = _wish is not None, unknown
    if not running:
        threading.Thread(target=_fulfil, daemon=True, name="foreseeing").start()


def _fulfil() -> None:
    """Gather what was wished for last until nothing is."""
    global _wish
    while True:
        with _asking:
            names, _wish = _wish, [] if _wish else None
        if not names:
            return
        expect(names)


def _write(name: str, book: dict) -> None:
    with contextlib.suppress(OSError):
        folder().mkdir(mode=0o700, parents=True, exist_ok=True)
        handle, made = tempfile.mkstemp(dir=folder())
        with os.fdopen(handle, "wb") as file:
            pickle.dump(book, file)
        os.replace(made, folder() / f"{name}.pickle")


def kept_under(name: str, key: str, make: Callable) -> Any:
    """What `make` returns for a species (its CAS number) and whatever the key stands for, kept on disk."""
    book = _book(name)
    if key not in book:
        book[key] = make()
        _write(name, book)
    return book[key]


def kept_only(name: str, key: str, other: Any) -> Any:
    """What is kept, without looking for it; `other` where nothing is."""
    return _book(name).get(key, other)


def kept(function: Callable) -> Any:
    """Keep what a function of a CAS number (or of nothing) and plain numbers returns; errors are not kept.

    What it makes raises Unknown for a species that was gathered and is none.
    """

    @wraps(function)
    def get(*args: Any) -> Any:
        if args and not args[0]:  # no species of the databank
            return function(*args)
        name = args[0] if args else function.__name__
        key, book = (function.__name__, repr(args[1:])), _book(name)
        if not book and args:
            expect([name])
            book = _book(name)
        if UNKNOWN in book:
            raise Unknown(name)
        if key not in book:
            with _tables:
                book[key] = function(*args)
            _write(name, book)
        return book[key]

    return get
