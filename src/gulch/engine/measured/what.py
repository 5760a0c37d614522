"""What a column of measurements may hold: what was read, where along the way, and under which conditions."""

from __future__ import annotations

from dataclasses import dataclass

from gulch.engine.chemistry.kernels.rates import PER_CATALYST, PER_FLUID, PER_SURFACE

CONDITION, ALONG, RESPONSE = "condition", "along", "response"
RATES = {"rate": PER_FLUID, "rate-mass": PER_CATALYST, "rate-area": PER_SURFACE}  # what is read as a rate counts on what
BATCHES, FLOWED = ("batch-volume", "batch-pressure"), ("tube", "tank")
VESSELS = {
    "batch-volume": "batch of constant volume",
    "batch-pressure": "batch at constant pressure",
    "tube": "tube, its whole length",
    "tank": "stirred tank",
    "differential": "differential reactor, which shows rates",
    "constants": "none: a table of k or K",
}


@dataclass(frozen=True)
class What:
    """part: condition, along or response; dimension: of its numbers, "" of words and of k, whose unit hangs on the law; per_species:
    whether it is of one species; vessels: in which it means something; symbol: as a plot's axis writes it."""

    key: str
    words: str
    dimension: str
    part: str
    per_species: bool = False
    vessels: tuple[str, ...] = (*BATCHES, *FLOWED)
    symbol: str = ""


ANYWHERE = (*BATCHES, *FLOWED, "differential")
WHAT: dict[str, What] = {
    w.key: w
    for w in (
        What("run", "run", "", CONDITION, vessels=(*ANYWHERE, "constants"), symbol="run"),
        What("temperature", "temperature", "temperature", CONDITION, vessels=(*ANYWHERE, "constants"), symbol="T"),
        What("pressure", "pressure", "pressure", CONDITION, vessels=ANYWHERE, symbol="P"),
        What("start", "concentration charged or fed", "molar concentration", CONDITION, True, ANYWHERE, "c₀"),
        What("feed-fraction", "mole fraction charged or fed", "fraction", CONDITION, True, ANYWHERE, "x₀"),
        What("feed-pressure", "partial pressure charged or fed", "pressure", CONDITION, True, ANYWHERE, "p₀"),
        What("feed-flow", "molar flow fed", "molar flow", CONDITION, True, FLOWED, "F₀"),
        What("time", "time", "time", ALONG, vessels=BATCHES, symbol="t"),
        What("space-time", "space time V/Q of the feed", "time", ALONG, vessels=FLOWED, symbol="τ"),
        What("volume", "volume of the reactor", "volume", ALONG, vessels=FLOWED, symbol="V"),
        What("mass", "mass of catalyst", "mass", ALONG, vessels=FLOWED, symbol="W"),
        What("mass-time", "W/F of the feed", "mass over flow", ALONG, True, FLOWED, "W/F"),
        What("volume-time", "V/F of the feed", "volume over flow", ALONG, True, FLOWED, "V/F"),
        What("concentration", "concentration", "molar concentration", RESPONSE, True, symbol="c"),
        What("conversion", "conversion", "fraction", RESPONSE, True, symbol="X"),
        What("fraction", "mole fraction", "fraction", RESPONSE, True, symbol="x"),
        What("partial-pressure", "partial pressure", "pressure", RESPONSE, True, symbol="p"),
        What("flow", "molar flow", "molar flow", RESPONSE, True, FLOWED, "F"),
        What("total-pressure", "total pressure", "pressure", RESPONSE, False, ("batch-volume",), "P"),
        What("rate", "rate of a species by volume", "rate", RESPONSE, True, ("differential", "tank"), "r"),
        What("rate-mass", "rate of a species by mass of catalyst", "rate per mass", RESPONSE, True, ("differential", "tank"), "r"),
        What("rate-area", "rate of a species by area of surface", "rate per area", RESPONSE, True, ("differential", "tank"), "r"),
        What("k", "rate constant", "", RESPONSE, vessels=("constants",), symbol="k"),
        What("K", "equilibrium constant", "ratio", RESPONSE, vessels=("constants",), symbol="K"),
    )
}
