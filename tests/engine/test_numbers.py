"""Numbers of a project's own, and feeds given by ratios and totals: against what follows by hand."""

import pytest
from helpers import demo, document, feed

from gulch.demo import projects
from gulch.engine.document import DocumentError, load
from gulch.engine.explain import Plan, solve
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError, naming
from gulch.engine.project.inputs import addresses, write
from gulch.engine.scans import run_scan

AMMONIA = {"nitrogen": "7727-37-9", "hydrogen": "1333-74-0", "ammonia": "7664-41-7"}


def synthesis(**more):
    """Equilibrium synthesis of two feeds that are mixed, 250 bar and 420 °C."""
    return document(
        AMMONIA,
        [
            {"id": "MIX", "kind": "mixer"},
            {"id": "R", "kind": "equilibrium-reactor", "set": "main", "heat": {"mode": "isothermal", "temperature": "420 degC"}},
        ],
        [
            feed("n2", "MIX", {"nitrogen": "100 kmol/h"}, P="250 bar"),
            feed("h2", "MIX", {"hydrogen": "250 kmol/h"}, P="250 bar"),
            {"id": "s", "from": "MIX", "to": "R"},
            {"id": "out", "from": "R"},
        ],
        reactions=[{"id": "synthesis", "equation": "nitrogen + 3 hydrogen = 2 ammonia", "equilibrium": {"source": "gibbs"}}],
        sets=[{"id": "main", "steps": [["synthesis"]]}],
        phase_model="ideal",
        **more,
    )


def flows(solution, *streams):
    return [solution.streams[s].total * 3.6 for s in streams]


def test_ammonia_at_constant_total_is_most_at_three_to_one():
    """The mole fraction of ammonia at equilibrium of ideal gases is greatest at H2:N2 = 3 (d/dr of x(N2) x(H2)^3 = 0 at any conversion)."""
    project = synthesis()
    total, ratio = edit.total_and_ratio(project, "n2", "h2")
    assert (total.value, ratio.value) == ("350 kmol/h", "2.5")
    assert flows(solve(project), "n2", "h2") == pytest.approx([100.0, 250.0])
    project = load(
        project.dump()
        | {
            "knobs": [{"id": "r", "input": f"{ratio.id}.value", "low": "1.5", "high": "6"}],
            "gauges": [{"id": "x", "reads": "out.fraction.ammonia"}],
            "scans": [{"id": "s", "over": [{"knob": "r", "points": 19}]}],
        }
    )
    points = run_scan(project, project.scans[0]).points
    assert all(p["solved"] for p in points)
    best = max(points, key=lambda p: p["gauges"]["x"])
    assert best["value"] == pytest.approx(3.0)
    for p in points:  # the total stands
        out = Plan(project).run(overrides={f"{ratio.id}.value": p["value"]})
        n2, h2 = flows(out, "n2", "h2")
        assert n2 + h2 == pytest.approx(350.0) and h2 / n2 == pytest.approx(p["value"])
        assert p["gauges"]["x"] <= best["gauges"]["x"]


def test_a_feed_follows_another_by_its_ratio():
    project = demo()
    number = edit.ratio_of_feeds(project, "water_feed", "ethylene_feed")
    assert float(number.value) == pytest.approx(130.0 / 102.0, rel=1e-5)
    before = solve(demo())
    assert flows(solve(project), "water_feed")[0] == pytest.approx(flows(before, "water_feed")[0], rel=1e-5)
    write(project, "ethylene_feed.flow.ethylene", "200 kmol/h")
    assert flows(solve(project), "water_feed")[0] == pytest.approx(202.0 * 130.0 / 102.0, rel=1e-5)
    edit.rename(project, number.id, "steam")
    assert project.ties[-1].formula == "steam.value * ethylene_feed.flow" and solve(project).solved
    assert edit.remove_number(project, "steam") == ["water_feed.flow.water"] and not project.numbers
    assert flows(solve(project), "water_feed")[0] == pytest.approx(130.0)


def test_what_is_removed_takes_no_tie_of_a_longer_name():
    project = demo()
    edit.rename(project, edit.ratio_of_feeds(project, "water_feed", "ethylene_feed").id, "steam_ratio")
    edit.rename(project, edit.add_number(project, "other", "1.5").id, "ratio")
    assert edit.remove_number(project, "ratio") == []
    assert project.ties[-1].formula == "steam_ratio.value * ethylene_feed.flow" and solve(project).solved


def test_a_feed_of_several_species_is_scaled_as_a_whole():
    project = demo()
    edit.ratio_of_feeds(project, "ethylene_feed", "water_feed")
    out = solve(project)
    ethylene = out.streams["ethylene_feed"]
    assert ethylene.total * 3.6 == pytest.approx(102.0, rel=1e-5)
    assert ethylene.flow["ethane"] / ethylene.total == pytest.approx(2.0 / 102.0, rel=1e-6)
    write(project, "water_feed.flow.water", "65 kmol/h")
    half = solve(project).streams["ethylene_feed"]
    assert half.total * 3.6 == pytest.approx(51.0, rel=1e-5) and half.flow["ethane"] / half.total == pytest.approx(2.0 / 102.0, rel=1e-6)


def test_a_number_of_any_kind_is_used_in_formulas():
    project = demo()
    excess = edit.add_number(project, "approach to the condenser", "12 K")
    flow = edit.add_number(project, "basis", "100 kmol/h")
    share = edit.add_number(project, "Purge target", "5 %")
    assert [n.dimension for n in (excess, flow, share)] == ["temperature", "molar flow", "fraction"]
    project = load(project.dump() | {"ties": [{"sets": "SPLIT.drawn", "formula": f"{share.id}.value"}]})
    assert addresses(project)["Purge_target.value"].label == "Purge target"
    assert solve(project).units["SPLIT"].solved and solve(project).found["SPLIT.drawn"] == pytest.approx(0.05)
    project.ties[0].formula = f"{flow.id}.value"
    assert any("SPLIT" in m.what for m in solve(project).messages if m.level == "error")  # a flow is no share: said


@pytest.mark.parametrize(
    ("act", "said"),
    [
        (lambda p: edit.add_number(p, "", "2"), "needs a name"),
        (lambda p: edit.add_number(p, "x", "2 parsecs"), "no unit that a quantity here has"),
        (lambda p: edit.add_number(p, "x", "about two"), "does not start with a number"),
        (lambda p: (edit.add_number(p, "x", "2"), edit.add_number(p, "X", "3")), "a number named X already"),
        (lambda p: edit.ratio_of_feeds(p, "h2", "h2"), "ratio to itself"),
        (lambda p: edit.ratio_of_feeds(p, "h2", "s"), "s is no feed"),
        (lambda p: (write(p, "n2.flow.nitrogen", "0 kmol/h"), edit.ratio_of_feeds(p, "h2", "n2")), "carries nothing"),
        (lambda p: (edit.ratio_of_feeds(p, "h2", "n2"), edit.ratio_of_feeds(p, "n2", "h2")), "each would wait for the other"),
        (lambda p: edit.total_and_ratio(p, "h2", "h2"), "needs two feeds"),
    ],
)
def test_what_cannot_be_is_refused_with_a_sentence(act, said):
    with pytest.raises(EditError, match=said):
        act(synthesis())


def test_numbers_in_a_circle_are_said():
    project = synthesis()
    a, b = edit.add_number(project, "a", "2"), edit.add_number(project, "b", "3")
    project = load(
        project.dump()
        | {"ties": [{"sets": f"{a.id}.value", "formula": f"{b.id}.value"}, {"sets": f"{b.id}.value", "formula": f"{a.id}.value"}]}
    )
    said = [m.what for m in solve(project).messages if m.level == "error"]
    assert any("circle" in s or "each other" in s for s in said), said


def test_a_number_may_follow_from_others():
    project = synthesis()
    a = edit.add_number(project, "a", "2")
    b = edit.add_number(project, "b", "1")
    project = load(
        project.dump()
        | {
            "ties": [
                {"sets": f"{b.id}.value", "formula": f"{a.id}.value + 0.5"},
                {"sets": "h2.flow.hydrogen", "formula": f"{b.id}.value * n2.flow.nitrogen"},
            ]
        }
    )
    assert flows(solve(project), "h2")[0] == pytest.approx(250.0)
    assert flows(Plan(project).run(overrides={f"{a.id}.value": 3.0}), "h2")[0] == pytest.approx(350.0)


def test_a_target_turns_a_ratio():
    project = synthesis()
    number = edit.ratio_of_feeds(project, "h2", "n2")
    project = load(
        project.dump()
        | {
            "knobs": [{"id": "r", "input": f"{number.id}.value", "low": "1", "high": "5"}],
            "gauges": [{"id": "h", "reads": "h2.flow"}],
            "targets": [{"id": "t", "gauge": "h", "value": "320 kmol/h", "knob": "r"}],
        }
    )
    out = solve(project)
    assert out.targets[0].met and out.targets[0].knob_value == pytest.approx(3.2, rel=1e-6)


@pytest.mark.parametrize(
    ("words", "formula"),
    [
        ("R1.temperature - H1.temperature", True),
        ("2*H1.duty", True),
        ("R1.duty/2", True),
        ("R1.temperature -5", True),
        ("R1.conversion", False),
        ("iso-butane in product", False),
        ("duty of H1 (heater)", False),
        ("a" * 20_000, False),
        ("1" + " " * 20_000 + "-" * 20_000, False),
    ],
)
def test_a_formula_is_told_from_a_name_in_time_that_grows_with_the_text(words, formula):
    assert naming.is_formula(words) is formula


def test_a_number_of_no_known_kind_is_refused_where_it_stands():
    with pytest.raises(DocumentError, match='n › dimension: "luck" cannot stand here'):
        load({"format": "gulch-project", "version": 1, "name": "x", "numbers": [{"id": "n", "value": "1", "dimension": "luck"}]})


def test_steam_to_carbon_of_the_reformer():
    """Steam is the ratio times 80 kmol/h of methane; more steam converts more methane and leaves less carbon (Le Chatelier)."""
    project = projects()[1].model_copy(deep=True)
    number = edit.add_number(project, "steam to carbon", "3")
    project = load(project.dump() | {"ties": [{"sets": "feed.ratio.steam", "formula": f"{number.id}.value"}]})
    plan, seen = Plan(project), []
    for ratio in (1.0, 2.0, 4.0):
        out = plan.run(overrides={f"{number.id}.value": ratio})
        assert out.solved and out.streams["feed"].flow["steam"] * 3.6 == pytest.approx(80.0 * ratio, rel=1e-9)
        seen.append((out.gauges["methane_conversion"], -out.gauges["carbon"]))
    assert seen == sorted(seen) and [c for _, c in seen] == sorted(c for _, c in seen)
