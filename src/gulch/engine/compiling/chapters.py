"""How the functions of a chapter of kernels are marked, and what is known of each: what it calls, and what its code hangs on."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache, cached_property, update_wrapper
from hashlib import sha256
from typing import Annotated, Any, get_origin, get_type_hints

import numpy as np

Vector = Annotated[np.ndarray, "f8", 1]  # arrays that kernels are given lie whole in memory, row by row
Matrix = Annotated[np.ndarray, "f8", 2]
Cube = Annotated[np.ndarray, "f8", 3]
Places = Annotated[np.ndarray, "i8", 1]
Ways = Annotated[np.ndarray, "i8", 2]
Flags = Annotated[np.ndarray, "?", 1]

KERNELS: dict[Callable, Kernel] = {}  # by the plain function
PARTS: set[Callable] = set()  # functions that kernels take into themselves
ENTRIES: list[Entry] = []
taken_by: list[Callable[[Entry], Any]] = []  # who looks for an entry's machine code when it is first called


class Kernel:
    """A function with machine code of its own, which other kernels call by its symbol.

    key: a hash of all that the code hangs on: its own text and that of its parts, the constants these read, and what the kernels it
    calls are called, given and return (not what they do).
    """

    def __init__(self, function: Callable) -> None:
        self.function = function
        self.symbol = f"{function.__module__.removeprefix('gulch.engine.')}.{function.__name__}"

    @cached_property
    def reach(self) -> dict[str, Any]:
        """What the function and its parts take from their modules, by name."""
        found: dict[str, Any] = {}
        waiting = [self.function]
        while waiting:
            function = waiting.pop()
            for name in function.__code__.co_names:
                value = function.__globals__.get(name)
                if value is None or (where := f"{function.__module__}.{name}") in found:
                    continue
                found[where] = value
                if callable(value) and value in PARTS:
                    waiting.append(value)
        return found

    @cached_property
    def calls(self) -> list[Kernel]:
        """The kernels whose code has to be there before this one's."""
        return [KERNELS[f] for f in self.reach.values() if callable(f) and f in KERNELS]

    @cached_property
    def key(self) -> str:
        said = [_code(self.function), _promised(self.function)]
        said += sorted(f"{name.rpartition('.')[2]} {_said(value)}" for name, value in self.reach.items())
        return sha256("\n".join(said).encode()).hexdigest()[:20]


def _said(value: Any) -> Any:
    """What a kernel's code takes over from a name of its module."""
    if callable(value) and value in PARTS:
        return _code(value)
    if callable(value) and value in KERNELS:
        return _promised(value)
    if isinstance(value, np.ndarray):
        return repr(value.tolist())
    if hasattr(value, "_fields"):
        return _fields(value)
    return repr(value) if isinstance(value, int | float | str | tuple) else getattr(value, "__name__", "")


@cache
def _code(function: Any) -> Any:
    code = function.__code__
    constants = code.co_consts[1:] if function.__doc__ else code.co_consts  # what a docstring says is no part of the code
    return repr((code.co_code.hex(), constants, code.co_names, code.co_varnames))


@cache
def _promised(function: Any) -> Any:
    """Where a function is found, and what it is given and returns."""
    return repr(
        (
            function.__module__,
            function.__name__,
            [(name, hint, _fields(hint)) for name, hint in get_type_hints(function, include_extras=True).items()],
        )
    )


def _fields(hint: Any) -> Any:
    return repr(get_type_hints(hint, include_extras=True)) if hasattr(hint, "_fields") else ""


class Entry:
    """A kernel as Python calls it: in machine code where that lies ready, else plain."""

    def __init__(self, kernel: Kernel) -> None:
        self.kernel = kernel
        self.compiled = False
        self.run: Callable = self._first
        update_wrapper(self, kernel.function)

    def __call__(self, *args: Any) -> Any:
        try:
            return self.run(*args)
        except TypeError:  # a slice that does not lie whole in memory, whole numbers for others: as machine code wants them
            if not self.compiled:
                raise
        fitting = [_fitting(a, hint) for a, hint in zip(args, self.hints, strict=True)]
        found = self.run(*fitting)
        for given, taken in zip(args, fitting, strict=True):
            if isinstance(given, np.ndarray) and given is not taken and given.flags.writeable:
                given[...] = taken  # it may have been filled
        return found

    @cached_property
    def hints(self) -> list[Any]:
        """The annotations of what it is given, in order."""
        return [hint for name, hint in get_type_hints(self.kernel.function, include_extras=True).items() if name != "return"]

    def _first(self, *args: Any) -> Any:
        self.run = plain(self.kernel.function)
        for take in taken_by:
            take(self)
        return self.run(*args)


def _fitting(value: Any, hint: Any) -> Any:
    """A value as its annotation says: whole in memory and of that type of numbers."""
    if isinstance(value, np.ndarray) and get_origin(hint) is Annotated:
        return np.array(value, hint.__metadata__[0], order="C")
    if hasattr(hint, "_fields"):
        inner = get_type_hints(hint, include_extras=True)
        return hint(*(_fitting(part, inner[name]) for name, part in zip(hint._fields, value, strict=True)))
    return hint(value) if hint in (int, float, bool) else value


def plain(function: Callable) -> Callable:
    """A kernel as Python runs it: numbers behave as in machine code, and what comes back is of Python's own types."""

    def run(*args: Any) -> Any:
        with np.errstate(all="ignore"):
            return _own(function(*(np.float64(a) if type(a) is float else a for a in args)))

    return run


def _own(value: Any) -> Any:
    if isinstance(value, np.generic):
        return value.item()
    return tuple(map(_own, value)) if type(value) is tuple else value


class Chapter:
    """Marks the functions of one module; called, it marks a kernel."""

    def __call__(self, function: Callable) -> Callable:
        KERNELS[function] = Kernel(function)
        return function

    def part(self, function: Callable) -> Callable:
        """A short function that becomes part of what calls it."""
        PARTS.add(function)
        return function

    def entry(self, function: Callable) -> Entry:
        """A function that Python calls, and no kernel."""
        ENTRIES.append(Entry(Kernel(function)))
        return ENTRIES[-1]


def chapter(name: str) -> Chapter:
    """The marks of the module of that name."""
    return Chapter()
