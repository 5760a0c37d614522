"""Rules of the house that a reading cannot keep alone: circles, lengths, docstrings."""

import ast
import importlib
import inspect
import pkgutil
from pathlib import Path

import grimp
import networkx as nx
import pytest

import gulch
import gulch.engine

SOURCE = Path(gulch.__file__).parent
LONGEST_FUNCTION, LONGEST_CLASS = 60, 250
# Better whole: numerical loops over arrays that parts would have to hand to and fro, and one table of units.
WHOLE = {
    "split.py:newton_split",
    "temperature.py:solve_temperature",
    "equilibrium.py:newton_extents",
    "equilibrium.py:newton_elements",
    "rates.py:reaction_rates",
    "tank.py:tank",
    "settle.py:_accelerated",
    "equilibrium.py:by_elements",
    "sizing.py:_size",
    "unit_names.py:_table",
}


def test_no_import_circle():
    graph = grimp.build_graph("gulch", cache_dir=None, exclude_type_checking_imports=True)
    imports = nx.DiGraph((m, other) for m in graph.modules for other in graph.find_modules_directly_imported_by(m))
    assert [sorted(c) for c in nx.strongly_connected_components(imports) if len(c) > 1] == []


def definitions():
    for path in sorted(SOURCE.rglob("*.py")):
        if "migrations" not in path.parts:
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.FunctionDef | ast.ClassDef):
                    yield f"{path.name}:{node.name}", isinstance(node, ast.ClassDef), node.end_lineno - node.lineno + 1


def test_functions_and_classes_stay_short():
    long = {name for name, is_class, lines in definitions() if lines > (LONGEST_CLASS if is_class else LONGEST_FUNCTION)}
    assert long <= WHOLE, sorted(long - WHOLE)
    assert long >= WHOLE, f"no longer long: {sorted(WHOLE - long)}"


def modules():
    return [
        importlib.import_module(m.name) for m in pkgutil.walk_packages(gulch.engine.__path__, "gulch.engine.") if "preload" not in m.name
    ]


def public(module):
    """(name, object) of what a module defines for others; methods by their class."""
    for name, value in vars(module).items():
        if name.startswith("_") or getattr(value, "__module__", None) != module.__name__:
            continue
        if inspect.isfunction(value) or inspect.isclass(value) or hasattr(value, "py_func"):
            yield name, getattr(value, "py_func", value)
        if inspect.isclass(value):
            for part, method in vars(value).items():
                if not part.startswith("_") and (inspect.isfunction(method) or isinstance(method, classmethod | staticmethod)):
                    yield f"{name}.{part}", getattr(value, part)


@pytest.mark.parametrize("module", modules(), ids=lambda m: m.__name__.removeprefix("gulch.engine."))
def test_what_is_public_says_what_it_is(module):
    """A dataclass's own signature is no docstring."""
    lacking = [n for n, value in public(module) if not inspect.getdoc(value) or inspect.getdoc(value).startswith(f"{n}(")]
    assert lacking == []


@pytest.mark.parametrize("module", modules(), ids=lambda m: m.__name__.removeprefix("gulch.engine."))
def test_what_is_public_says_its_types(module):
    """mypy, which script/test runs, checks them."""
    lacking = []
    for name, value in public(module):
        if inspect.isfunction(value) or inspect.ismethod(value):
            signature = inspect.signature(value)
            bare = [p.name for p in signature.parameters.values() if p.annotation is p.empty and p.name not in ("self", "cls")]
            if bare or signature.return_annotation is signature.empty:
                lacking.append(f"{name}: {', '.join(bare) or 'what it returns'}")
    assert lacking == []
