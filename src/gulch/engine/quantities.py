"""Quantities as users type them ("2.4 bar", "36 psi", "5 %") and the SI numbers inside.

The rest of the engine sees SI floats only; which units there are, `dimensions` says.
"""

from __future__ import annotations

import itertools
import math
import re
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from gulch.engine.dimensions import CONSTANT, DIMENSIONS, Dimension
from gulch.engine.unit_names import UnitError, pretty_unit, read_unit

if TYPE_CHECKING:
    from gulch.engine.unit_names import Dims


class QuantityError(ValueError):
    """A typed quantity that cannot be read; the message is a sentence for the user."""


_TEMPERATURES = {
    "c": "degC",
    "°c": "degC",
    "degc": "degC",
    "celsius": "degC",
    "deg c": "degC",
    "f": "degF",
    "°f": "degF",
    "degf": "degF",
    "fahrenheit": "degF",
    "deg f": "degF",
    "k": "kelvin",
    "°k": "kelvin",
    "kelvin": "kelvin",
    "r": "degR",
    "°r": "degR",
    "degr": "degR",
    "rankine": "degR",
}
_GAUGE = {"barg": "bar", "psig": "psi"}
STANDARD_ATMOSPHERE = 101325.0

MOST_CHARACTERS = 80  # of one typed quantity
MOST_POINTS = 2000  # characters of typed points
LARGEST = {
    "temperature": 2e6,
    "pressure": 1e12,
    "molar flow": 1e9,
    "mass flow": 1e9,
    "volume flow": 1e9,
    "power": 1e15,
    "volume": 1e9,
    "length": 1e7,
    "count": 1e9,
}
BEYOND = 1e20  # SI, for every other dimension
STEEPEST = 1e250  # SI, of a rate constant: k0 of a steep law may have any size

_NUMBER = re.compile(r"([+\-−]?(?:\d+\.?\d*|\.\d+)(?:[eE][+\-]?\d+)?)(.*)", re.DOTALL)
_PAIR = re.compile(r"^([+\-−]?[\d.]+(?:[eE][+\-]?\d+)?\s?[A-Za-z°]+)[ ,]+([+\-−]?[\d.]+(?:[eE][+\-]?\d+)?.*)$")
_COMMA = re.compile(r"\d,\d")


@lru_cache(maxsize=4096)
def conversion(unit: str, dimension: str) -> tuple:
    """(factor, offset) with SI value = factor * value + offset.

    Raises QuantityError when the unit is unknown or of another dimension.
    """
    kind = DIMENSIONS[dimension]
    text = unit.strip()
    if dimension in ("temperature", "temperature difference"):
        text = _TEMPERATURES.get(text.lower(), text)
    if dimension == "pressure" and text.lower() in _GAUGE:
        return read_unit(_GAUGE[text.lower()]).factor, STANDARD_ATMOSPHERE
    try:
        found = read_unit(text)
    except UnitError:
        raise QuantityError(_unknown_unit(unit, kind)) from None
    if found.dims != dimensions_of(kind.si):
        raise QuantityError(
            f"“{unit}” is a unit of {_name_of(found.dims) or 'another kind'}, but a {kind.name} is wanted here: "
            f"write for example {_examples(kind)}."
        )
    return found.factor, found.offset if dimension == "temperature" else 0.0


def difference_of(dimension: str) -> str:
    """The dimension of a difference of two values of a dimension.

    >>> difference_of("temperature"), difference_of("molar flow")
    ('temperature difference', 'molar flow')
    """
    return f"{dimension} difference" if f"{dimension} difference" in DIMENSIONS else dimension


def dimensions_of(unit: str) -> Dims:
    """Dims of a unit; can be multiplied, divided, raised and compared."""
    return read_unit(unit).dims


def compound_unit(unit: str) -> tuple:
    """(Dims, SI factor) of a compound unit as typed. Raises QuantityError."""
    try:
        found = read_unit(unit)
    except UnitError:
        raise QuantityError(f"“{unit[:60]}” is not a unit Gulch can read.") from None
    return found.dims, found.factor


def unit_factor(unit: str, si: str) -> float | None:
    """SI value of one of a compound unit, where the SI unit is given as well; None when it does not fit.

    Raises QuantityError when the unit cannot be read.
    """
    found, factor = compound_unit(unit)
    return factor if found == dimensions_of(si) else None


def _examples(kind: Dimension) -> str:
    return ", ".join(u for u in kind.offered[:4] if u != "1")


def _unknown_unit(unit: str, kind: Dimension) -> str:
    return f"“{unit}” is not a unit Gulch knows for a {kind.name}: write for example {_examples(kind)}."


def _name_of(here: Dims) -> str | None:
    return next((kind.name for kind in DIMENSIONS.values() if kind.si and dimensions_of(kind.si) == here), None)


def split_text(text: str) -> tuple:
    """(number, unit text) of a typed quantity. Raises QuantityError."""
    text = str(text).strip()
    if not text:
        raise QuantityError("No value is given: type a number with its unit.")
    if len(text) > MOST_CHARACTERS:
        raise QuantityError(f"“{text[:30]} …” is too long for a quantity: type a number with its unit.")
    if _COMMA.search(text):
        raise QuantityError(f"“{text}” holds a comma: write decimals with a point and thousands without a mark.")
    match = _NUMBER.match(text)
    if not match:
        raise QuantityError(f"“{text}” does not start with a number: type for example “25 degC” or “2.4 bar”.")
    number = float(match.group(1).replace("−", "-"))
    if not math.isfinite(number):
        raise QuantityError(f"“{text}” is not a finite number.")
    return number, match.group(2).strip()


@lru_cache(maxsize=65536)
def parse(text: str, dimension: str) -> float:
    """SI value of a typed quantity of the given dimension.

    A number without unit is accepted only where "1" is a unit: fractions, ratios, counts, money.
    Raises QuantityError with a sentence for the user.

    >>> parse("2.4 bar", "pressure")
    240000.0
    >>> round(parse("130 F", "temperature"), 2)
    327.59
    """
    number, unit = split_text(text)
    kind = DIMENSIONS[dimension]
    if not unit and ("1" not in kind.offered or dimension == "fraction difference"):  # 0.5 points or 0.5 of all: not guessed
        raise QuantityError(f"“{text}” has no unit: write for example “{text} {kind.offered[0]}”.")
    factor, offset = conversion(unit, dimension)
    value = number * factor + offset
    if not abs(value) <= (STEEPEST if dimension.startswith(CONSTANT) else LARGEST.get(dimension, BEYOND)):
        raise QuantityError(f"“{text}” is beyond anything physical: check the number and its unit.")
    if dimension == "temperature" and value <= 0.0:
        raise QuantityError(f"“{text}” is below absolute zero (0 K, −273.15 °C, −459.67 °F): give a higher temperature.")
    if dimension == "pressure" and value <= 0.0:
        raise QuantityError(f"“{text}” is not above vacuum: give an absolute pressure above zero.")
    return value


def parse_points(text: str, first: str, second: str, most: int = MOST_POINTS) -> Any:
    """(x, y) in SI, each of shape (n,), of points as typed: "25 degC 0.032 bar; 100 degC 1.013 bar".

    A single value without its x gives x = [None]. The x must rise. Raises QuantityError.

    >>> parse_points("300 K 2; 400 K 5", "temperature", "ratio")
    ([300.0, 400.0], [2.0, 5.0])
    """
    xs, ys = [], []
    if len(text) > most:
        raise QuantityError(f"The points are longer than {most} characters: give fewer.")
    for piece in (" ".join(p.split()) for p in re.split(r"[;\n]", text) if p.strip()):
        match = _PAIR.match(piece) if len(piece) <= MOST_POINTS else None
        if match is None:
            if xs or len([p for p in re.split(r"[;\n]+", text) if p.strip()]) > 1:
                raise QuantityError(f"“{piece}” is not a point: write two values with their units, points apart by “;”.")
            return [None], [parse(piece, second)]
        xs.append(parse(match[1], first))
        ys.append(parse(match[2], second))
    if not xs:
        raise QuantityError("No point is given: write for example “25 degC 0.03 bar; 100 degC 1.01 bar”.")
    if any(b <= a for a, b in itertools.pairwise(xs)):
        raise QuantityError("The points are not in rising order of their first value: sort them.")
    return xs, ys


def to_unit(value: float, unit: str, dimension: str) -> float:
    """The number that stands before `unit` for an SI value."""
    factor, offset = conversion(unit, dimension)
    return (value - offset) / factor


@dataclass(frozen=True)
class DisplaySet:
    """One unit for each dimension, as shown on screens and in exports."""

    name: str
    label: str
    units: dict

    def unit(self, dimension: str) -> str:
        """The unit in which a dimension is shown: of a rate constant the one in which it was typed."""
        return DIMENSIONS[dimension].offered[0] if dimension.startswith(CONSTANT) else self.units[dimension]


_METRIC = {
    "temperature": "degC",
    "temperature difference": "K",
    "pressure": "bar",
    "pressure difference": "bar",
    "molar flow": "kmol/h",
    "mass flow": "kg/h",
    "volume flow": "m3/h",
    "power": "kW",
    "fraction": "%",
    "fraction difference": "points",
    "ratio": "1",
    "count": "1",
    "molar energy": "kJ/mol",
    "molar entropy": "J/(mol K)",
    "molar mass": "g/mol",
    "molar volume": "m3/kmol",
    "density": "kg/m3",
    "molar concentration": "kmol/m3",
    "volume": "m3",
    "length": "m",
    "area": "m2",
    "mass": "kg",
    "time": "min",
    "heat conductance": "kW/K",
    "heat transfer coefficient": "W/(m2 K)",
    "heat capacity flow": "kW/K",
    "heat per length": "kW/m",
    "viscosity": "mPa s",
    "rate": "kmol/(m3 h)",
    "rate per mass": "kmol/(kg h)",
    "rate per area": "kmol/(m2 h)",
    "area per volume": "m2/m3",
    "space velocity": "1/h",
    "velocity": "m/s",
    "diffusivity": "m2/s",
    "mass over flow": "kg h/kmol",
    "volume over flow": "m3 h/kmol",
    "money rate": "1/hr",
    "money": "1",
    "amount": "kmol",
    "heat": "MJ",
    "frequency": "1/d",
    "permeance": "kmol/(m2 h bar)",
    "voltage": "V",
    "current": "kA",
}
_US = _METRIC | {
    "temperature": "degF",
    "temperature difference": "degF",
    "pressure": "psi",
    "pressure difference": "psi",
    "molar flow": "lbmol/h",
    "amount": "lbmol",
    "heat": "MMBtu",
    "permeance": "lbmol/(ft2 h psi)",
    "mass flow": "lb/h",
    "volume flow": "ft3/h",
    "power": "MMBtu/h",
    "molar energy": "Btu/lbmol",
    "molar entropy": "Btu/(lbmol R)",
    "molar mass": "lb/lbmol",
    "molar volume": "ft3/lbmol",
    "density": "lb/ft3",
    "molar concentration": "lbmol/ft3",
    "volume": "ft3",
    "length": "ft",
    "area": "ft2",
    "mass": "lb",
    "heat conductance": "Btu/(h degF)",
    "heat transfer coefficient": "Btu/(h ft2 degF)",
    "heat capacity flow": "Btu/(h degF)",
    "heat per length": "Btu/(h ft)",
    "viscosity": "cP",
    "rate": "lbmol/(ft3 h)",
    "rate per mass": "lbmol/(lb h)",
    "rate per area": "lbmol/(ft2 h)",
    "area per volume": "ft2/ft3",
    "mass over flow": "lb h/lbmol",
    "volume over flow": "ft3 h/lbmol",
}
_SI = _METRIC | {
    "temperature": "K",
    "pressure": "Pa",
    "pressure difference": "Pa",
    "amount": "mol",
    "heat": "J",
    "permeance": "mol/(m2 s Pa)",
    "molar flow": "mol/s",
    "mass flow": "kg/s",
    "volume flow": "m3/s",
    "power": "W",
    "molar energy": "J/mol",
    "molar concentration": "mol/m3",
    "time": "s",
    "heat conductance": "W/K",
    "heat capacity flow": "W/K",
    "heat per length": "W/m",
    "viscosity": "Pa s",
    "rate": "mol/(m3 s)",
    "rate per mass": "mol/(kg s)",
    "rate per area": "mol/(m2 s)",
    "space velocity": "1/s",
    "mass over flow": "kg s/mol",
    "volume over flow": "L s/mol",
}


class _DisplaySets(dict):
    """Display sets by name; also those that `shown_in` names, which are made when they are asked for."""

    def __missing__(self, name: str) -> DisplaySet:
        base, *own = name.split("; ")
        if base not in self or not own:
            raise KeyError(name)
        units = dict(part.partition(" in ")[::2] for part in own)
        differences = {f"{d} difference": "K" if u == "degC" else u for d, u in units.items() if f"{d} difference" in DIMENSIONS}
        differences.pop("fraction difference", None)
        made = DisplaySet(name, self[base].label, self[base].units | {k: v for k, v in differences.items() if k not in units} | units)
        if len(self) < MOST_SETS:
            self[name] = made
        return made


MOST_SETS = 500  # that are remembered
DISPLAY_SETS = _DisplaySets(
    {
        s.name: s
        for s in (
            DisplaySet("process-metric", "kmol/h · °C · bar", _METRIC),
            DisplaySet("us-customary", "lbmol/h · °F · psi", _US),
            DisplaySet("si", "mol/s · K · Pa", _SI),
        )
    }
)
USUAL_SETS = tuple(DISPLAY_SETS)


def shown_in(display: str, units: dict[str, str]) -> str:
    """The name of a display set like another one but for the units of some dimensions.

    >>> name = shown_in("process-metric", {"temperature": "K"})
    >>> show(300.0, "temperature", name), show(300.0, "temperature", "process-metric")
    ('300.0 K', '26.85 °C')
    """
    units = {d: u for d, u in sorted(units.items()) if DISPLAY_SETS[display].unit(d) != u}
    return "; ".join([display, *(f"{d} in {u}" for d, u in units.items())])


def along(display: str, axis: dict[str, Any]) -> str:
    """The display set for the values of a scan's axis: in the unit in which its range was typed."""
    return shown_in(display, {axis["dimension"]: axis["unit"]}) if axis.get("unit") else display


def unit_of(text: str | None, dimension: str) -> str:
    """The unit of a typed quantity as one that its dimension is offered in; '' where it has none, or another."""
    try:
        _, unit = split_text(text or "")
        wanted = conversion(unit, dimension) if unit else None
    except QuantityError:
        return ""
    return next((u for u in DIMENSIONS[dimension].offered if wanted is not None and conversion(u, dimension) == wanted), "")


PLAIN_TO = 1e9  # sizes up to which numbers are written out, so that those of one table look alike


def format_number(value: float | None, digits: int = 4) -> str:
    r"""A number with `digits` significant figures, plain where plain is readable.

    >>> format_number(1234.5678), format_number(0.00001234), format_number(0)
    ('1\u202f235', '1.234e-05', '0')
    """
    if value is None or not math.isfinite(value):
        return "–"
    if value == 0.0:
        return "0"
    size = abs(value)
    if size >= PLAIN_TO or size < 1e-3:
        return f"{value:.{digits - 1}e}".replace("-", "−", 1) if value < 0 else f"{value:.{digits - 1}e}"
    places = max(0, digits - 1 - int(f"{size:.{digits - 1}e}".rpartition("e")[2]))  # 0.99999 rounds to 1.000
    text = f"{value:,.{places}f}".replace(",", "\u202f")
    return text.replace("-", "−")


def show(value: float | None, dimension: str, display: str = "process-metric", digits: int = 4, unit: bool = True) -> str:
    """An SI value in the units of a display set, as text."""
    if value is None:
        return "–"
    name = DISPLAY_SETS[display].unit(dimension)
    if dimension == "count" and abs(value - round(value)) < 1e-9:
        return str(round(value))
    number = format_number(to_unit(value, name, dimension), digits)
    label = pretty_unit(name)
    return f"{number} {label}" if unit and label else number


class Worded(ValueError):
    """An error whose words name quantities: told in the units of a display, in SI as plain text.

    words: with a {} for each of `parts`: (SI value, dimension), or another error.
    """

    def __init__(self, words: str, *parts: tuple[float, str] | Exception) -> None:
        self.words, self.parts = words, parts
        super().__init__(self.told("si"))

    def told(self, display: str) -> str:
        """The words, with quantities in the units of a display set."""
        return self.words.format(*(told(p, display) if isinstance(p, Exception) else show(*p, display) for p in self.parts))


def told(error: Exception | str, display: str) -> str:
    """What an error or a text says, in the units of a display set where it names quantities."""
    return error.told(display) if isinstance(error, Worded) else str(error)


def write(value: float, dimension: str, display: str = "process-metric", digits: int = 12) -> str:
    """An SI value as document text, readable back by `parse` to `digits` figures."""
    name = DISPLAY_SETS[display].unit(dimension)
    number = f"{to_unit(value, name, dimension):.{digits}g}"
    return number if name == "1" else f"{number} {name}"


def complete(text: str, dimension: str, display: str = "process-metric") -> str:
    """Typed text with the display unit added where the user typed a bare number."""
    text = str(text).strip()
    try:
        number, unit = split_text(text)
    except QuantityError:
        return text
    name = DISPLAY_SETS[display].unit(dimension)
    return text if unit or name == "1" else f"{text} {name}"
