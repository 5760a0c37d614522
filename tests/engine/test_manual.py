"""Pages of help: every declaration has its words, every kind and phase model says how it is computed."""

import math
import re

import pytest

from gulch.demo import projects
from gulch.engine.explain import solve
from gulch.engine.explain.manual import SECTIONS, page_of, pages, searched
from gulch.engine.phases.explained import HOW
from gulch.engine.phases.model import PHASE_MODELS
from gulch.engine.units import KINDS


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda k: k.kind)
def test_every_kind_says_how_it_is_computed(kind):
    page = pages()[page_of(kind.kind)]
    assert page.relations and all(r.formula for r in page.relations)
    assert len(page.typed) == len(kind.inputs()) and len(page.computed) == len(kind.results())
    anchors = [e.anchor for e in page.typed]
    assert len(set(anchors)) == len(anchors)
    assert all(e.label and e.meaning for e in page.typed + page.computed)


def test_every_phase_model_says_how_it_is_computed():
    assert list(HOW) == list(PHASE_MODELS)
    assert all(r.source for relations in HOW.values() for r in relations)


def test_every_page_has_its_section_and_meaning():
    for page in pages().values():
        assert page.section in SECTIONS and page.meaning, page.name
        assert re.fullmatch(r"[a-z0-9-]+", page.name)


def test_an_entry_tells_bounds_default_and_when_it_counts():
    temperature = next(e for e in pages()["unit-flash-drum"].typed if e.anchor == "temperature")
    assert temperature.detail == (
        "temperature from −173 °C to 2\u202f727 °C; 40 °C is assumed where nothing is typed; counts where heat is “held at a temperature”"
    )
    pressure = next(e for e in pages()["unit-flash-drum"].typed if e.anchor == "pressure")
    assert pressure.detail.endswith("may stay empty: as inlet") and "above zero" in pressure.detail


def test_what_is_looked_for_comes_by_titles_first():
    found = searched("residence time")
    assert {p.title for p, e in found if e} >= {"stirred tank", "plug flow"}
    assert searched("flash drum")[0][0].title == "flash drum"
    assert searched("   ") == [] and searched("nowhere to be found") == []


def test_gillilands_line_on_the_page_gives_the_stages_that_a_column_reports():
    formula = next(r.formula for r in KINDS["shortcut-column"].relations() if r.formula.startswith("Y ="))
    text = formula.removeprefix("Y = ").replace("−", "-").replace("·", "*").replace("^", "**")
    text = re.sub(r"(\d) X", r"\1 * X", text)
    ester = next(p for p in projects() if any(u.kind == "shortcut-column" for u in p.units))
    unit = next(u.id for u in ester.units if u.kind == "shortcut-column")
    column = solve(ester).units[unit].values
    X = (column["reflux_used"] - column["minimum_reflux"]) / (column["reflux_used"] + 1.0)
    Y = eval(text, {"exp": math.exp, "X": X})
    assert (column["minimum_stages"] + Y) / (1.0 - Y) == pytest.approx(column["stages"], rel=1e-9)
