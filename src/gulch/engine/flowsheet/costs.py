"""What it costs to build a process, roughly: purchase costs of its equipment by published correlations.

Correlations: Ce = a + b S^n of US$ at the Gulf Coast in January 2010, when the Chemical Engineering Plant Cost Index stood at 532.9
(Towler & Sinnott, Chemical Engineering Design, 2nd ed., table 7.2; from memory, as are its material factors in table 7.6). Fixed
capital over purchase cost: Lang, Chem. Eng. 55 (1948) 112: 4.74 for plants that handle fluids. Such estimates are good to ± 30 to 50 %.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.declared import equipment as q
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.equipment import Equipment
    from gulch.engine.document import BuildingEntry
    from gulch.engine.flowsheet.run import Run

INDEX = 532.9
STEEL = 7900.0  # kg/m3
STRESS, JOINT = 88.9e6, 0.85  # Pa, of carbon steel at 260 °C; efficiency of welded joints
CORROSION = 2e-3  # m
SLENDER = 3.0  # length over diameter of a vessel
HEADS = 1.15  # mass with heads and nozzles over that of the shell
MATERIALS = {"carbon steel": 1.0, "304 stainless": 1.3, "316 stainless": 1.3, "nickel alloy": 1.7, "Hastelloy C": 1.55}
HALF_FULL = 2.0
MEASURED = {"coefficient": "heat transfer coefficient", "difference": "temperature difference", "hold_up": "time"}
SIX_TENTHS = 0.6  # exponent of size below a correlation (Williams, Chem. Eng. 54 (1947) 124)


@dataclass(frozen=True)
class Correlation:
    """Ce = a + b S^n for S from low to high, in units of `unit` SI; words: what S is."""

    a: float
    b: float
    n: float
    low: float
    high: float
    unit: float
    dimension: str


CORRELATIONS = {
    q.VESSEL: Correlation(11600.0, 34.0, 0.85, 160.0, 250000.0, 1.0, "mass"),
    q.AGITATED: Correlation(61500.0, 32500.0, 0.8, 0.5, 100.0, 1.0, "volume"),
    q.EXCHANGER: Correlation(28000.0, 54.0, 1.2, 10.0, 1000.0, 1.0, "area"),
    q.FURNACE: Correlation(80000.0, 109000.0, 0.8, 0.2, 60.0, 1e6, "power"),
    q.COMPRESSOR: Correlation(580000.0, 20000.0, 0.6, 75.0, 30000.0, 1e3, "power"),
    q.PUMP: Correlation(8000.0, 240.0, 0.9, 0.2, 126.0, 1e-3, "volume flow"),
    q.TRAYS: Correlation(130.0, 440.0, 1.8, 0.5, 5.0, 1.0, "length"),
}


@dataclass
class Item:
    """One line: of which unit, what, its size in a dimension [SI], how many, purchase cost in the project's money, None where unknown."""

    of: str
    what: str
    size: float
    dimension: str
    count: float
    cost: float | None
    remark: str = ""


@dataclass
class Building:
    """All lines; missing: units whose cost is unknown, as sentences."""

    items: list[Item] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)

    @property
    def purchase(self) -> float | None:
        """Purchase cost of all; None where one is unknown."""
        return None if self.missing else sum(i.cost for i in self.items if i.cost is not None)

    @property
    def catalyst(self) -> float:
        """What of it catalyst costs."""
        return sum(i.cost for i in self.items if i.what == q.CATALYST and i.cost is not None)

    def fixed(self, entry: BuildingEntry) -> float | None:
        """Fixed capital: equipment as installed, and its first catalyst; None where a cost is unknown."""
        return None if self.purchase is None else (self.purchase - self.catalyst) * float(entry.installed) + self.catalyst


def shell_mass(volume: float, pressure: float, slender: float = SLENDER, length: float | None = None) -> float:
    """Mass [kg] of a cylindrical shell with heads, of a volume [m3] or of volume and length [m], at a pressure [Pa].

    t = P D/(2 S E − 1.2 P), at least what keeps its shape (5 mm to 1 m of diameter, 7 to 2 m, 9 to 2.5 m, 10 to 3 m, 12 beyond), and 2 mm
    against corrosion; design pressure 1.1 times the gauge pressure (Towler & Sinnott, ch. 14).
    """
    D = (4.0 * volume / (math.pi * slender)) ** (1.0 / 3.0) if length is None else math.sqrt(4.0 * volume / (math.pi * length))
    L = slender * D if length is None else length
    P = 1.1 * max(pressure - 101325.0, 0.0)
    least = next((t for d, t in ((1.0, 5e-3), (2.0, 7e-3), (2.5, 9e-3), (3.0, 10e-3)) if d >= D), 12e-3)
    t = max(P * D / max(2.0 * STRESS * JOINT - 1.2 * P, 1e6), least) + CORROSION
    return HEADS * math.pi * D * L * t * STEEL


def pressure_factor(pressure: float) -> float:
    """Of an exchanger: log10 F = 0.03881 − 0.11272 log10 p + 0.08183 (log10 p)², p in bar gauge from 5 to 140; 1 below.

    Turton et al., Analysis, Synthesis and Design of Chemical Processes, table A.2 (from memory).
    """
    p = min((pressure - 101325.0) / 1e5, 140.0)
    if p < 5.0:
        return 1.0
    log = math.log10(p)
    return max(10.0 ** (0.03881 - 0.11272 * log + 0.08183 * log * log), 1.0)


def sized(e: Equipment, entry: BuildingEntry) -> tuple[str, float, float]:
    """(which correlation, what it counts on [SI], factor for pressure) of a piece of equipment."""
    if e.what == q.VESSEL:
        return q.VESSEL, shell_mass(e.size, e.pressure, length=e.height or None), 1.0
    if e.what == q.DRUM:  # a cylinder that holds its liquid half full, or in which drops fall out of the vapour
        held = HALF_FULL * e.size * parse(entry.hold_up, "time")
        D = math.sqrt(4.0 * e.vapour / (math.pi * 0.07))
        return q.VESSEL, shell_mass(max(held, math.pi / 4.0 * SLENDER * D**3), e.pressure), 1.0
    U = parse(entry.coefficient, "heat transfer coefficient")
    if e.what == q.EXCHANGER:
        return q.EXCHANGER, e.size / U, pressure_factor(e.pressure)
    if e.what == q.HEATED:
        return q.EXCHANGER, e.size / (U * parse(entry.difference, "temperature difference")), pressure_factor(e.pressure)
    if e.what == q.TUBES:  # a tube reactor with a medium around it is built as an exchanger is
        return q.EXCHANGER, e.size, pressure_factor(e.pressure)
    if e.what == q.TRAYS:
        return q.TRAYS, e.diameter, 1.0
    return e.what, e.size, 1.0


def cost_of(e: Equipment, entry: BuildingEntry) -> Item:
    """The line of one piece of equipment, its unit left open."""
    if e.what == q.UNKNOWN:
        return Item("", e.what, 0.0, "count", 1.0, None, e.why)
    if e.what == q.CATALYST:
        cost = e.size * float(entry.catalyst) if entry.catalyst else None
        return Item("", e.what, e.size, "mass", 1.0, cost, "" if cost is not None else "not counted: type what a kilogram costs")
    which, size, factor = sized(e, entry)
    c = CORRELATIONS[which]
    S = size / c.unit
    many = max(1, math.ceil(S / c.high - 1e-9))
    one = min(max(S / many, c.low), c.high)
    small = (S / c.low) ** SIX_TENTHS if c.low > S else 1.0
    count = math.ceil(e.count - 1e-9) * many * (e.size if e.what == q.TRAYS else 1.0)
    money = float(entry.rate) * float(entry.index) / INDEX * MATERIALS[entry.material] * factor
    remark = f"{many} side by side" if many > 1 else "below the correlation: by the six-tenths rule" if c.low > S else ""
    words = "exchanger" if e.what == q.HEATED else e.what
    return Item("", words, size / many, c.dimension, count, count * (c.a + c.b * one**c.n) * small * money, remark)


def _unread(entry: BuildingEntry) -> str:
    """What of the entry's quantities cannot be read, or is not above zero, as a sentence; "" where all can."""
    for name, dimension in MEASURED.items():
        text = getattr(entry, name)
        try:
            if parse(text, dimension) > 0.0:
                continue
        except QuantityError:
            pass
        return f"“{text}” is no {dimension} above zero: type what it costs to build by anew."
    return ""


def building_of(run: Run) -> Building:
    """What the units of a run cost to build, by the project's entry; those typed instead count as typed."""
    plan, out = run.plan, Building()
    entry = plan.project.prices.building
    assert entry is not None
    unread = _unread(entry)
    if unread:
        out.missing.append(unread)
        return out
    for unit_id, unit in plan.units.items():
        if unit_id in entry.own:
            out.items.append(Item(unit_id, "as typed", 0.0, "count", 1.0, float(entry.own[unit_id])))
        if unit_id not in run.done and unit_id in entry.own:
            continue
        if unit_id not in run.done:
            out.missing.append(f"{unit_id} has no cost: it is not solved.")
            continue
        inlets, result = run.done[unit_id]
        try:
            found = KINDS[unit.kind].equipment(inlets, result, run.given[unit_id], run.context)
        except (ValueError, ArithmeticError):  # a state that the sizes need does not exist
            found = [q.Equipment(q.UNKNOWN, 0.0, why="Its size could not be computed.")]
        for e in (e for e in found if e.what == q.CATALYST or unit_id not in entry.own):  # what is typed is of the vessel
            item = cost_of(e, entry)
            item.of = unit_id
            out.items.append(item)
            if item.cost is None and e.what != q.CATALYST:
                out.missing.append(f"{unit_id} has no cost. {item.remark} Or type its cost.")
    return out


def yearly(building: Building, entry: BuildingEntry) -> float | None:
    """Money a year that the investment must bring: fixed capital over the pay-back time, catalyst over its life; None without either."""
    fixed = building.fixed(entry)
    if fixed is None or entry.payback is None:
        return None
    life = float(entry.catalyst_life or entry.payback)
    return (fixed - building.catalyst) / float(entry.payback) + building.catalyst / life


def plain_building(building: Building, entry: BuildingEntry) -> dict[str, Any]:
    """A Building as plain data."""
    return {
        "items": [dict(vars(i)) for i in building.items],
        "missing": list(dict.fromkeys(building.missing)),
        "purchase": building.purchase,
        "fixed": building.fixed(entry),
        "yearly": yearly(building, entry),
    }
