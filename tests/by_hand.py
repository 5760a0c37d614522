"""Reactors of which everything follows from a textbook formula."""

from gulch.engine.document import load
from gulch.engine.explain import Plan

# One pass of A → B → C of first order in a stirred tank at constant density; k1 = 1/min, k2 = 0.3/min (invented), so that with
# the residence time t of the tank the yield of B is k1 t/((1 + k1 t)(1 + k2 t)), highest at t = 1/sqrt(k1 k2)
# (Levenspiel, Chemical Reaction Engineering, 3rd ed., ch. 8).
K1, K2 = 1.0, 0.3
OVER = [{"knob": "V"}]


def tank(over, gauges=None, **more):
    """A tank in water of the series reaction, scanned."""
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "name": "Series in a tank",
            "species": [
                {"id": "water", "cas": "7732-18-5"},
                {"id": "A", "cas": "71-36-3"},
                {"id": "B", "cas": "78-83-1"},
                {"id": "C", "cas": "75-65-0"},
            ],
            "phase_model": {"kind": "ideal"},
            "reactions": [
                {"id": "first", "equation": "A = B", "rate": {"forward": {"k": "1 1/min"}}},
                {"id": "second", "equation": "B = C", "rate": {"forward": {"k": "0.3 1/min"}}},
            ],
            "reaction_sets": [{"id": "main", "steps": [["first", "second"]]}],
            "streams": [
                {
                    "id": "feed",
                    "to": "T1",
                    "given": {"temperature": "25 degC", "pressure": "1 bar", "flow": {"water": "1000 kmol/h", "A": "1e-3 kmol/h"}},
                },
                {"id": "out", "from": "T1"},
            ],
            "units": [
                {
                    "id": "T1",
                    "kind": "stirred-tank",
                    "set": "main",
                    "phase": "liquid",
                    "volume": "1 m3",
                    "heat": {"mode": "feed-temperature"},
                }
            ],
            "knobs": [
                {"id": "V", "input": "T1.volume", "low": "0.1 m3", "high": "3 m3"},
                {"id": "F", "input": "feed.flow.water", "low": "500 kmol/h", "high": "2000 kmol/h"},
            ],
            "gauges": gauges or [{"id": "B", "reads": "out.flow.B"}],
            "scans": [{"id": "s", "over": over}],
            **more,
        }
    )


def residence(project, volume, water=1000.0):
    """Residence time [min] of a volume [m3] at a flow of water [kmol/h]."""
    feed = Plan(project).run(overrides={"feed.flow.water": water / 3.6}).streams["feed"]
    return volume / feed.volume_flow / 60.0


def made(t):
    """Yield of B in a tank."""
    return K1 * t / ((1.0 + K1 * t) * (1.0 + K2 * t))


def gas_tank(reactions, *, volume="20 m3", **more):
    """A gas tank at 2 bar, fed with 100 kmol/h of A, in which isomers of pentane turn into each other: its time is V P/(F R T)."""
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "name": "Gas in a tank",
            "species": [{"id": "A", "cas": "109-66-0"}, {"id": "B", "cas": "78-78-4"}, {"id": "C", "cas": "463-82-1"}][
                : 2 + any("C" in equation for equation, _ in reactions)
            ],
            "phase_model": {"kind": "ideal"},
            "reactions": [{"id": f"r{i}", "equation": equation, "rate": rate} for i, (equation, rate) in enumerate(reactions)],
            "reaction_sets": [{"id": "main", "steps": [[f"r{i}" for i in range(len(reactions))]]}],
            "streams": [
                {"id": "feed", "to": "R", "given": {"temperature": "400 K", "pressure": "2 bar", "flow": {"A": "100 kmol/h"}}},
                {"id": "out", "from": "R"},
            ],
            "units": [
                {
                    "id": "R",
                    "kind": "stirred-tank",
                    "set": "main",
                    "phase": "vapour",
                    "volume": volume,
                    "heat": {"mode": "isothermal", "temperature": "450 K"},
                }
            ],
            **more,
        }
    )
