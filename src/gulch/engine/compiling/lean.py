"""What numba does for programs of any sort and kernels do not need, left out where kernels are made: half of the time went there.

By numba's public ways: passes that change nothing in kernels (`Lean`), short code for the items of an array and for its count of
references (`say_items`, `LeanArray`); where numba writes some 25 instructions for an item of an array, it is 7 here. By its
inner ways (`hasten`): types of calls are found once, a module is optimised once, and machine code is made of kernels alone, not of the
parts that are already in them. `native` takes all of it with the version of numba that was tried (`native.TRIED`), and only in processes
that make kernels and end; another numba is left as it is. Nothing of it changes what a kernel computes.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from typing import Any

import llvmlite.binding as llvm
from llvmlite import ir
from numba import types
from numba.core import codegen, compiler, registry, typed_passes, untyped_passes
from numba.core.compiler_machinery import PassManager
from numba.core.cpu import CPUContext
from numba.core.datamodel.models import ArrayModel
from numba.extending import lower_builtin, register_model

DIMENSIONS = (1, 2, 3)
ELEMENTS = (types.float64, types.int64, types.boolean)

# Passes for closures, comprehensions, expressions of whole arrays, literal arguments and `with`, none of which kernels have.
NOT_NEEDED = (
    untyped_passes.WithLifting,
    untyped_passes.InlineClosureLikes,
    untyped_passes.RewriteSemanticConstants,
    untyped_passes.DeadBranchPrune,
    untyped_passes.MakeFunctionToJitFunction,
    untyped_passes.InlineInlinables,
    untyped_passes.FindLiterallyCalls,
    untyped_passes.LiteralUnroll,
    untyped_passes.LiteralPropagationSubPipelinePass,
    typed_passes.InlineOverloads,
    typed_passes.NopythonRewrites,
    typed_passes.DumpParforDiagnostics,
)


class Lean(compiler.CompilerBase):
    """numba's way from a function to machine code, without what kernels do not need."""

    def define_pipelines(self) -> list[Any]:
        lean = PassManager("lean")
        for step, meaning in compiler.DefaultPassBuilder.define_nopython_pipeline(self.state).passes:
            if step not in NOT_NEEDED:
                lean.add_pass(step, meaning)
        lean.finalize()
        return [lean]


class LeanArray(ArrayModel):
    """An array of which only what counts its references is looked at when they are counted."""

    def traverse(self, builder: Any) -> list[Any]:
        return [member for member in super().traverse(builder) if isinstance(member[0], types.MemInfoPointer)]


def say_items() -> None:
    """Give numba shorter code for the items of arrays that lie whole in memory, and for counting references to arrays."""
    register_model(types.Array)(LeanArray)
    for element in ELEMENTS:
        for dimensions in DIMENSIONS:
            _say_items_of(types.Array(element, dimensions, "C"))


def _say_items_of(array: Any) -> None:
    """The code that reads and writes an item of one kind of array, by one whole number or a tuple of them."""
    index = types.int64 if array.ndim == 1 else types.UniTuple(types.int64, array.ndim)

    @lower_builtin(operator.getitem, array, index)
    def read(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        return context.unpack_value(builder, array.dtype, _place(context, builder, array, *args))

    for given in ELEMENTS:

        @lower_builtin(operator.setitem, array, index, given)
        def write(context: Any, builder: Any, sig: Any, args: Any) -> Any:
            value = context.cast(builder, args[2], sig.args[2], array.dtype)
            context.pack_value(builder, array.dtype, value, _place(context, builder, array, *args[:2]))
            return context.get_dummy_value()


def _place(context: Any, builder: Any, array: Any, value: Any, index: Any) -> Any:
    """Where an item lies: row by row, a negative index counted from the end as in Python."""
    members = context.data_model_manager[array]
    data, shape = (builder.extract_value(value, members.get_field_position(name)) for name in ("data", "shape"))
    indices = [index] if array.ndim == 1 else [builder.extract_value(index, axis) for axis in range(array.ndim)]
    place = None
    for axis, at in enumerate(indices):
        size = builder.extract_value(shape, axis)
        behind = builder.icmp_signed("<", at, ir.Constant(at.type, 0))
        at = builder.select(behind, builder.add(at, size), at)
        place = at if place is None else builder.add(builder.mul(place, size), at)
    return builder.gep(data, [place])


class Late(codegen.JITCodeLibrary):
    """Code that is optimised once, as a whole, and becomes machine code only where it is asked for."""

    _waits = False

    def _optimize_functions(self, ll_module: Any) -> None:
        ll_module.data_layout = self._codegen._data_layout

    def _optimize_final_module(self) -> None:
        tuned = llvm.create_pipeline_tuning_options(speed_level=2)
        tuned.loop_vectorization = tuned.slp_vectorization = tuned.loop_unrolling = False  # loops over a handful of species
        builder = llvm.create_pass_builder(self._codegen._tm, tuned)
        passes = builder.getModulePassManager()
        passes.add_refprune_pass()
        passes.run(self._final_module, builder)

    def _finalize_final_module(self) -> None:
        self._finalize_dynamic_globals()
        self._finalized = self._waits = True

    def _make_now(self) -> None:
        self._ensure_finalized()
        if self._waits:
            self._waits = False
            super()._finalize_final_module()

    def has(self, name: str) -> bool:
        """Whether a function of this name is defined here."""
        self._ensure_finalized()
        return any(function.name == name for function in self.get_defined_functions())

    def get_pointer_to_function(self, name: str) -> Any:
        self._make_now()
        return super().get_pointer_to_function(name)

    def _get_compiled_object(self) -> Any:
        self._make_now()
        return super()._get_compiled_object()


def hasten() -> None:
    """Leave out what numba does twice, in a process that makes kernels and calls none."""
    say_items()
    registry.cpu_target.target_context.codegen()._library_class = Late
    inner: Any = CPUContext
    inner.get_executable = _callable_where_asked(inner.get_executable)
    inner = types.BaseFunction
    inner.get_call_type = _remembered(inner.get_call_type)


def _callable_where_asked(executable: Callable) -> Callable:
    """`get_executable` that makes nothing of code that Python cannot call; a name of its own stands for it, by which numba tells parts."""

    def get_executable(self: Any, library: Any, fndesc: Any, env: Any) -> Any:
        if isinstance(library, Late) and not library.has(fndesc.llvm_cpython_wrapper_name):
            return [].append
        return executable(self, library, fndesc, env)

    return get_executable


def _remembered(typed: Callable) -> Callable:
    """`get_call_type` that finds the type of a call once for each function and types of arguments."""

    def get_call_type(self: Any, context: Any, args: Sequence[Any], kws: dict) -> Any:
        if kws:
            return typed(self, context, args, kws)
        found = self.__dict__.setdefault("_found", {})
        args = tuple(args)
        if args not in found:
            found[args] = typed(self, context, args, kws)
        return found[args] and found[args].replace()

    return get_call_type
