"""Machine code by numba, each kernel compiled once.

numba links what a function calls into that function and optimises all of it again, in every caller: most of the time went there. Here a
kernel is a C callback (`numba.cfunc`) with a signature of its own, put under a name of its own where LLVM looks for names
(`llvmlite.binding.add_symbol`); callers know its signature (`numba.extending.type_callable`) and call it by that name
(`numba.extending.lower_builtin`). All of these are public. What is not is the cache: where its files lie is told to numba by a locator
(`Locator`), because numba's own names folders by the path of the source, so that a checkout that is moved would be compiled again.
"""

from __future__ import annotations

import contextlib
import ctypes
import math
import typing
from collections.abc import Callable, Iterator
from functools import cache
from typing import Any

import llvmlite.binding as llvm
import numba
import numpy as np
from llvmlite import ir
from numba import types
from numba.core import caching, cgutils, imputils, registry
from numba.extending import lower_builtin, register_jitable, type_callable

from gulch.engine.compiling import ieee
from gulch.engine.compiling.chapters import KERNELS, PARTS, Kernel

OPTIONS: dict[str, Any] = dict(nogil=True, error_model="numpy")
TRIED = "0.68.1"  # the version of numba whose inner ways `lean` knows
config: Any = numba.config
# Code for any machine of its kind: it may be copied, compiles faster, and gives the same last digit everywhere.
config.CPU_NAME, config.CPU_FEATURES = "generic", ""

_typed: dict = {}


def numba_type(hint: Any) -> Any:
    """The numba type of an annotation: numbers, arrays of `chapters`, tuples and named tuples of these."""
    if hint not in _typed:
        _typed[hint] = _numba_type(hint)
    return _typed[hint]


def _numba_type(hint: Any) -> Any:
    plain = {float: types.float64, int: types.int64, bool: types.boolean, type(None): types.none}
    if hint in plain:
        return plain[hint]
    if typing.get_origin(hint) is typing.Annotated:
        element, dimensions = hint.__metadata__
        return types.Array(numba.from_dtype(np.dtype(element)), dimensions, "C")
    if typing.get_origin(hint) is tuple:
        return types.BaseTuple.from_types([numba_type(part) for part in typing.get_args(hint)])
    if hasattr(hint, "_fields"):
        hints = typing.get_type_hints(hint, include_extras=True)
        return types.BaseTuple.from_types([numba_type(hints[name]) for name in hint._fields], hint)
    raise TypeError(f"{hint!r} has no type of machine code")


def signature(function: Any) -> Any:
    """The signature that a function's annotations say."""
    hints = typing.get_type_hints(function, include_extras=True)
    names = function.__code__.co_varnames[: function.__code__.co_argcount]
    return numba_type(hints["return"])(*(numba_type(hints[name]) for name in names))


@cache
def for_any_machine() -> bool:
    """Whether numba makes code for any machine of this kind: not where somebody has put it to work before Gulch was loaded."""
    return registry.cpu_target.target_context.codegen().magic_tuple()[1:] == ("generic", "")


@cache
def declare(stand_in: bool = False) -> None:
    """Make all kernels and parts known to numba.

    stand_in: where code is only made and never run, some address under each symbol that is not there yet.
    """
    if stand_in and numba.__version__ == TRIED:
        from gulch.engine.compiling import lean  # it names what another numba may not have

        lean.hasten()
        OPTIONS["pipeline_class"] = lean.Lean
    for function in ieee.ONE:
        _as_in_math(function, types.float64, types.float64)
    _as_in_math(ieee.copysign, types.float64, types.float64, types.float64)
    _as_in_math(ieee.isfinite, types.boolean, types.float64)
    for function in PARTS:
        register_jitable(**OPTIONS)(function)
    for function, kernel in KERNELS.items():
        _callable_by_name(function, kernel.symbol)
        if stand_in:
            llvm.add_symbol(kernel.symbol, ctypes.cast(ctypes.pythonapi.Py_GetVersion, ctypes.c_void_p).value)


def _as_in_math(function: Callable, returned: Any, *given: Any) -> None:
    """Let kernels take a function of `ieee` for that of `math`, which in machine code does not raise."""
    called, meant = returned(*given), getattr(math, function.__name__)
    type_callable(function)(lambda context: _typer(function, called))

    @lower_builtin(function, *given)
    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        return context.get_function(meant, sig)(builder, args)


def _callable_by_name(function: Callable, symbol: str) -> None:
    """Let kernels call a function by its symbol, whoever compiles it."""
    called = signature(function)

    type_callable(function)(lambda context: _typer(function, called))

    @lower_builtin(function, *called.args)
    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        taken = [context.get_value_type(t) for t in sig.args]
        told = ir.FunctionType(context.get_value_type(sig.return_type), taken)
        result = builder.call(cgutils.get_or_insert_function(builder.module, told, symbol), args)
        return imputils.impl_ret_new_ref(context, builder, sig.return_type, result)


def _typer(function: Callable, called: Any) -> Callable:
    """What answers a call with the kernel's one signature; with the kernel's own parameters, as numba compares them."""
    names = ", ".join(function.__code__.co_varnames[: function.__code__.co_argcount])
    space = {"called": called}
    exec(f"def typer({names}): return called", space)  # names of our own source only
    return space["typer"]


def make(kernel: Kernel, folder: str) -> None:
    """Machine code of a kernel, from its folder or made now, put under its symbol."""
    with _kept_in(folder, kernel.key):
        made = numba.cfunc(signature(kernel.function), cache=True, **OPTIONS)(kernel.function)
    llvm.add_symbol(kernel.symbol, made.address)


def make_entry(kernel: Kernel, folder: str) -> Any:
    """What Python calls, from its folder or made now. It raises TypeError for arrays of other layouts or numbers."""
    with _kept_in(folder, kernel.key):
        made = numba.jit(cache=True, **OPTIONS)(kernel.function)
        made.compile(signature(kernel.function).args)
    made.disable_compile()
    return made


class Locator(caching._CacheLocator):
    """Tells numba's cache the folder of a chapter, which is named by all that its code hangs on: nothing else has to be compared."""

    place = ("", "")  # folder and key of what is made now

    def __init__(self, py_func: Any, py_file: str) -> None:
        self._py_file = py_file
        self._folder, self._key = Locator.place

    @classmethod
    def from_function(cls, py_func: Any, py_file: str) -> Locator:
        return cls(py_func, py_file)

    def get_cache_path(self) -> str:
        return self._folder

    def get_source_stamp(self) -> str:
        return ""

    def get_disambiguator(self) -> str:
        return self._key


@contextlib.contextmanager
def _kept_in(folder: str, key: str) -> Iterator[None]:
    """Let numba's cache keep what is made meanwhile in a folder, under a key."""
    before = config.CACHE_LOCATOR_CLASSES
    config.CACHE_LOCATOR_CLASSES = f"{__name__}.{Locator.__name__}"
    Locator.place = folder, key
    try:
        yield
    finally:
        config.CACHE_LOCATOR_CLASSES = before
