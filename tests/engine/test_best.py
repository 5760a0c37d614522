"""The best operating point and the trade-off of two aims, against textbook formulas, grids and multipliers by hand."""

import json
import math
from types import SimpleNamespace

import numpy as np
import pytest
from by_hand import K1, K2, OVER, gas_tank, made, residence, tank
from helpers import wide
from scipy.optimize import brentq, minimize, minimize_scalar

from gulch.demo import projects
from gulch.engine.cli.codes import SOLVED
from gulch.engine.document import SearchEntry, load
from gulch.engine.explain import Plan
from gulch.engine.phases import phase_model
from gulch.engine.reactors.heat import Reactor
from gulch.engine.scans import Aim, ScanError, answered
from gulch.engine.scans.best import best
from gulch.engine.scans.climb import climb
from gulch.engine.scans.search import Point, Search
from gulch.engine.scans.tradeoff import _Curve, trade_off
from gulch.engine.settle import Reason, Watch
from gulch.main import main

R = 8.314462618
FED = 1e-3 / 3.6  # mol/s of A into the tank of the series reaction
T_OPT = 1.0 / math.sqrt(K1 * K2)


def limited(**limits):
    """The tank of the series reaction with limits on what leaves: C=("at_most", share of A fed)."""
    rows = [{"id": "B", "reads": "out.flow.B"}]
    rows += [{"id": s, "reads": f"out.flow.{s}", kind: f"{x * 1e-3} kmol/h"} for s, (kind, x) in limits.items()]
    return tank(OVER, rows)


def test_the_most_of_an_intermediate_is_the_textbooks():
    """1/(1 + sqrt(k2/k1))² in a tank (Levenspiel, Chemical Reaction Engineering, 3rd ed., ch. 8), over volume and flow at once."""
    project = tank(OVER)
    found = best(Plan(project), Aim("B"))
    assert found.reads == pytest.approx(FED / (1.0 + math.sqrt(K2 / K1)) ** 2, rel=1e-7)
    volume, water = found.values
    assert residence(project, volume, 3.6 * water) == pytest.approx(T_OPT, rel=2e-3)
    assert found.better == 0 and found.around == 4 and found.ended == "" and not found.holds


def test_a_limit_that_holds_the_best_has_its_worth():
    """C at most 10 % of A fed: V stops short of the peak, and one mol/s more of C gives dB/dC = (dB/dt)/(dC/dt) of B."""
    project = limited(C=("at_most", 0.1))
    found = best(Plan(project), Aim("B", knobs=("V",)))
    other = lambda t: K1 * K2 * t * t / ((1.0 + K1 * t) * (1.0 + K2 * t))  # noqa: E731
    t = brentq(lambda t: other(t) - 0.1, 1e-3, 1.8)
    assert found.reads == pytest.approx(FED * made(t), rel=5e-6)
    (hold,) = found.holds
    h = 1e-5
    worth = (made(t + h) - made(t - h)) / (other(t + h) - other(t - h))
    assert (hold["of"], hold["kind"], hold["at"]) == ("C", "at_most", pytest.approx(0.1 * FED))
    assert hold["worth"] == pytest.approx(worth, rel=1e-3)
    assert found.readings["C"] <= 0.1 * FED  # never beyond, however little


def test_an_end_of_a_range_has_its_worth_too():
    project = tank(OVER)
    found = best(Plan(project), Aim("B", knobs=("V",), ranges={"V": (0.1, 0.5)}))
    per_m3 = residence(project, 1.0)
    slope = (made(0.50001 * per_m3) - made(0.49999 * per_m3)) / 2e-5
    (end,) = found.ends
    assert (end["of"], end["kind"], end["at"]) == ("T1.volume", "high", pytest.approx(0.5))
    assert end["worth"] == pytest.approx(FED * slope, rel=1e-3)


def test_how_flat_the_top_is():
    """Residence times at which the yield has lost 1 % of what the knob moves it by, from the formula; each reaches its ends."""
    project = tank(OVER)
    found = best(Plan(project), Aim("B", knobs=("V",)))
    per_m3 = residence(project, 1.0)
    worst = min(made(0.1 * per_m3), made(3.0 * per_m3))
    assert found.span == pytest.approx(FED * (made(T_OPT) - worst), rel=1e-6)
    lost = made(T_OPT) - 0.01 * (made(T_OPT) - worst)
    ends = [brentq(lambda t: made(t) - lost, a, b) / per_m3 for a, b in ((1e-3, T_OPT), (T_OPT, 20.0))]
    low, high = found.flat["T1.volume"]
    assert ends[0] <= low < found.values[0] < high <= ends[1] * (1 + 1e-6)
    assert low - ends[0] < 0.3 * (found.values[0] - ends[0]) and ends[1] - high < 0.3 * (ends[1] - found.values[0])
    both = best(Plan(project), Aim("B"))
    assert both.flat["feed.flow.water"][1] - both.flat["feed.flow.water"][0] > 0.5 * (2000 - 500) / 3.6


REVERSIBLE = [
    (
        "A = B",
        {
            "forward": {"k": "2 1/min", "energy": "60 kJ/mol", "at": "450 K"},
            "reverse": "own",
            "backward": {"k": "1 1/min", "energy": "110 kJ/mol", "at": "450 K"},
        },
    )
]
HOT = [{"id": "T", "input": "R.temperature", "low": "380 K", "high": "520 K"}]


def gas_time(T, volume=20.0):
    """Residence time [min] of 100 kmol/h of gas at 2 bar."""
    return volume * 2e5 / (1e5 / 3600 * R * T) / 60.0


def arrhenius(k, energy, T):
    return k * math.exp(-energy / R * (1.0 / T - 1.0 / 450.0))


def test_a_reversible_exothermic_reaction_has_its_best_temperature():
    """X = k1 t/(1 + (k1 + k2) t) in a tank (Levenspiel, ch. 5 and 9), highest where the formula is."""
    project = gas_tank(REVERSIBLE, knobs=HOT, gauges=[{"id": "X", "reads": "R.conversion.A"}])

    def conversion(T):
        t, k1, k2 = gas_time(T), arrhenius(2.0, 60e3, T), arrhenius(1.0, 110e3, T)
        return k1 * t / (1.0 + (k1 + k2) * t)

    by_hand = minimize_scalar(lambda T: -conversion(T), bounds=(380.0, 520.0), method="bounded", options={"xatol": 1e-6})
    found = best(Plan(project), Aim("X"))
    assert found.reads == pytest.approx(-by_hand.fun, rel=1e-7) and found.values[0] == pytest.approx(by_hand.x, abs=0.1)
    low = best(Plan(project), Aim("X", highest=False))
    assert low.reads == pytest.approx(min(conversion(380.0), conversion(520.0)), rel=1e-6)


PARALLEL = [
    ("A = B", {"forward": {"k": "2 1/min", "energy": "90 kJ/mol", "at": "450 K"}}),
    ("A = C", {"forward": {"k": "1 1/min", "energy": "50 kJ/mol", "at": "450 K"}}),
]


def parallel(**gauges):
    rows = [{"id": "B", "reads": "out.flow.B"}, {"id": "X", "reads": "R.conversion.A", **gauges}]
    knobs = [*HOT, {"id": "V", "input": "R.volume", "low": "1 m3", "high": "20 m3"}]
    return gas_tank(PARALLEL, knobs=knobs, gauges=[*rows, {"id": "S", "reads": "gauge.S", "formula": "out.flow.B/out.flow.C"}])


def test_parallel_reactions_are_best_selected_where_the_higher_energy_wins():
    """S = k1/k2, so the hottest end; one kelvin more is worth S (E1 − E2)/(R T²) (Levenspiel, ch. 7)."""
    found = best(Plan(parallel()), Aim("S", knobs=("T",)))
    S = arrhenius(2.0, 90e3, 520.0) / arrhenius(1.0, 50e3, 520.0)
    assert found.reads == pytest.approx(S, rel=1e-8)
    assert found.ends[0]["worth"] == pytest.approx(S * 40e3 / (R * 520.0**2), rel=1e-3)


def test_the_trade_off_is_that_of_an_exhaustive_grid():
    """Least conversion against most selectivity over temperature and volume: the curve is T = 520 K with the volume turned."""
    curve = trade_off(Plan(parallel()), Aim("S"), Aim("B", highest=False))
    assert [p["reads"][0] for p in curve.points] == sorted(p["reads"][0] for p in curve.points)
    project = parallel(at_least="30 %")
    plan = Plan(project)
    curve = trade_off(plan, Aim("S"), Aim("X", highest=False))
    for p in curve.points:
        S, X = p["reads"]
        for T in np.linspace(380.0, 520.0, 9):
            for V in np.linspace(1.0, 20.0, 9):
                g = plan.run(overrides={"R.temperature": T, "R.volume": V}).gauges
                assert g["X"] < 0.3 or g["S"] <= S * (1 + 1e-6) or g["X"] >= X * (1 - 1e-6), (p, T, V)
    assert len(curve.points) >= 3


def test_the_knee_lies_where_the_curve_bends_most():
    """Series reaction in a tank: yield of B against unreacted A, both by formula over the residence time."""
    project = tank(OVER, [{"id": "B", "reads": "out.flow.B"}, {"id": "A", "reads": "out.flow.A"}])
    curve = trade_off(Plan(project), Aim("B", knobs=("V",)), Aim("A", highest=False))
    per_m3 = residence(project, 1.0)
    for p in curve.points:
        t = per_m3 * p["values"][0]
        assert p["reads"] == (pytest.approx(FED * made(t), rel=1e-6), pytest.approx(FED / (1.0 + K1 * t), rel=1e-6))
    ends = np.array([curve.points[0]["reads"], curve.points[-1]["reads"]])
    away = [abs(np.diff((np.array(p["reads"]) - ends[0]) / (ends[1] - ends[0]))[0]) for p in curve.points]
    assert curve.knee == int(np.argmax(away)) and 0 < curve.knee < len(curve.points) - 1


def test_two_aims_must_be_two():
    with pytest.raises(ScanError, match="same gauge"):
        trade_off(Plan(parallel()), Aim("S"), Aim("S"))


@pytest.fixture(scope="module")
def ethanol():
    plan = Plan(wide())
    return plan, best(plan, Aim("made"), start=plan.run().start)


def test_the_best_of_the_demo_is_above_a_grid_around_it_and_on_no_doubt(ethanol):
    plan, found = ethanol
    assert found.solves <= 300 and found.ended == "" and found.better == 0
    assert found.reads * 3.6 == pytest.approx(87.628, abs=0.01) and found.now * 3.6 == pytest.approx(52.029, abs=0.01)
    names = {h["of"] for h in found.holds}
    assert names == {"nothing but gas in R1"}
    assert {(e["of"], e["kind"]) for e in found.ends} == {("SPLIT.drawn", "low"), ("water_feed.flow.water", "high")}
    at = dict(zip((k["address"] for k in found.knobs), found.values, strict=True))
    solution = plan.run(overrides=at)
    assert solution.solved and not [m for m in solution.messages if m.code]
    rng = np.random.default_rng(3)
    for _ in range(40):
        moved = {
            k["address"]: float(np.clip(v + rng.normal() * 0.02 * (k["high"] - k["low"]), k["low"], k["high"]))
            for k, v in zip(found.knobs, found.values, strict=True)
        }
        s = plan.run(start=solution.start, overrides=moved)
        clean = s.solved and not any(m.code or m.place.about.value == "gauge" for m in s.messages)
        assert not clean or s.gauges["made"] <= found.reads * (1 + 1e-6)


def test_what_a_kelvin_of_doubt_is_worth_is_what_it_gives(ethanol):
    """The multiplier of the dew point, against a search whose ranges are the others' values and whose gas stays 1 K clear."""
    plan, found = ethanol
    (hold,) = (h for h in found.holds if h["kind"] == "wrong-phase")
    assert 0.0 < hold["worth"] * 3.6 < 1.0 and hold["dimension"] == "temperature difference"


@pytest.mark.parametrize("seed", range(2))
def test_the_same_best_from_anywhere(ethanol, seed):
    _, found = ethanol
    plan = Plan(wide())
    rng = np.random.default_rng(seed)
    for k in found.knobs:
        plan.inputs[k["address"]] = k["low"] + rng.random() * (k["high"] - k["low"])
    again = best(plan, Aim("made"))
    assert again.reads == pytest.approx(found.reads, rel=1e-6) and again.solves <= 300


def test_letting_a_doubt_pass_finds_more_and_says_so(ethanol):
    _, found = ethanol
    careless = best(Plan(wide()), Aim("made", passing=("wrong-phase", "further-phase"), knobs=("reactor_T", "water")))
    careful = best(Plan(wide()), Aim("made", knobs=("reactor_T", "water")))
    assert careless.reads > careful.reads and careful.reads < found.reads
    assert not any(h["kind"] in ("wrong-phase", "further-phase") for h in careless.holds)


class StopAfter(Watch):
    def __init__(self, passes):
        self.left = passes

    def passed(self, residual):
        self.left -= 1

    def ended(self):
        return Reason.CANCELLED if self.left < 0 else None


def test_a_search_broken_off_goes_on_from_what_it_knows():
    project = limited(C=("at_most", 0.1))
    told = []
    whole = best(Plan(project), Aim("B"), tell=told.append)
    assert len(told) == whole.solves
    some = [Point.from_dict(json.loads(json.dumps(p.to_dict()))) for p in told[:20]]
    fresh = []
    rest = best(Plan(project), Aim("B"), known=some, tell=fresh.append)
    assert rest.reads == pytest.approx(whole.reads, rel=1e-6) and len(fresh) < 1.5 * whole.solves
    assert not {tuple(p.u) for p in fresh} & {tuple(p.u) for p in some}  # nothing that is known is solved again
    short = best(Plan(project), Aim("B"), most=20)
    assert short.ended == "out of solves" and short.solves == 20 and short.values is not None
    stopped = best(Plan(projects()[0]), Aim("made"), watch=StopAfter(200))
    assert stopped.ended == "stopped" and 0 < stopped.solves < 100


@pytest.mark.parametrize(
    ("gauges", "aim", "words"),
    [
        ([{"id": "B", "reads": "out.flow.B"}], Aim("none"), "no gauge of the project"),
        ([{"id": "F", "reads": "feed.temperature"}], Aim("F"), "No knob moves"),
        ([{"id": "B", "reads": "out.flow.B"}], Aim("B", knobs=("Q",)), "Q cannot be turned"),
        ([{"id": "B", "reads": "out.flow.B"}], Aim("B", ranges={"V": (2.0, 1.0)}), "is none that it can take"),
    ],
)
def test_what_cannot_be_sought_is_refused_with_a_sentence(gauges, aim, words):
    with pytest.raises(ScanError, match=words):
        best(Plan(tank(OVER, gauges)), aim)


def test_without_knobs_it_says_what_holds_them():
    project = tank(OVER, ties=[{"sets": "feed.flow.water", "formula": "1e6*feed.flow.A"}])
    with pytest.raises(ScanError, match="a tie sets it"):
        best(Plan(project), Aim("B", knobs=("F",)))
    project.knobs = []
    with pytest.raises(ScanError, match="make an input a knob first"):
        best(Plan(project), Aim("B"))


def test_limits_that_exclude_each_other_are_named_with_the_nearest_point():
    """At least 60 % B and at most 5 % C: each can be met, both cannot."""
    project = limited(A=("at_most", 0.4), C=("at_most", 0.05))
    found = best(Plan(project), Aim("B", knobs=("V",)))
    assert found.values is None and found.excluding == [("A", "C")]
    assert found.nearest is not None and 0.1 <= found.nearest["values"][0] <= 3.0


def test_whole_numbers_stay_whole():
    """Stages of a compressor: each saves less work and the last ones nothing against a price on stages (invented)."""
    project = load(
        {
            "format": "gulch-project",
            "version": 1,
            "species": [{"id": "N", "cas": "7727-37-9"}],
            "phase_model": {"kind": "ideal"},
            "streams": [
                {"id": "feed", "to": "K", "given": {"temperature": "25 degC", "pressure": "1 bar", "flow": {"N": "100 kmol/h"}}},
                {"id": "out", "from": "K"},
            ],
            "units": [{"id": "K", "kind": "compressor", "pressure": "60 bar", "stages": "2", "between": "25 degC"}],
            "knobs": [{"id": "n", "input": "K.stages", "low": "1", "high": "8"}],
            "gauges": [{"id": "cost", "reads": "gauge.cost", "formula": "K.work + 20[kW] * K.stages"}],
        }
    )
    plan = Plan(project)
    cost = {n: plan.run(overrides={"K.stages": float(n)}).gauges["cost"] for n in range(1, 9)}
    found = best(plan, Aim("cost", highest=False))
    assert found.values == [min(cost, key=cost.get)] and found.reads == pytest.approx(min(cost.values()))


def test_the_distance_from_a_third_phase_is_the_least_that_a_search_from_many_places_finds():
    """Against scipy's minimiser on the tangent-plane distance (Michelsen 1982) in our fugacities, which are tested elsewhere."""
    model = phase_model("peng-robinson", ("74-85-1", "7732-18-5", "64-17-5", "60-29-7", "74-84-0"))
    n, P = np.array([0.55, 0.22, 0.15, 0.02, 0.06]), 67.5e5
    compared = 0
    for T in (338.5, 339.5, 340.5, 342.0, 345.0):
        state = model.flashed(T, P, n)
        away = model.further_phase_distance(state)
        d = np.log(state.x) + model.ln_phi(T, P, state.x, 0)

        def distance(v, T=T, d=d):
            w = np.exp(v - np.max(v))
            w /= w.sum()
            return float(w @ (np.log(w) + model.ln_phi(T, P, w, 0) - d))

        ends = []
        for start in (*np.eye(5), state.y, [0.6, 0.03, 0.2, 0.12, 0.05]):
            found = minimize(distance, np.log(np.clip(start, 1e-3, 1.0)), method="Nelder-Mead", options={"maxiter": 6000, "fatol": 1e-13})
            w = np.exp(found.x - found.x.max())
            w /= w.sum()
            if min(np.abs(w - state.x).sum(), np.abs(w - state.y).sum()) > 1e-2:
                ends.append(found.fun)
        if away is not None and away < 0.0:
            assert min(ends) == pytest.approx(away, abs=2e-3)
            compared += 1
        elif away is not None and ends:
            assert min(ends) == pytest.approx(away, abs=2e-3) and away > 0.0
            compared += 1
    assert compared > 2


def test_a_small_third_phase_is_found():
    """The demo at 215 °C, 200 kmol/h of water and 45 °C in the drum: two phases lie 0.03 RT above the plane of a light liquid."""
    plan = Plan(projects()[0])
    at = {"R1.temperature": 488.15, "water_feed.flow.water": 200 / 3.6, "COOL.temperature": 318.15}
    solution = plan.run(overrides=at, rooms=True)
    assert [p["kind"] for p in solution.streams["S4"].phases] == ["vapour", "liquid", "liquid"]
    assert 0.005 < solution.streams["S4"].phases[1]["share"] < 0.02
    assert not [m for m in solution.messages if m.code == "further-phase"]
    assert [p["kind"] for p in plan.run().streams["S4"].phases] == ["vapour", "liquid"]  # as things are


def test_the_room_before_liquid_is_the_distance_from_the_dew_point():
    plan = Plan(projects()[0])
    for T, w in ((204.0, 200.0), (215.0, 200.0), (230.0, 150.0)):
        s = plan.run(overrides={"R1.temperature": T + 273.15, "water_feed.flow.water": w / 3.6, "COOL.temperature": 340.0}, rooms=True)
        (room,) = (r for r in s.rooms if r.code == "wrong-phase")
        out = next(s.streams[i] for i in s.streams if plan.sources[i] == "R1")
        n = np.array(list(out.flow.values()))
        edge = plan.model.flashed(out.temperature - room.distance + 0.05, out.pressure, n)
        below = plan.model.flashed(out.temperature - room.distance - 0.05, out.pressure, n)
        assert edge.vapour_fraction == 1.0 > below.vapour_fraction


def test_searches_of_the_document_and_of_the_command_line(tmp_path, capsys):
    project = limited(C=("at_most", 0.1))
    project.searches = [
        SearchEntry(id="most", aim="B", over=[{"knob": "V", "low": "0.2 m3"}]),
        SearchEntry(id="both", aim="B", against="C"),
    ]
    found = answered(Plan(project), project.searches[0])
    assert found["kind"] == "best" and found["knobs"][0]["low"] == pytest.approx(0.2)
    path = tmp_path / "tank.json"
    path.write_text(project.to_json())
    assert main(["best", str(path)]) == SOLVED
    text = capsys.readouterr().out
    assert "Highest flow of B in out inside all limits" in text and "Held by" in text and "none is better" in text
    assert main(["best", str(path), "--search", "both"]) == SOLVED
    assert "Trade-off of" in capsys.readouterr().out
    assert main(["best", str(path), "--aim", "C", "--lowest", "--json"]) == SOLVED
    assert json.loads(capsys.readouterr().out)["highest"] is False
    assert main(["best", str(path), "--search", "none"]) == 2
    assert main(["best", str(path), "--aim", "none"]) == 1


def test_a_doubt_that_does_not_touch_the_gauges_is_no_limit():
    """What the styrene demo's condensate may be in doubt for; conversion and selectivity of its bed stand before it."""
    project = next(p for p in projects() if "styrene" in p.name)
    project.gauges = [g for g in project.gauges if g.id in ("conversion", "selectivity")]
    plan = Plan(project)
    search = Search(plan, Aim("conversion"))
    all_rooms = {r.place.id for r in plan.run(rooms=True).rooms}
    assert "cold" in all_rooms and not any("cold" in limit.of for limit in search.at(search.present).rooms)
    found = best(plan, Aim("conversion"))
    assert found.values is not None and found.doubtful == 0 and not any(h["kind"] == "further-phase" for h in found.holds)


def test_tops_on_one_ridge_are_no_other_peaks():
    """Volume and flow move the residence time alike, so climbs end at different places of one ridge."""
    assert best(Plan(tank(OVER)), Aim("B")).peaks == []


class Drawn(Search):
    """A search over a drawn function: u0 + u1 is sought, and doubtful, without a distance, where u0 + 2 u1 is above 1.2."""

    def __init__(self):
        self.known, self.seen, self.whole, self.sign, self.row = {}, {}, np.zeros(2, bool), 1.0, {"dimension": "number"}
        self.derived, self.starts = {}, []

    def at(self, u):
        u = np.clip(np.asarray(u, float), 0.0, 1.0)
        doubts = ["further-phase"] if u[0] + 2.0 * u[1] > 1.2 else []
        return self.known.setdefault(tuple(np.round(u, 12)), Point(u, u.tolist(), True, float(u.sum()), {}, {}, doubts))


def test_a_doubt_without_a_distance_is_kept_away_by_cuts():
    """By hand: the highest of u0 + u1 with u0 + 2 u1 <= 1.2 in the unit square is 1.1, at (1, 0.1)."""
    search = Drawn()
    top = climb(search, search.at([0.2, 0.2]))
    assert top.trusted and top.reads == pytest.approx(1.1, abs=3e-3) and len(search.known) < 150


def test_points_that_others_beat_in_both_aims_are_left_out():
    curve = object.__new__(_Curve)
    curve.searches = [SimpleNamespace(aim=SimpleNamespace(gauge=g), sign=s) for g, s in (("a", 1.0), ("b", -1.0))]
    points = [SimpleNamespace(gauges={"a": a, "b": b}) for a, b in ((1.0, 1.0), (2.0, 3.0), (1.5, 3.5), (3.0, 4.0), (3.0, 4.0000001))]
    assert [(p.gauges["a"], p.gauges["b"]) for p in curve.undominated(points)] == [(1.0, 1.0), (2.0, 3.0), (3.0, pytest.approx(4.0))]


def test_a_boundary_that_does_not_bound_a_dense_gas_gives_no_room():
    edge = SimpleNamespace(saturated=lambda *_: SimpleNamespace(temperature=450.0))
    product = SimpleNamespace(is_empty=False, T=400.0, P=1e7, n=np.ones(2), vapour_fraction=1.0, model=edge)
    assert Reactor.phase_rooms(product, "vapour") == []  # all gas below a dew point: it is another one's
    product.T = 470.0
    (room,) = Reactor.phase_rooms(product, "vapour")
    assert room.distance == pytest.approx(20.0)


def test_a_limit_at_zero_can_be_kept_by_what_cannot_be_negative():
    """No graphite: the search comes to the same end as with next to none."""
    found = {}
    for limit in ("0 kmol/h", "0.001 kmol/h"):
        project = projects()[1]
        for g in project.gauges:
            if g.id == "carbon":
                g.at_most = None
            if g.id == "carbon_formed":
                g.at_most = limit
        project.searches = [SearchEntry(id="b", aim="duty", way="lowest")]
        found[limit] = answered(Plan(project), project.searches[0])
    none, little = found.values()
    assert none["values"] == pytest.approx(little["values"], rel=1e-6) and not none["ended"] and not none["peaks"]
    assert none["solves"] < 100


def test_a_flat_aim_is_climbed_by_what_the_knobs_can_do():
    """Hydrogen used moves by less than a thousandth over the purge: the least purge has the most, by a grid over it."""
    plan = Plan(next(p for p in projects() if "cyclohexane" in p.name))
    entry = next(s for s in plan.project.searches if s.against is None)
    found = answered(plan, entry)
    at = {k["address"]: v for k, v in zip(found["knobs"], found["values"], strict=True)}
    assert found["reads"] > 0.9083 and at["SPLIT.drawn"] == pytest.approx(0.02, abs=1e-3)
    assert found["looks"] > 16 and found["climbs"] >= 1 and not found["ended"]
    assert any(e["of"] == "SPLIT.drawn" and e["kind"] == "low" for e in found["ends"])


def test_a_gauge_held_by_a_target_is_no_aim():
    plan = Plan(next(p for p in projects() if "cyclohexane" in p.name))
    with pytest.raises(ScanError, match="held by a target"):
        best(plan, Aim(plan.project.targets[0].gauge))
    plan.project.targets[0].on = False  # as it is switched off, which holds nothing
    assert best(Plan(plan.project), Aim(plan.project.targets[0].gauge), most=20).values is not None


def test_a_search_that_ran_out_goes_on_with_as_many_solves_again():
    project = limited(C=("at_most", 0.1))
    told = []
    best(Plan(project), Aim("B"), tell=told.append, most=20)
    assert Search(Plan(project), Aim("B"), known=told).most == 300
    many = [Point(np.array([k / 300.0, 0.0]), [k, 0.0], False) for k in range(300)]
    assert Search(Plan(project), Aim("B"), known=many).most == 600


def test_points_of_a_trade_off_lie_evenly_along_its_curve():
    """Parallel reactions: no gap between neighbours is wider than 0.3 of the spans of both aims together."""
    project = limited()
    project.gauges = [*project.gauges, project.gauges[0].model_copy(update={"id": "X", "reads": "T1.conversion.A"})]
    found = trade_off(Plan(project), Aim("X"), Aim("B"))
    reads = np.array([p["reads"] for p in found.points])
    gaps = np.abs(np.diff(reads, axis=0)) / np.ptp(reads, axis=0)
    assert len(reads) >= 9 and gaps.max() < 0.25


def test_what_only_a_doubt_keeps_out_is_told():
    careful = best(Plan(wide()), Aim("made", knobs=("reactor_T", "water")))
    assert careful.hidden is None or careful.hidden["reads"] > careful.reads and careful.hidden["doubts"]
