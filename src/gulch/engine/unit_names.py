"""Compound units as typed, read by a grammar of our own: nothing a user types is evaluated.

    unit = [1] part {("*" | "·" | space | "/") part}     part = (name | "(" unit ")") [("^" | "**") exponent]

A digit 2 or 3 behind a name is its exponent (m3). Names are looked up in a table that was made with pint (`UNITS`); pint
itself is asked only about single names that the table lacks, so it is seldom loaded at all.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

MOST_CHARACTERS, MOST_PARTS, LARGEST_EXPONENT = 60, 16, 9
DIMENSION_NAMES = ("length", "mass", "time", "temperature", "substance", "current", "luminosity")


class UnitError(ValueError):
    """A unit that cannot be read."""


class Dims(tuple):
    """Exponents of the base dimensions, in the order of DIMENSION_NAMES; multiplied, divided and raised as dimensions are."""

    __slots__ = ()

    def __mul__(self, other: Dims) -> Dims:  # type: ignore[override]  # of a tuple: these are no tuple to repeat
        return Dims(a + b for a, b in zip(self, other, strict=True))

    def __truediv__(self, other: Dims) -> Dims:
        return Dims(a - b for a, b in zip(self, other, strict=True))

    def __pow__(self, power: float | Fraction) -> Dims:
        power = Fraction(power).limit_denominator(1000)
        return Dims(a * power for a in self)

    def __str__(self) -> str:
        over = [_power(b, e) for b, e in zip(DIMENSION_NAMES, self, strict=True) if e > 0]
        under = [_power(b, -e) for b, e in zip(DIMENSION_NAMES, self, strict=True) if e < 0]
        return "*".join(over or ["1"] if under else over) + "".join(f"/{u}" for u in under)


def _power(base: str, exponent: Fraction) -> str:
    return base if exponent == 1 else f"{base}^{float(exponent):g}"


NONE = Dims(Fraction(0) for _ in DIMENSION_NAMES)


def dims(**exponents: Any) -> Dims:
    """Dims by name of base.

    >>> str(dims(length=1, time=-2))
    'length/time^2'
    """
    return Dims(Fraction(exponents.get(b, 0)) for b in DIMENSION_NAMES)


@dataclass(frozen=True)
class Measure:
    """A unit: its SI value, the offset of its zero [SI] and its Dims."""

    factor: float
    offset: float
    dims: Dims


def _table() -> dict[str, Measure]:
    energy, force = dims(mass=1, length=2, time=-2), dims(mass=1, length=1, time=-2)
    power, pressure = dims(mass=1, length=2, time=-3), dims(mass=1, length=-1, time=-2)
    length, mass, time, volume = dims(length=1), dims(mass=1), dims(time=1), dims(length=3)
    kelvin, mole = dims(temperature=1), dims(substance=1)
    scaled = [  # names that take the prefixes below, with the SI value of one
        (("m", "metre", "meter"), 1.0, length),
        (("g", "gram"), 1e-3, mass),
        (("s", "sec", "second"), 1.0, time),
        (("mol", "mole"), 1.0, mole),
        (("J", "joule"), 1.0, energy),
        (("W", "watt"), 1.0, power),
        (("N", "newton"), 1.0, force),
        (("Pa", "pascal"), 1.0, pressure),
        (("bar",), 1e5, pressure),
        (("L", "l", "litre", "liter"), 1e-3, volume),
        (("cal",), 4.184, energy),
        (("Wh",), 3600.0, energy),
        (("P", "poise"), 0.1, pressure * time),
        (("eV",), 1.602176634e-19, energy),
    ]
    prefixes = {
        "": 1.0,
        "k": 1e3,
        "M": 1e6,
        "G": 1e9,
        "c": 1e-2,
        "d": 1e-1,
        "m": 1e-3,
        "µ": 1e-6,
        "μ": 1e-6,
        "u": 1e-6,
        "n": 1e-9,
    }
    out = {p + n: Measure(v * f, 0.0, d) for names, v, d in scaled for n in names for p, f in prefixes.items()}
    plain = [
        (("min", "minute"), 60.0, time),
        (("h", "hr", "hour"), 3600.0, time),
        (("d", "day"), 86400.0, time),
        (("yr", "year"), 31557600.0, time),
        (("week",), 604800.0, time),
        (("t", "tonne"), 1e3, mass),
        (("lb", "lbs"), 0.45359237, mass),
        (("oz",), 0.028349523125, mass),
        (("ton",), 907.18474, mass),
        (("lbmol",), 453.59237, mole),
        (("ft", "foot", "feet"), 0.3048, length),
        (("in", "inch"), 0.0254, length),
        (("yd",), 0.9144, length),
        (("mile", "mi"), 1609.344, length),
        (("ha",), 1e4, dims(length=2)),
        (("gal", "gallon"), 0.003785411784, volume),
        (("bbl",), 0.158987294928, volume),
        (("cc",), 1e-6, volume),
        (("atm",), 101325.0, pressure),
        (("psi", "psia"), 6894.757293168361, pressure),
        (("bara",), 1e5, pressure),
        (("torr", "Torr"), 101325.0 / 760.0, pressure),
        (("mmHg",), 133.322387415, pressure),
        (("inHg",), 3386.388640341, pressure),
        (("Btu", "BTU", "btu"), 1055.05585262, energy),
        (("MMBtu",), 1055.05585262e6, energy),
        (("kBtu",), 1055.05585262e3, energy),
        (("hp",), 745.6998715822702, power),
        (("lbf",), 4.4482216152605, force),
        (("%", "percent", "points", "point"), 1e-2, NONE),
        (("ppm",), 1e-6, NONE),
        (("K", "kelvin", "°K", "delta_degC"), 1.0, kelvin),
    ]
    out |= {n: Measure(v, 0.0, d) for names, v, d in plain for n in names}
    out |= dict.fromkeys(("degC", "°C", "C", "celsius", "Celsius"), Measure(1.0, 273.15, kelvin))
    out |= dict.fromkeys(("degF", "°F", "F", "fahrenheit", "Fahrenheit"), Measure(5 / 9, 459.67 * 5 / 9, kelvin))
    out |= dict.fromkeys(("degR", "°R", "R", "rankine", "Rankine", "delta_degF"), Measure(5 / 9, 0.0, kelvin))
    return out


UNITS = _table()
_TOKEN = re.compile(r"\s*(?:(?P<name>[A-Za-z°µμ%_]+)|(?P<number>\d+(?:\.\d+)?)|(?P<mark>\*\*|[*/()^·−+\-]))")


@lru_cache(maxsize=4096)
def read_unit(text: str) -> Measure:
    """The Measure of a unit as typed; an offset counts only where a temperature stands alone. Raises UnitError.

    >>> read_unit("kmol/(m3 h)").factor * 3.6
    1.0
    """
    tokens = _tokens(text)
    if not tokens or tokens == ["1"]:
        return Measure(1.0, 0.0, NONE)
    if len(tokens) == 1 and (alone := named(tokens[0])) is not None:
        return alone
    reader = _Reader(tokens)
    measure = reader.product()
    if reader.rest:
        raise UnitError(f"“{text}” is not a unit Gulch can read.")
    return measure


def _tokens(text: str) -> list[str]:
    text = text.strip()
    if len(text) > MOST_CHARACTERS:
        raise UnitError("The unit is too long.")
    text = text.replace("²", "^2").replace("³", "^3")
    out, at = [], 0
    while at < len(text):
        match = _TOKEN.match(text, at)
        if match is None:
            raise UnitError(f"“{text}” is not a unit Gulch can read.")
        out.append("*" if match["mark"] == "·" else "^" if match["mark"] == "**" else match["mark"] or match["name"] or match["number"])
        at = match.end()
    return out


class _Reader:
    """Reads tokens from left to right; `*`, `/` and a mere gap bind alike."""

    def __init__(self, tokens: list[str]) -> None:
        self.rest, self.parts = list(reversed(tokens)), 0

    def next(self) -> str:
        return self.rest[-1] if self.rest else ""

    def take(self, wanted: str | None = None) -> str:
        if not self.rest or (wanted is not None and self.rest[-1] != wanted):
            raise UnitError("The unit cannot be read.")
        return self.rest.pop()

    def product(self) -> Measure:
        factor, total = self.part()
        while self.next() and self.next() != ")":
            mark = self.take() if self.next() in "*/" else "*"
            f, d = self.part()
            factor, total = (factor / f, total / d) if mark == "/" else (factor * f, total * d)
        return Measure(factor, 0.0, total)

    def part(self) -> tuple:
        self.parts += 1
        if self.parts > MOST_PARTS:
            raise UnitError("The unit has too many parts.")
        word = self.take()
        if word == "(":
            inner = self.product()
            self.take(")")
            factor, total = inner.factor, inner.dims
        elif word == "1":
            return 1.0, NONE
        elif (found := named(word)) is not None:
            factor, total = found.factor, found.dims
        else:
            raise UnitError(f"“{word}” is not a unit Gulch knows.")
        exponent = self.exponent(word)
        try:
            return float(factor ** float(exponent)), total**exponent
        except (OverflowError, ZeroDivisionError):
            raise UnitError("The unit cannot be read.") from None

    def exponent(self, word: str) -> Fraction:
        if self.next() in ("2", "3") and word != "(":
            return Fraction(self.take())
        if self.next() != "^":
            return Fraction(1)
        self.take()
        inside = self.next() == "("
        if inside:
            self.take()
        sign = -1 if self.next() in ("-", "−") else 1
        if self.next() and self.next() in "-−+":
            self.take()
        digits = self.take()
        if not digits[:1].isdigit() or len(digits) > 8 or float(digits) > LARGEST_EXPONENT:
            raise UnitError(f"Exponents of units are numbers up to {LARGEST_EXPONENT}.")
        if inside:
            self.take(")")
        return sign * Fraction(digits)


@lru_cache(maxsize=1024)
def named(name: str) -> Measure | None:
    """The Measure of a single name, or None."""
    if name in UNITS:
        return UNITS[name]
    if len(name) > 24 or not re.fullmatch(r"[A-Za-zµμ°_]+", name):
        return None
    return _asked(name)


def _asked(name: str) -> Measure | None:
    """What pint knows of a name."""
    import pint

    registry = pint.UnitRegistry(autoconvert_offset_to_baseunit=True, cache_folder=None)
    try:
        factor, unit = registry.get_base_units(name)
        kinds = {k.strip("[]"): e for k, e in registry.get_dimensionality(unit).items()}
        offset = registry.Quantity(0.0, name).to_base_units().magnitude
    except Exception:  # pint raises many kinds; to us each means: no such unit
        return None
    if not set(kinds) <= set(DIMENSION_NAMES) or not all(_finite(float(v)) for v in (factor, offset)):  # type: ignore[arg-type]  # of pint's numbers
        return None
    powers = {k: Fraction(float(e)).limit_denominator(1000) for k, e in kinds.items()}  # type: ignore[arg-type]  # of pint's numbers
    return Measure(float(factor), float(offset), dims(**powers))  # type: ignore[arg-type]


def _finite(value: float) -> bool:
    return isinstance(value, int | float) and abs(value) < 1e300


_PRETTY = {
    "degC": "°C",
    "degF": "°F",
    "degR": "°R",
    "m3/h": "m³/h",
    "m3/s": "m³/s",
    "ft3/h": "ft³/h",
    "kg/m3": "kg/m³",
    "lb/ft3": "lb/ft³",
    "kmol/m3": "kmol/m³",
    "mol/m3": "mol/m³",
    "lbmol/ft3": "lbmol/ft³",
    "m3": "m³",
    "ft3": "ft³",
    "m2": "m²",
    "ft2": "ft²",
    "W/(m2 K)": "W/(m² K)",
    "kmol/(m3 h)": "kmol/(m³ h)",
    "lbmol/(ft3 h)": "lbmol/(ft³ h)",
    "mol/(m3 s)": "mol/(m³ s)",
    "Btu/(h degF)": "Btu/(h °F)",
    "t/year": "t/a",
    "short_ton/year": "short tons/a",
    "m3/kmol": "m³/kmol",
    "ft3/lbmol": "ft³/lbmol",
    "1/hr": "per hour",
    "1": "",
}


def pretty_unit(unit: str) -> str:
    """The unit as printed beside a number."""
    return _PRETTY.get(unit, unit)
