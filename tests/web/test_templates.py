"""Templates keep the house's line length, and every one of them can be read."""

import ast
from pathlib import Path

import pytest
from django.template.loader import get_template

import gulch.web

FOLDER = Path(gulch.web.__file__).parent / "templates"
APPS = ("chemistry", "help", "loops", "notebook", "process", "projects", "scans", "sizing", "variants")


@pytest.mark.parametrize("name", sorted(str(p.relative_to(FOLDER)) for p in FOLDER.rglob("*.html")))
def test_lines_are_short_and_the_template_compiles(name):
    lines = (FOLDER / name).read_text().split("\n")
    assert [i for i, line in enumerate(lines, 1) if len(line) > 140] == []
    open_ended = [i for i, line in enumerate(lines, 1) if line.count("{#") != line.count("#}")]
    assert open_ended == []  # a comment over two lines is none: it would be shown
    get_template(name)


FOR_THE_BROWSER = {"plot", "map", "data", "groups", "mark", "curve", "constant_plot", "lines", "contours", "solves", "trade", "_found"}
FOR_THE_BROWSER |= {"returned"}
KEPT = {"context", "so_far", "_summary", "sketch"}
RECORDS = {"finding", "jobs", "best", "plots", "views"}  # modules that send or store plain data, or make contexts


def named(node):
    return isinstance(node, ast.Dict) and sum(isinstance(k, ast.Constant) and isinstance(k.value, str) for k in node.keys) > 1


def rows_of(function):
    """Dict literals with names that a function gives: returned, yielded, or rows of a list."""
    for node in ast.walk(function):
        if (
            isinstance(node, ast.Return | ast.Yield)
            or isinstance(node, ast.Assign)
            and isinstance(node.targets[0], ast.Name)
            and node.targets[0].id in ("out", "row", "card", "page")
        ):
            found = node.value
        elif isinstance(node, ast.ListComp | ast.GeneratorExp):
            found = node.elt
        elif isinstance(node, ast.Call) and getattr(node.func, "attr", "") == "append" and node.args:
            found = node.args[0]
        else:
            continue
        if named(found):
            yield node.lineno


def test_what_templates_read_are_dataclasses():
    """Plain dicts are what the browser's scripts read as JSON, what is stored, and contexts of templates."""
    there = [p for app in (*APPS, "projects/regions") for p in sorted((FOLDER.parent / app).glob("*.py"))]
    assert len(there) > 60
    wrong = []
    for path in there:
        if path.stem in RECORDS or path.stem.endswith("actions"):
            continue
        for function in ast.walk(ast.parse(path.read_text())):
            if isinstance(function, ast.FunctionDef) and function.name not in FOR_THE_BROWSER | KEPT:
                wrong += [f"{path.name}:{line} in {function.name}" for line in rows_of(function)]
    assert wrong == []
