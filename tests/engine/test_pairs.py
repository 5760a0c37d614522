"""Pairs that boil together: diagrams, azeotropes, pasted points, fitted parameters."""

import numpy as np
import pytest
from helpers import document
from test_liquid_models import ETHANOL_WATER

from gulch.engine import fluids as k
from gulch.engine.document import load
from gulch.engine.explain.pair_diagram import PairTrouble, pair_diagram
from gulch.engine.phases import PhaseModel, binary, phase_model
from gulch.engine.project.edit import EditError, paste_pairs, set_measured, set_pair
from gulch.engine.project.measured import read_points
from gulch.engine.project.reading import model_of
from gulch.engine.quantities import QuantityError
from gulch.engine.species import lookup
from gulch.engine.work import BoilPair
from gulch.engine.work.inline import Inline

ETHANOL, WATER, BENZENE, ATM = "64-17-5", "7732-18-5", "71-43-2", 101325.0


def test_a_diagram_ends_at_the_pure_boiling_points_and_its_azeotrope_is_the_published_one():
    """Ethanol and water at 1 atm: x = 0.894, 78.2 degC (handbooks; from memory)."""
    model = phase_model("unifac", (ETHANOL, WATER))
    curve = binary.diagram(model, 0, 1, P=ATM)
    assert [p.value - 273.15 for p in (curve[0], curve[-1])] == pytest.approx([100.0, 78.3], abs=0.15)
    (found,) = binary.azeotropes(model, 0, 1, curve, P=ATM)
    assert (found.x, found.value - 273.15) == (pytest.approx(0.894, abs=0.01), pytest.approx(78.2, abs=0.3)) and not found.two
    turned = binary.diagram(model, 1, 0, P=ATM)
    assert [p.value for p in turned[::-1]] == pytest.approx([p.value for p in curve], abs=1e-6)


def test_two_liquids_boil_at_one_temperature():
    """Water and benzene at 1 atm: 69.3 degC with 0.70 benzene in the vapour (handbooks; from memory)."""
    model = phase_model("unifac", (BENZENE, WATER))
    curve = binary.diagram(model, 0, 1, P=ATM)
    level = [p for p in curve if p.two]
    assert len(level) > 30 and np.ptp([p.value for p in level]) < 1e-6
    (found,) = binary.azeotropes(model, 0, 1, curve, P=ATM)
    assert found.two and (found.x, found.value - 273.15) == (pytest.approx(0.70, abs=0.01), pytest.approx(69.3, abs=0.3))
    at_t = binary.diagram(model, 0, 1, T=found.value)
    assert max(p.value for p in at_t) == pytest.approx(ATM, rel=1e-5)


def test_an_isotherm_under_raoults_law_is_a_straight_line():
    model = phase_model("ideal", ("67-56-1", WATER))
    curve = binary.diagram(model, 0, 1, T=330.0)
    ends = curve[0].value, curve[-1].value
    assert [p.value for p in curve] == pytest.approx([ends[0] + p.x * (ends[1] - ends[0]) for p in curve], rel=1e-6)
    assert [p.y for p in curve] == pytest.approx([p.x * ends[1] / p.value for p in curve], abs=1e-6)


@pytest.mark.parametrize("kind", ["peng-robinson", "soave-redlich-kwong"])
def test_a_gas_far_above_its_critical_point_has_no_bubble_point_and_no_false_one(kind):
    model = phase_model(kind, ("74-82-8", "106-97-8"))
    curve = binary.diagram(model, 0, 1, T=330.0)
    assert 0 < len(curve) < 30 and all(p.y > p.x + 1e-4 for p in curve[1:])


@pytest.mark.parametrize(("kind", "true"), [("nrtl", (350.0, 120.0)), ("wilson", (250.0, 500.0))])
def test_parameters_are_found_again_from_points_that_they_made(kind, true):
    """Points of a model with known parameters, with noise: the fit lies within three of its standard errors."""
    two = [lookup(c) for c in (ETHANOL, WATER)]
    made = PhaseModel(kind, two, parameters_of_pairs=(((0, 1), (0.0, true[0])), ((1, 0), (0.0, true[1]))))
    noise = np.random.default_rng(3)
    points = []
    for x in np.linspace(0.05, 0.95, 25):
        p = binary.at_pressure(made, 0, 1, ATM, x, 355.0)
        points.append((x, p.y + noise.normal(0, 0.003), p.value + noise.normal(0, 0.1)))
    found = binary.fitted(phase_model(kind, (ETHANOL, WATER)), 0, 1, tuple(points), P=ATM)
    for b, error, known in zip(found.b, found.errors, true, strict=True):
        assert abs(b - known) < 3.0 * error and 0.1 < error < 40.0
    assert binary.fitted(made, 0, 1, tuple(points[:2]), P=ATM) is None


def typed(kind, text, at="1 atm"):
    doc = document({"ethanol": ETHANOL, "water": WATER, "methanol": "67-56-1"}, phase_model=kind)
    if at != "1 atm":
        set_measured(doc, "ethanol", "water", "at", at)
    set_measured(doc, "ethanol", "water", "points", text)
    return doc


def test_measured_points_judge_a_model_and_their_fit_is_better():
    """Perry's ethanol and water: NRTL fitted to them is nearer than NRTL filled from UNIFAC, in T and y."""
    text = "x1 y1 t/degC\n" + "\n".join(f"{x} {y} {t}" for x, y, t in ETHANOL_WATER)
    doc = typed("nrtl", text)
    found = pair_diagram(doc, "water", "ethanol")
    assert (found.first, len(found.points)) == ("ethanol", 15)
    assert found.fit["apart"] < found.apart < 0.4 and found.fit["apart_y"] < 0.005
    b = [f"{v} K" for v in found.fit["b"]]
    set_pair(doc, "ethanol", "water", {"b_ab": b[0], "b_ba": b[1]})
    taken = pair_diagram(doc, "ethanol", "water")
    assert taken.apart == pytest.approx(found.fit["apart"], rel=1e-3)
    assert pair_diagram(typed("unifac", text), "ethanol", "water").fit is None
    job = Inline().submit(BoilPair(doc.dump(), "ethanol", "water"))
    assert job.value[0] and load(doc.dump()).phase_model.measured[0].points[0][2] == "95.5 degC"


@pytest.mark.parametrize(
    ("text", "first"),
    [
        ("0.1 0.4 90\n0.5 0.65 80", (0.1, 0.4, "90 degC")),
        ("x,T\n0.1,90\n0.5,80", (0.1, None, "90 degC")),
        ("0,1\t0,4\t90,5\n0,5\t0,65\t80", (0.1, 0.4, "90.5 degC")),
        ("T [K]\tx\ty\n363.2\t0.1\t0.4", (0.1, 0.4, "363.2 K")),
        ("x\ty\tT / °F\n0.1\t0.4\t190", (0.1, 0.4, "190 °F")),
        ("0.5 0.65 80; 0.1 0.4 90", (0.1, 0.4, "90 degC")),
    ],
)
def test_tables_are_read_as_they_are_pasted(text, first):
    assert read_points(text, "1 atm", "process-metric")[0] == first


@pytest.mark.parametrize(
    ("text", "at", "words"),
    [
        ("0.1 0.4 ninety", "1 atm", "nothing below it|has a cell that is no number"),
        ("x y T\n0.1 0.4 90\n0.2 ? 88", "1 atm", "Row 3, “0.2 . 88”, has a cell that is no number"),
        ("0.1 0.4 90\n0.2 88", "1 atm", "Row 2 has not 3 cells"),
        ("10 40 90", "1 atm", "compositions as mole fractions"),
        ("0.1 0.4 0.9", "25 degC", "say in a head row which is the pressure"),
        ("x\ty\tT / furlong\n0.1\t0.4\t90", "1 atm", "“furlong” in the head row is no unit of temperature"),
        ("x\ty\tP / bar\n0.1\t0.4\t2", "1 atm", "no unit of temperature"),
        ("x y T\n", "1 atm", "nothing below it"),
        ("1 2 3 4", "1 atm", "4 columns"),
        ("0.1 0.4 -300", "1 atm", "absolute zero|is none"),
        ("\n".join(["0.1 0.4 90"] * 600), "1 atm", "at most 500"),
    ],
)
def test_what_is_no_table_is_refused_with_a_sentence(text, at, words):
    with pytest.raises(QuantityError, match=words):
        read_points(text, at, "process-metric")


def test_what_a_diagram_is_at_is_a_pressure_or_a_temperature():
    doc = typed("unifac", "x\ty\tP / kPa\n0.1\t0.4\t30\n0.5\t0.7\t38", at="330 K")
    found = pair_diagram(doc, "ethanol", "water")
    assert found.T == 330.0 and found.points[0][2] == 30000.0 and found.apart < 3e3
    with pytest.raises(EditError, match="take them away first"):
        set_measured(doc, "ethanol", "water", "at", "1 atm")
    with pytest.raises(EditError, match="neither a pressure nor a temperature"):
        set_measured(doc, "ethanol", "water", "at", "3 m")
    with pytest.raises(PairTrouble, match="two different species"):
        pair_diagram(doc, "water", "water")


@pytest.mark.parametrize(
    "text",
    [
        "ethanol\twater\t-55.2\t670.4\t0.3",
        "1\t2\tb12 / K\tb21 / K\talpha\nWater\tethanol\t670.4\t-55.2\t0.3",
        "1\t2\ta12\ta21\tb12 / (cal/mol)\tb21 / (cal/mol)\talpha\n64-17-5\t7732-18-5\t0\t0\t-109.694\t1332.224\t0.3",
    ],
)
def test_a_table_of_parameters_is_pasted(text):
    doc = typed("nrtl", "")
    assert paste_pairs(doc, text) == 1
    mix = model_of(doc).mix
    assert [mix.pairs[k.PAIR_B, 0, 1], mix.pairs[k.PAIR_B, 1, 0], mix.pairs[k.PAIR_ALPHA, 0, 1]] == pytest.approx(
        [-55.2, 670.4, 0.3], rel=1e-4
    )


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "nothing to take"),
        ("ethanol\tbrine\t1\t2", "names brine"),
        ("ethanol\twater\t1", "Row 1 has 3 cells"),
        ("ethanol\twater\tmuch\t2", "cannot be read"),
        ("ethanol\tethanol\t1\t2", "two different species"),
    ],
)
def test_a_table_that_cannot_be_read_changes_nothing(text, words):
    doc = typed("nrtl", "")
    with pytest.raises(EditError, match=words):
        paste_pairs(doc, text)
    assert not doc.phase_model.pairs


def test_a_fit_that_is_taken_keeps_the_non_randomness_it_was_made_with():
    doc = typed("nrtl", "\n".join(f"{x} {y} {t}" for x, y, t in ETHANOL_WATER))
    set_pair(doc, "ethanol", "water", {"b_ab": "100 K", "b_ba": "300 K", "alpha": "0.47"})
    fit = pair_diagram(doc, "ethanol", "water").fit
    set_pair(doc, "ethanol", "water", fit["texts"])
    assert doc.phase_model.pairs[0].alpha == 0.47
    assert pair_diagram(doc, "ethanol", "water").apart == pytest.approx(fit["apart"], rel=1e-6)


def test_points_that_say_nothing_of_the_parameters_are_fitted_by_none():
    """A gas that dissolves by Henry's law has no parameters with its solvent."""
    model = phase_model("nrtl", ("7727-37-9", WATER))
    points = tuple((x, None, 300.0 + 1000.0 * x) for x in (0.01, 0.02, 0.03, 0.04))
    assert binary.fitted(model, 0, 1, points, P=ATM) is None


def test_a_table_with_one_bad_row_changes_nothing():
    doc = typed("nrtl", "")
    with pytest.raises(EditError, match="cannot be read"):
        paste_pairs(doc, "ethanol\twater\t100\t200\nethanol\tmethanol\tmuch\t2")
    assert not doc.phase_model.pairs
