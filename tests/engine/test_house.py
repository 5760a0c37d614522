"""Rules of the house that a reading cannot keep alone: circles, lengths, docstrings."""

import ast
import importlib
import inspect
import pkgutil
import re
from pathlib import Path

import grimp
import networkx as nx
import pytest

import gulch
import gulch.engine
from gulch.engine.compiling import making

SOURCE = Path(gulch.__file__).parent
LONGEST_FUNCTION, LONGEST_CLASS = 60, 250
LONGEST_FILE, LARGEST_FLOOR = 500, 6000
TWICE = 6  # equal lines in a row
# Better whole: numerical loops over arrays that parts would have to hand to and fro, and one table of units.
WHOLE = {
    "split.py:newton_split",
    "three.py:newton_three",
    "temperature.py:solve_temperature",
    "equilibrium.py:newton_extents",
    "equilibrium.py:newton_elements",
    "rates.py:rates_in",
    "slopes.py:rates_and_slopes",
    "slopes.py:program_slopes",
    "course.py:follow",
    "tank.py:tank_at",
    "accelerated.py:accelerated",
    "elements.py:by_elements",
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


def test_files_and_floors_stay_small():
    lines = {path: len(path.read_text().splitlines()) for path in SOURCE.rglob("*.py")}
    assert {path.name: n for path, n in lines.items() if n > LONGEST_FILE} == {}
    floors = {path for path in (SOURCE / "engine").iterdir() if path.is_dir()}
    assert {"fluids", "reactors", "project"} <= {floor.name for floor in floors}
    assert {f.name: n for f in floors if (n := sum(m for path, m in lines.items() if f in path.parents)) > LARGEST_FLOOR} == {}


def lines_of(path):
    """(number, line) of a module, but for imports and what is empty."""
    text = path.read_text()
    imported = {
        i
        for node in ast.walk(ast.parse(text))
        if isinstance(node, ast.Import | ast.ImportFrom)
        for i in range(node.lineno, node.end_lineno + 1)
    }
    lines = enumerate((line.strip() for line in text.splitlines()), 1)
    return [(i, line) for i, line in lines if line and i not in imported and line != "if TYPE_CHECKING:"]


def test_nothing_of_six_lines_is_written_twice():
    places = {}
    for path in SOURCE.rglob("*.py"):
        if "migrations" not in path.parts:
            lines = lines_of(path)
            for at in range(len(lines) - TWICE + 1):
                run = tuple(line for _, line in lines[at : at + TWICE])
                places.setdefault(run, []).append(f"{path.relative_to(SOURCE)}:{lines[at][0]}")
    assert len(places) > 10_000
    assert [where for where in places.values() if len(where) > 1] == []


def test_every_chapter_is_compiled():
    chapters = {path for path in (SOURCE / "engine").rglob("*.py") if "= chapter(__name__)" in path.read_text()}
    compiled = {Path(inspect.getfile(kernel.function)) for kernel in making.wanted()}
    assert len(chapters) > 20
    assert chapters - compiled == set(), "in no folder of making.CHAPTERS"


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


SHAPE = re.compile(r"shape|\(n,?\)|by species|array")
UNIT = re.compile(r"\[[A-Za-z0-9/() ^·.%-]+\]|SI\b|\bPa\b")
STATES = {"T", "P", "volume", "duty", "Q", "area"}  # arguments that have a unit


def documented():
    """(name, function, docstring, that with its class's and its chapter's) of the engine's public functions."""
    for path in sorted(SOURCE.joinpath("engine").rglob("*.py")):
        tree = ast.parse(path.read_text())
        for holder in (tree, *(n for n in tree.body if isinstance(n, ast.ClassDef) and not n.name.startswith("_"))):
            for f in holder.body:
                if isinstance(f, ast.FunctionDef) and not f.name.startswith("_") and ast.get_docstring(f):
                    own = ast.get_docstring(f)
                    yield f"{path.stem}.{f.name}", f, own, " ".join(filter(None, (own, ast.get_docstring(holder), ast.get_docstring(tree))))


def raised(function):
    """Names of the errors that a function raises and does not catch itself."""
    names = {
        n.exc.func.id
        for n in ast.walk(function)
        if isinstance(n, ast.Raise) and isinstance(n.exc, ast.Call) and isinstance(n.exc.func, ast.Name)
    }
    handlers = [h.type for h in ast.walk(function) if isinstance(h, ast.ExceptHandler) and h.type]
    caught = {word for h in handlers for word in re.findall(r"\w+", ast.unparse(h))}
    return {n for n in names - caught if n[0].isupper()} - {"TypeError", "NotImplementedError"}


def test_docstrings_give_shapes_units_and_errors():
    """Notation that a whole chapter shares may stand at its top."""
    lacking = []
    for name, f, own, whole in documented():
        types = [ast.unparse(a.annotation) for a in (*f.args.args, *f.args.kwonlyargs) if a.annotation] + [ast.unparse(f.returns)]
        if any("ndarray" in t or "Array" in t for t in types) and not SHAPE.search(whole):
            lacking.append(f"{name}: shapes")
        if STATES & {a.arg for a in f.args.args} and not UNIT.search(whole):
            lacking.append(f"{name}: units")
        if raised(f) and not re.search("[Rr]aises", own):
            lacking.append(f"{name}: {', '.join(raised(f))}")
    assert lacking == []
