"""Curves inside a unit: what is declared of them is what there is of their numbers."""

import numpy as np
import pytest
from test_declarations import project

from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.explain import solve
from gulch.engine.units import KINDS

OVER_TIME = Profile(
    "Of {unit}",
    (Way("mass", "catalyst", "mass"), Way("time", "time", "time")),
    (
        Group("flows", "Flows", (Series("flow", "flow", "molar flow", "species", changing=True),)),
        Group("rates", "Rates", (Series("rate", "rate", "rate", "reaction", by="per", kinds={"catalyst": "rate per mass"}),)),
    ),
)
NUMBERS = {
    "time": [0.0, 60.0],
    "mass": None,
    "flow": {"A": [10.0, 4.0], "inert": [5.0, 5.0]},
    "rate": {"r": [1.0, 2.0], "s": [3.0, 4.0]},
    "per": {"r": "catalyst", "s": "fluid"},
}


def test_curves_run_over_the_first_way_that_has_numbers():
    assert OVER_TIME.way(NUMBERS).key == "time"
    assert OVER_TIME.way(NUMBERS | {"mass": [0.0, 1.0]}).key == "mass"
    assert [w.key for w in OVER_TIME.given(NUMBERS | {"mass": [0.0, 1.0]})] == ["mass", "time"]
    with pytest.raises(LookupError):
        OVER_TIME.way({"time": []})


def test_what_changes_is_drawn_and_each_item_has_its_own_dimension():
    flow, rate = OVER_TIME.series("flow"), OVER_TIME.series("rate")
    assert [i for i, *_ in flow.items(NUMBERS)] == ["A", "inert"]
    assert [i for i, *_ in flow.drawn(NUMBERS)] == ["A"]
    assert [(i, d) for i, _, d in rate.drawn(NUMBERS)] == [("r", "rate per mass"), ("s", "rate")]
    assert list(Series("T", "temperature", "temperature").drawn(NUMBERS)) == []
    with pytest.raises(LookupError):
        OVER_TIME.series("pressure")


@pytest.mark.parametrize(("kind", "way"), [("plug-flow", {}), ("stirred-tank", {"mode": "adiabatic"})])
def test_every_declared_curve_has_numbers_as_long_as_its_way(kind, way):
    """All that a plug flow declares but the coolant's, which it has none of here; all that an adiabatic tank does."""
    values = solve(project(kind, way)).units["U"].values
    (declared,) = KINDS[kind].declared(Profile)
    numbers = values[declared.name]
    steps = len(numbers[declared.way(numbers).key])
    found = {s.key: list(s.items(numbers)) for g in declared.groups for s in g.series}
    assert {k for k, v in found.items() if not v} <= {"coolant"}
    assert steps > 10 and all(len(v) == steps for items in found.values() for _, v, _ in items)


def test_selectivity_along_a_tube_ends_at_that_of_the_reactor():
    """Of one reaction alone all that is converted becomes the product: 1 from the inlet on (analytic)."""
    values = solve(project("plug-flow")).units["U"].values
    assert values["profile"]["selectivity"][0] is None
    assert np.array(values["profile"]["selectivity"][1:]) == pytest.approx(1.0, abs=1e-6)
    assert values["profile"]["conversion"][-1] == pytest.approx(values["per_pass_conversion"], rel=1e-9)


def test_space_time_yield_is_what_is_made_over_the_volume():
    unit = solve(project("plug-flow")).units["U"]
    made = unit.outlet["ethanol"] - unit.inlet["ethanol"]
    assert unit.values["space_time_yield"] == pytest.approx(made / unit.values["volume_result"], rel=1e-12)
