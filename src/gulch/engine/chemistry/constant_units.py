"""In which units of amount, volume, time and concentration (or pressure) a rate constant was typed, so that another order keeps them."""

from __future__ import annotations

import itertools
import math
import re
from functools import lru_cache
from typing import NamedTuple

from gulch.engine.chemistry.rates import RATE_BASES, rate_unit
from gulch.engine.quantities import compound_unit

AMOUNTS = ("mol", "kmol", "mmol", "lbmol")
SPACES = ("L", "m3", "cm3", "dm3", "mL", "l", "ft3")
MASSES = ("kg", "g", "lb", "t")
AREAS = ("m2", "cm2", "ft2")
TIMES = ("s", "min", "h", "hr", "d")
PRESSURES = ("bar", "Pa", "kPa", "MPa", "atm", "psi", "torr", "mmHg")


class CountedIn(NamedTuple):
    """rate: unit of the rate; quantity: that of the concentration or pressure, "" of mole fractions, with its SI value."""

    rate: str
    quantity: str
    si: float
    amount: str = ""
    space: str = ""
    time: str = ""

    def of_constant(self, order: float) -> str:
        """The unit of a constant whose orders add to `order`, which is 1 of these units."""
        if not self.quantity or not order:
            return self.rate
        if self.quantity == f"{self.amount}/{self.space}" and order in (1.0, 2.0):
            return f"1/{self.time}" if order == 1.0 else f"{self.space}/({self.amount} {self.time})"
        amount, apart, volume = self.quantity.partition("/")
        if apart and amount == self.amount and order in (1.0, 2.0):  # the rate by mass of catalyst
            return f"{volume}/({self.space} {self.time})" if order == 1.0 else f"{volume}^2/({amount} {self.space} {self.time})"
        quantity = f"({self.quantity})" if "/" in self.quantity else self.quantity
        return f"{self.rate}/{quantity}" + ("" if order == 1.0 else f"^{order:.6g}")

    def of_strength(self, power: float) -> str:
        """The unit of an adsorption constant of a power."""
        if not self.quantity or not power:
            return ""
        if power == 1.0:
            return "/".join(reversed(self.quantity.split("/"))) if "/" in self.quantity else f"1/{self.quantity}"
        return f"1/({self.quantity})^{power:.6g}"


@lru_cache(maxsize=1024)
def counted_in(unit: str, basis: str, per: str | None, order: float) -> CountedIn:
    """What a constant's unit counts in, whose orders add to `order`; per None: an adsorption constant's, which has no rate in it.

    Of the ways to read it that come out right, the one whose names stand in the text; SI where none does. Raises QuantityError where the
    unit cannot be read.
    """
    typed = compound_unit(unit)[1] if unit else 1.0
    words = set(re.findall(r"[A-Za-z]+3?", unit))
    best, most = None, -1
    for way in _ways(basis, per):
        factor = _si(way.rate) / way.si**order
        if factor > 0.0 and abs(math.log(factor / typed)) < 1e-9:
            named = len(words & {way.amount, way.space, way.time, *way.quantity.split("/")})
            if named > most:
                best, most = way, named
    if best is not None:
        return best
    quantity = RATE_BASES[basis][2].replace("**", "")
    return CountedIn(rate_unit(basis, per or "fluid", 0.0).replace("**", "") if per else "", quantity, 1.0)


@lru_cache(maxsize=32)
def _ways(basis: str, per: str | None) -> tuple[CountedIn, ...]:
    spaces = MASSES if per == "catalyst" else AREAS if per == "surface" else SPACES
    rates = [("", "", "")] if per is None else list(itertools.product(AMOUNTS, spaces, TIMES))
    out = []
    for amount, space, time in rates:
        rate = f"{amount}/({space} {time})" if per else ""
        if basis in ("partial-pressure", "fugacity"):
            quantities = [*PRESSURES]
        elif basis == "concentration":
            same = per in ("fluid", "bed")
            quantities = [f"{amount}/{space}"] if same else [f"{a}/{s}" for a, s in itertools.product(AMOUNTS, SPACES)]
        else:
            quantities = [""]
        out += [CountedIn(rate, q, _si(q), amount, space, time) for q in quantities]
    return tuple(out)


@lru_cache(maxsize=1024)
def _si(unit: str) -> float:
    return compound_unit(unit)[1] if unit else 1.0
