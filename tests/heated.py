"""A tube that heats its own feed: the loop of a published kind that has three steady states."""

from helpers import document, feed


def autothermal(feed_temperature="150 degC", conductance="10 kW/K", **more):
    """Acetaldehyde to methane and CO in an adiabatic tube, its feed heated by what leaves it."""
    units = [
        {"id": "X", "kind": "exchanger", "mode": "conductance", "conductance": conductance},
        {"id": "R", "kind": "plug-flow", "set": "s", "heat": {"mode": "adiabatic"}, "volume": "5 m3"},
    ]
    streams = [
        feed("cold", "X.cold", {"acetaldehyde": "30 mol/s", "nitrogen": "70 mol/s"}, T=feed_temperature, P="2 bar"),
        {"id": "warm", "from": "X.cold", "to": "R"},
        {"id": "hot", "from": "R", "to": "X.hot"},
        {"id": "product", "from": "X.hot"},
    ]
    rate = {"forward": {"k": "0.3 1/s", "at": "400 degC", "energy": "120 kJ/mol"}, "orders": {"acetaldehyde": "1"}}
    return document(
        {"acetaldehyde": "75-07-0", "methane": "74-82-8", "co": "630-08-0", "nitrogen": "7727-37-9"},
        units,
        streams,
        [{"id": "r", "equation": "acetaldehyde = methane + co", "rate": rate}],
        [{"id": "s", "steps": [["r"]]}],
        gauges=[{"id": "conversion", "reads": "R.conversion.acetaldehyde", "label": "conversion"}],
        knobs=[{"id": "inlet", "input": "cold.temperature", "low": "120 degC", "high": "350 degC", "label": "feed temperature"}],
        **more,
    )
