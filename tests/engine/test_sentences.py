"""Sentences speak the project's units: in a project shown in pounds and Fahrenheit no sentence names a metric one."""

import copy
import re

import pytest
from helpers import document, feed
from test_declarations import BASE, project

from gulch.demo import projects
from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.explain.model_advice import advised

METRIC = re.compile(r"\d\s?(°C|K|bar|kPa|kmol/h|mol/s|kg/h|kW|MW|m³(/h)?|kmol/m³|kJ/mol|W)(?![\w/·])")


def sentences(solution):
    """All that a Solution says."""
    out = [text for m in solution.messages for text in (m.what, m.todo)]
    out += [text for loop in solution.loops for text in (loop.advice, *loop.findings)]
    for unit in solution.units.values():
        out += [value for value in unit.values.values() if isinstance(value, str)]
        out += [line for value in unit.values.values() if isinstance(value, list) for line in value if isinstance(line, str)]
    return [t for t in out if t]


def in_us(data):
    return load(copy.deepcopy(data) | {"display": "us-customary"})


def spoken(solution):
    return [t for t in sentences(solution) if METRIC.search(t)]


@pytest.mark.parametrize("place", range(6))
def test_of_the_demos(place):
    assert spoken(solve(in_us(projects()[place].dump()))) == []


@pytest.mark.parametrize("kind", BASE)
@pytest.mark.parametrize("turn", [{}, {"pressure_drop": "1000 bar"}, {"duty_given": "-1 GW", "mode": "duty"}, {"temperature": "90 degC"}])
def test_of_units_that_run_and_that_do_not(kind, turn):
    data = project(kind).dump()
    entry = data["units"][0]
    entry.update({k: v for k, v in turn.items() if k in entry})
    for heat in ("heat",):
        if "duty_given" in turn and "duty" in entry.get(heat, {}):
            entry[heat].update(mode="duty", duty="-1 GW")
    assert spoken(solve(in_us(data))) == []


def test_a_temperature_that_is_not_found_is_told_in_these_units():
    units = [{"id": "H", "kind": "heater", "mode": "duty", "duty": "-3 MW"}]
    data = document({"water": "7732-18-5"}, units, [feed("f", "H", {"water": "100 kmol/h"}), {"id": "p", "from": "H"}]).dump()
    said = " ".join(sentences(solve(in_us(data))))
    assert "would lie below -405.7 °F" in said or "would lie below −405.7 °F" in said
    assert "30.00 K" in " ".join(sentences(solve(load(data | {"display": "si"}))))


def test_the_advice_of_a_model_is_in_these_units():
    data = document(
        {"ethanol": "64-17-5", "water": "7732-18-5"},
        [{"id": "M", "kind": "mixer"}],
        [feed("f", "M", {"water": "100 kmol/h"}, P="30 bar"), {"id": "p", "from": "M"}],
    ).dump()
    assert "435 psi" in advised(in_us(data)).reason


def test_the_net_catches_metric_units():
    assert sum(len(spoken(solve(p))) for p in projects()) > 5
