"""What a process is worth an hour: what is sold less what is bought, heat by temperature level, work and waste.

Prices are of a currency that the user names; a price is money per mol, J or kg inside. A sum that lacks a price has no value: it is
said which one is missing.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import plain
from gulch.engine.flowsheet.costs import building_of, yearly
from gulch.engine.quantities import show
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document import PricesEntry, Project
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.stream import Stream

MASS = {"kg": 1.0, "t": 1e3, "lb": 0.45359237}  # kg
AMOUNT = {"kmol": 1e3, "lbmol": 453.59237}  # mol
ENERGY = {"GJ": 1e9, "MWh": 3.6e9, "kWh": 3.6e6, "MMBtu": 1.05505585262e9}  # J
TRACE = 1e-3  # share of a stream's moles that needs no price
LITTLE_HEAT = 1e-9  # of all heat, that needs none


@dataclass(frozen=True)
class HeatLevel:
    """A heating or cooling medium: to which temperature [K] it reaches, its price [money/J]."""

    name: str
    heating: bool
    reaches: float
    price: float


@dataclass(frozen=True)
class Prices:
    """Prices in SI. bought, sold: money/mol, shape (n,), nan where none is typed; work: money/J; waste: money/kg."""

    bought: np.ndarray
    sold: np.ndarray
    levels: tuple
    work: float
    waste: float
    fates: dict  # product stream -> "waste" or "nothing"; others are sold by their species


@dataclass
class Part:
    """One line of the account. what: sold, bought, heat, work, waste, capital; amount [SI] in a dimension; rate: money/s, None unpriced."""

    what: str
    name: str
    amount: float
    dimension: str
    rate: float | None
    of: str = ""  # the stream or unit


@dataclass
class Account:
    """All parts, and what is missing for a sum, as sentences."""

    parts: list[Part] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)

    @property
    def rate(self) -> float | None:
        """Money per second; None where a price is missing."""
        return None if self.missing else sum(p.rate for p in self.parts if p.rate is not None)


def prices_of(project: Project, model: PhaseModel) -> Prices | None:
    """The Prices of a project, or None where it has none."""
    entry = project.prices
    if entry is None:
        return None
    masses = list(zip((s.id for s in project.species), model.molar_mass, strict=True))
    bought, sold = (np.array([_per_mol(entry, id_, side, mass) for id_, mass in masses]) for side in ("bought", "sold"))
    levels = tuple(
        HeatLevel(h.name, h.use == "heating", h.temperature_in_kelvin, float(h.price) / ENERGY[h.per])
        for h in entry.heat
        if h.price is not None
    )
    work = float("nan") if entry.work is None else float(entry.work) / ENERGY[entry.work_per]
    waste = float("nan") if entry.waste is None else float(entry.waste) / MASS[entry.waste_per]
    return Prices(bought, sold, levels, work, waste, dict(entry.streams))


def _per_mol(entry: PricesEntry, species: str, side: str, molar_mass: float) -> float:
    own = entry.species.get(species)
    text = getattr(own, side) if own is not None else None
    if own is None or text is None:
        return float("nan")
    return float(text) * molar_mass / MASS[own.per] if own.per in MASS else float(text) / AMOUNT[own.per]


def account_of(run: Run) -> Account:
    """The Account of a run whose project has prices."""
    plan, out = run.plan, Account()
    prices = plan.prices
    factors = {a: v for a, v in run.inputs.items() if a.startswith(("~bought.", "~sold."))}
    if factors:
        bought, sold = (np.array([factors.get(f"~{side}.{s}", 1.0) for s in plan.species]) for side in ("bought", "sold"))
        prices = replace(prices, bought=prices.bought * bought, sold=prices.sold * sold)
    for s in plan.project.streams:
        stream = run.streams.get(s.id)
        if stream is None or stream.is_empty:
            continue
        if s.is_feed and s.to:
            _material(out, plan, s.id, stream, "bought", prices.bought, -1.0)
        elif s.to is None and not s.is_feed:
            _product(out, plan, s.id, stream, prices)
    for unit_id in plan.units:
        if unit_id in run.done:
            _energy(out, unit_id, run, prices)
    _capital(out, run)
    return out


def _capital(out: Account, run: Run) -> None:
    """What the investment must bring, where a pay-back time is typed."""
    entry = run.plan.project.prices.building if run.plan.project.prices else None
    if entry is None or entry.payback is None:
        return
    building = building_of(run)
    out.missing += building.missing[:1]
    a_year = yearly(building, entry)
    rate = None if a_year is None else -a_year / (float(run.plan.project.operating_hours) * 3600.0)
    out.parts.append(Part("capital", "pay-back", float(building.purchase or 0.0), "count", rate))


def _material(out: Account, plan: Plan, id_: str, stream: Stream, what: str, price: np.ndarray, sign: float) -> None:
    names = [s.shown for s in plan.project.species]
    for i in np.flatnonzero(stream.n > 0.0):
        if np.isnan(price[i]):
            if stream.n[i] > TRACE * stream.total:
                out.missing.append(f"{names[i]} is {what} in {id_} without a price.")
                out.parts.append(Part(what, names[i], float(stream.n[i]), "molar flow", None, id_))
            continue
        if price[i] != 0.0:
            out.parts.append(Part(what, names[i], float(stream.n[i]), "molar flow", float(sign * stream.n[i] * price[i]), id_))


def _product(out: Account, plan: Plan, id_: str, stream: Stream, prices: Prices | None) -> None:
    fate = prices.fates.get(id_, "sold")
    if fate == "sold":
        _material(out, plan, id_, stream, "sold", prices.sold, 1.0)
    elif fate == "waste":
        if np.isnan(prices.waste):
            out.missing.append(f"{id_} is waste, whose price is not typed.")
        rate = None if np.isnan(prices.waste) else float(-stream.mass_flow * prices.waste)
        out.parts.append(Part("waste", id_, float(stream.mass_flow), "mass flow", rate, id_))


def _energy(out: Account, unit_id: str, run: Run, prices: Prices | None) -> None:
    kind, result = run.plan.units[unit_id].kind, run.done[unit_id][1]
    values = {k: plain(result.values.get(k)) for k in ("duty", "work")}
    work = values["work"] or 0.0
    if work:
        if np.isnan(prices.work):
            out.missing.append(f"{unit_id} takes work, whose price is not typed.")
        out.parts.append(Part("work", "work", work, "power", None if np.isnan(prices.work) else -work * prices.work, unit_id))
    if not values["duty"]:
        return
    for heat, T in KINDS[kind].heats(result.values, run.given[unit_id], result.outlets):
        if abs(heat) <= LITTLE_HEAT * abs(values["duty"]):
            continue
        level = level_for(heat, T, prices.levels)
        what = "heating" if heat > 0.0 else "cooling"
        if level is None:
            out.missing.append(
                f"No {what} reaches the {show(T, 'temperature', run.plan.project.display)} of {unit_id}: type one with its price."
            )
        rate = None if level is None else -abs(heat) * level.price
        out.parts.append(Part(what, level.name if level else what, heat, "power", rate, unit_id))


def level_for(heat: float, T: float, levels: tuple) -> HeatLevel | None:
    """The cheapest level that heats (heat > 0) or cools to T [K]; None where none reaches."""
    reaching = [h for h in levels if h.heating == (heat > 0.0) and (h.reaches >= T if heat > 0.0 else h.reaches <= T)]
    return min(reaching, key=lambda h: h.price, default=None)


def plain_account(account: Account) -> dict[str, Any]:
    """An Account as plain data."""
    return {"parts": [dict(vars(p)) for p in account.parts], "missing": list(dict.fromkeys(account.missing))}


def reads_worth(plan: Plan) -> bool:
    """Whether a gauge of a prepared process reads its worth, by itself or in a formula."""
    found = ((g.reads, *plan.known[g.reads].parts) for g in plan.project.gauges if g.reads in plan.known)
    return any("overall.worth" in addresses for addresses in found)
