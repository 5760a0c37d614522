"""Attainable regions against brute-force searches over tanks and tubes on equations written anew."""

import numpy as np
import pytest
import scipy
from helpers import document, feed

from gulch.engine.document import RegionEntry
from gulch.engine.explain import solve
from gulch.engine.regions.question import attain, told, words_of
from gulch.engine.regions.region import RegionTrouble
from gulch.engine.regions.within import within
from gulch.main import main

R, T, P = 8.314462618, 600.0, 1e5
ISOMERS = {"a": "106-98-9", "b": "590-18-1", "c": "624-64-6", "e": "115-11-7", "d": "111-66-0"}  # butenes, and octene
C0 = P / (R * T)  # mol/m3 of the feed

VAN_DE_VUSSE = [  # equation, k [1/s or m3/(mol s)], {species: order}, nu over a, b, c, e, d
    ("a = b", 0.01, {"a": 1}, (-1, 1, 0, 0, 0)),
    ("b = a", 5.0, {"b": 1}, (1, -1, 0, 0, 0)),
    ("b = c", 10.0, {"b": 1}, (0, -1, 1, 0, 0)),
    ("2 a = d", 50.0 / C0, {"a": 2}, (-2, 0, 0, 0, 1)),
]
FIVE = [
    ("a = b", 1.0, {"a": 1}, (-1, 1, 0, 0, 0)),
    ("b = a", 0.3, {"b": 1}, (1, -1, 0, 0, 0)),
    ("b = c", 0.5, {"b": 1}, (0, -1, 1, 0, 0)),
    ("2 a = d", 1.2 / C0, {"a": 2}, (-2, 0, 0, 0, 1)),
    ("a = e", 0.2, {"a": 1}, (-1, 0, 0, 1, 0)),
]


def scheme(laws, **more):
    def rate(k, orders):
        unit = "1/s" if sum(orders.values()) == 1 else "m3/(mol s)"
        return {
            "law": "power",
            "basis": "concentration",
            "per": "fluid",
            "forward": {"k": f"{k} {unit}"},
            "orders": {s: str(o) for s, o in orders.items()},
        }

    return document(
        ISOMERS,
        [{"id": "U", "kind": "plug-flow", "set": "s", "phase": "vapour", "volume": "1 m3"}],
        [feed("f", "U", {"a": "10 kmol/h"}, T=f"{T} K", P="1 bar"), {"id": "p", "from": "U"}],
        [{"id": f"r{k}", "equation": e, "rate": rate(c, o)} for k, (e, c, o, _) in enumerate(laws)],
        [{"id": "s", "steps": [[f"r{k}" for k in range(len(laws))]]}],
        measures={"key": "a", "product": "b"},
        **more,
    )


def asked(project, **more):
    return attain(project, solve(project), RegionEntry(**{"set": "s", "stream": "f", "phase": "vapour", **more}))


@pytest.fixture(scope="module")
def van_de_vusse():
    """What can be had of van de Vusse's scheme, found once."""
    return asked(scheme(VAN_DE_VUSSE))


class BruteForce:
    """Tanks and tubes of an ideal gas at T and P, per mole of a that is fed; sizes: times [s] by the volume flow of the feed."""

    def __init__(self, laws):
        self.nu = np.array([nu for *_, nu in laws], float)
        self.k = np.array([k for _, k, _, _ in laws])
        self.orders = np.array([[o.get(s, 0) for s in ISOMERS] for _, _, o, _ in laws], float)
        self.fresh = np.array([1.0, 0, 0, 0, 0])

    def made(self, n):
        """Change of n per time of residence of the feed: r V with c = n/(sum n) P/(R T)."""
        c = np.maximum(n, 0.0) / n.sum() * C0
        return (self.k * np.prod(c**self.orders, axis=1)) @ self.nu / C0

    def tube(self, n, time):
        return scipy.integrate.odeint(lambda y, t: self.made(y), n, [0.0, time], rtol=1e-8, atol=1e-10)[-1]

    def tank(self, n, time):
        """The steady state that a tank comes to when it begins with what enters."""
        at = scipy.integrate.odeint(lambda y, t: n - y + time * self.made(y), n, [0.0, 60.0], rtol=1e-8, atol=1e-11, mxstep=5000)[-1]
        found = scipy.optimize.fsolve(lambda y: n - y + time * self.made(y), at, xtol=1e-12)
        return found if np.all(np.isfinite(found)) and found.min() > -1e-9 else at

    def line(self, kinds, u):
        n = self.fresh
        for kind, ln in zip(kinds, u, strict=True):
            n = (self.tank if kind == "tank" else self.tube)(n, float(np.exp(np.clip(ln, -14, 9))))
        return n

    def most(self, weights, structures, starts):
        """The highest reading over structures, each from several sizes."""
        best = -np.inf
        for kinds in structures:
            for start in starts:
                found = scipy.optimize.minimize(
                    lambda u, kinds=kinds: -float(self.line(kinds, u) @ weights),
                    np.resize(start, len(kinds)),
                    method="Nelder-Mead",
                    options={"maxfev": 100, "xatol": 1e-4, "fatol": 1e-9},
                )
                best = max(best, -found.fun)
        return best


def reading(answer, weights):
    """The highest weighted reading over the outline; weights of (conversion of a, yield of b)."""
    return float(max(np.array(answer.outline) @ weights))


def test_van_de_vusse_wants_a_tank_and_then_a_tube(van_de_vusse):
    """Glasser, Hildebrandt & Crowe, Ind. Eng. Chem. Res. 26 (1987) 1803: k = 0.01, 5, 10 1/s and 100 L/(mol s) of a at 1 mol/L.

    The best arrangement and its yield are re-derived by brute force; here as a gas whose moles change.
    """
    answer, brute = van_de_vusse, BruteForce(VAN_DE_VUSSE)
    b = np.array([0, 1.0, 0, 0, 0])
    best = brute.most(b, [("tank", "tube"), ("tube", "tank"), ("tube",), ("tank", "tank")], [(-3.0, -4.0), (-5.0, -3.0)])
    assert answer.best["at"][1] == pytest.approx(best, rel=2e-3)
    assert [s["device"] for s in answer.best["steps"]] == ["tank", "tube"]
    assert reading(answer, np.array([0.0, 1.0])) == pytest.approx(best, rel=5e-3)
    names = {o["name"]: o["at"][1] for o in answer.others}
    assert names["a tube alone"] == pytest.approx(brute.most(b, [("tube",)], [(-4.0,), (-7.0,)]), rel=2e-3)
    assert names["a tank alone"] == pytest.approx(brute.most(b, [("tank",)], [(-3.0,), (-6.0,)]), rel=2e-3)
    said = told(answer, "si")
    assert any(s.startswith("Reached by a tank of") and "then a tube of" in s for s in said)
    assert "Fresh feed along a tube was tried: it gains less than a thousandth." in said


def test_five_reactions_within_half_a_percent_of_brute_force():
    """Directions all around the picture of conversion and yield, each sought over lines of up to three vessels."""
    answer, brute = asked(scheme(FIVE)), BruteForce(FIVE)
    lines = [("tube",), ("tank",), ("tank", "tube"), ("tube", "tank"), ("tube", "tube", "tank")]
    span = np.ptp(np.array(answer.outline), axis=0)
    for weights in ((0.0, 1.0), (-0.3, 1.0), (1.0, 0.2)):
        w = np.array(weights)
        on_n = np.array([-w[0], w[1], 0, 0, 0])
        sought = brute.most(on_n, lines, [(0.0, -1.0, -2.0), (1.5, -3.0, 0.0)]) + w[0]
        size = abs(w) @ span
        assert reading(answer, w) >= sought - 0.005 * size
        assert reading(answer, w) <= max(sought, 0.0) + 0.01 * size  # longer lines and side feeds may gain a little
    assert answer.points < 20000


def test_the_arrangement_of_the_best_reaches_it_in_the_process(van_de_vusse):
    """The vessels that are told, put into a project as units, make what the region promised."""
    answer = van_de_vusse
    units = [
        {"id": f"V{k}", "set": "s", "phase": "vapour", "kind": {"tank": "stirred-tank", "tube": "plug-flow"}[s["device"]],
         "volume": f"{s['volume']} m3", "heat": {"mode": "isothermal", "temperature": f"{s['T']} K"}}
        for k, s in enumerate(answer.best["steps"])
    ]  # fmt: skip
    data = scheme(VAN_DE_VUSSE).dump()
    data["units"] = units
    data["streams"] = [
        feed("f", "V0", {"a": "10 kmol/h"}, T=f"{T} K", P="1 bar"),
        {"id": "m", "from": "V0", "to": "V1"},
        {"id": "p", "from": "V1"},
    ]
    solution = solve(document(ISOMERS, units, data["streams"], data["reactions"], data["reaction_sets"]))
    assert solution.solved, solution.messages
    assert solution.streams["p"].flow["b"] * 3.6 / 10.0 == pytest.approx(answer.best["at"][1], rel=1e-5)


def test_axes_may_be_flows_and_the_aim_the_first():
    answer = asked(scheme(FIVE), x="c", y="b", aim="x")
    assert answer.x.dimension == "molar flow" and answer.x.label
    assert answer.best["at"][0] <= 10e3 / 3600.0 + 1e-9
    assert answer.trimmed and "were found to gain less than a thousandth" in " ".join(
        told(answer, "process-metric")
    )  # c only grows with volume


def test_a_range_of_temperatures_reaches_farther():
    law = [("a = b", 1.0, {"a": 1}, (-1, 1, 0, 0, 0)), ("b = c", 1.0, {"b": 1}, (0, -1, 1, 0, 0))]
    project = scheme(law)
    for r, energy in zip(project.reactions, ("40 kJ/mol", "90 kJ/mol"), strict=True):
        r.rate.forward.energy, r.rate.forward.at = energy, f"{T} K"
    one, many = asked(project), asked(project, temperature="500 K", up_to="600 K")
    assert many.best["at"][1] > one.best["at"][1] + 0.1
    assert {s["T"] for s in many.best["steps"]} <= {500.0, 525.0, 550.0, 575.0, 600.0}
    assert "500" in words_of(many.best, "si")


def test_what_cannot_be_drawn_is_said():
    project = scheme(FIVE)
    for more, words in (
        ({"stream": "nowhere"}, "is not known: choose a stream that solves"),
        ({"set": "none"}, "Choose a reaction set"),
        ({"temperature": "600 K", "up_to": "500 K"}, "ends below where it begins"),
        ({"x": "b", "y": "b"}, "lies on one line"),
    ):
        with pytest.raises(RegionTrouble, match=words):
            asked(project, **more)
    project.reactions[0].rate = None
    with pytest.raises(RegionTrouble, match="no rate law"):
        asked(project)
    project = scheme(FIVE)
    project.measures = None
    with pytest.raises(RegionTrouble, match="need a key reactant"):
        asked(project)


def test_where_the_process_stands_is_inside():
    answer = asked(scheme(FIVE))
    assert answer.now_of == "U"
    hull = scipy.spatial.Delaunay(np.array(answer.outline) * [1.0, 1.0])
    assert hull.find_simplex(np.array(answer.now)) >= 0


def test_what_no_arrangement_can_make_is_said():
    """b is only used up here, and none is fed: nothing makes any."""
    law = [
        ("b = a", 1.0, {"b": 1}, (1, -1, 0, 0, 0)),
        ("a = c", 1.0, {"a": 1}, (-1, 0, 1, 0, 0)),
        ("a = e", 0.5, {"a": 1}, (-1, 0, 0, 1, 0)),
    ]
    answer = asked(scheme(law), x="c", y="e", aim="y")
    assert "Most" in told(answer, "si")[0]
    with pytest.raises(RegionTrouble, match="lies on one line"):
        asked(scheme(law), x="c", y="b")


def test_on_the_command_line(tmp_path, capsys):
    file, project = tmp_path / "vessels.json", scheme([("a = b", 1.0, {"a": 1}, None), ("b = c", 0.2, {"b": 1}, None)])
    project.region = RegionEntry(set="s", stream="f", phase="vapour")
    file.write_text(project.to_json(), encoding="utf-8")
    assert main(["region", str(file)]) == 0
    assert "Reached by a tube of" in capsys.readouterr().out
    assert main(["region", str(file), "--json"]) == 0
    assert '"outline"' in capsys.readouterr().out
    assert main(["region", str(file), "--stream", "nowhere"]) == 1
    assert "is not known" in capsys.readouterr().out


def test_a_slow_reaction_behind_a_fast_one_is_waited_for():
    """a = b a million times as fast as b = c: in the end all is c."""
    law = [("a = b", 1e3, {"a": 1}, (-1, 1, 0, 0, 0)), ("b = c", 1e-3, {"b": 1}, (0, -1, 1, 0, 0))]
    answer = asked(scheme(law), x="c", y="b", aim="x")
    assert answer.best["at"][0] == pytest.approx(10e3 / 3600.0, rel=3e-3)


class Stopped:
    def ended(self):
        return "stopped"


def test_what_was_stopped_is_no_answer():
    project = scheme(FIVE)
    with pytest.raises(RegionTrouble, match="stopped before it was complete"):
        attain(project, solve(project), RegionEntry(set="s", stream="f", phase="vapour"), Stopped())


@pytest.mark.parametrize("aim", ["x", "y"])
def test_with_less_volume_a_tube_of_that_time_does_best(aim):
    """a = b, b = c of first order: no mixing gains, so the most in a time is a tube's (closed forms; Levenspiel, ch. 8)."""
    k1, k2 = 1.0, 0.2
    answer = asked(scheme([("a = b", k1, {"a": 1}, None), ("b = c", k2, {"b": 1}, None)]), aim=aim)
    assert [each["name"] for each in answer.less] == ["a tenth", "a quarter", "half"]
    whole = sum(s["volume"] for s in answer.best["steps"])
    for each, share in zip(answer.less, (0.1, 0.25, 0.5), strict=True):
        time = each["volume"] / (1e4 / 3600.0 / C0)
        a, b = np.exp(-k1 * time), k1 / (k2 - k1) * (np.exp(-k1 * time) - np.exp(-k2 * time))
        assert each["volume"] == pytest.approx(share * whole)
        assert each["most"] == pytest.approx(1.0 - a if aim == "x" else b, rel=3e-3)
        least, most = np.array(each["outline"]).min(axis=0), np.array(each["outline"]).max(axis=0)
        assert least == pytest.approx([0.0, 0.0], abs=1e-6) and np.all(most <= np.array(answer.outline).max(axis=0) + 1e-9)
    said = " ".join(told(answer, "si"))
    assert "In less volume: with half of it" in said and "with a tenth of it" in said


def test_slices_of_a_region_are_mixtures():
    """A slice between two volumes is a mixture; a point beyond the volume counts as far as it is mixed in."""
    seen, sizes = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]), np.array([0.0, 2.0, 4.0])
    outline = within(seen, sizes, 1.0)
    assert outline.max(axis=0) == pytest.approx([0.5, 0.25]) and outline.min(axis=0) == pytest.approx([0.0, 0.0])
    assert within(seen, sizes, 4.0).max(axis=0) == pytest.approx([1.0, 1.0])
