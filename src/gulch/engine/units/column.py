"""Shortcut column: Fenske, Underwood, Gilliland and Kirkbride at constant relative volatility.

Sources: Fenske, Ind. Eng. Chem. 24 (1932) 482; Underwood, Chem. Eng. Progr. 44 (1948) 603; Gilliland,
Ind. Eng. Chem. 32 (1940) 1220, in the form of Molokanov et al., Int. Chem. Eng. 12 (1972) 209; Kirkbride,
Petrol. Refiner 23 (1944) 321.

Notation: T [K], P [Pa]; n, top, bottom: flows [mol/s], K, alpha, x, y: shape (n,).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import Port, Unit, UnitResult, lowest, plain
from gulch.engine.declared.declarations import Choice, Input, Result, SpeciesChoice
from gulch.engine.declared.equipment import Equipment, tower_of
from gulch.engine.declared.pressures import uphill
from gulch.engine.declared.told import Note, UnitTrouble
from gulch.engine.fluids import LIQUID, VAPOUR
from gulch.engine.handbook import Relation
from gulch.engine.phases import Stream
from gulch.engine.phases.state import TemperatureNotFound
from gulch.engine.phases.tangent import Tangent
from gulch.engine.quantities import Worded, show, told
from gulch.engine.settle import settle
from gulch.engine.units.column_said import exchanged, far_off, instead_of, not_upside_down
from gulch.engine.units.kernels.column import parted
from gulch.engine.units.shortcut import fenske, gilliland, k_values, kirkbride, underwood

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.document import Project
    from gulch.engine.phases.model import PhaseModel

ROUNDS = 60  # of volatilities and split
NOISE = 1e-4  # change of ln d/b in a round that may be no more than what boiling points are off by
LIMIT = 60.0  # of ln d/b
FIRST_STAGES = 4.0  # by which what is lighter or heavier than the keys is parted at first


class Column(Unit):
    """Distillation between two keys, without stage by stage balances."""

    kind = "shortcut-column"
    label = "shortcut column"
    short = "COL"
    family = "separators"
    meaning = "distils between a light and a heavy key; minimum and actual stages and reflux at constant relative volatility"
    computed: tuple[Relation, ...] = (
        Relation(
            "N_min = ln((d/b)_LK (b/d)_HK)/ln alpha_LK",
            "least stages, at total reflux; d/b: flow in the distillate over that in the bottoms",
            "Fenske, Ind. Eng. Chem. 24 (1932) 482",
        ),
        Relation(
            "sum alpha_i z_i/(alpha_i − theta) = 1 − q,  R_min + 1 = sum alpha_i d_i/(alpha_i − theta)/D",
            "least reflux; q: liquid share of the feed, by heat",
            "Underwood, Chem. Eng. Progr. 44 (1948) 603",
        ),
        Relation(
            "Y = 1 − exp((1 + 54.4 X)/(11 + 117.2 X) · (X − 1)/X^0.5)",
            "Y = (N − N_min)/(N + 1), X = (R − R_min)/(R + 1)",
            "Gilliland, Ind. Eng. Chem. 32 (1940) 1220, in the form of Molokanov et al. (1972)",
        ),
        Relation(
            "N_R/N_S = ((z_HK/z_LK) (x_LK,B/x_HK,D)² (B/D))^0.206",
            "place of the feed",
            "Kirkbride, Petrol. Refiner 23 (1944) 321",
        ),
    )
    outlets = (
        Port("distillate", "the top product", draws="top"),
        Port("bottoms", "the bottom product", draws="bottom"),
    )

    light_key = SpeciesChoice("Light key", "the more volatile of the two species between which the column parts")
    heavy_key = SpeciesChoice("Heavy key", "the less volatile of the two")
    keys_by = Choice(
        "Keys given by",
        {"recovery": "recovery", "composition": "composition"},
        "shares recovered in the products, or mole fractions of the keys where they are not wanted",
        default="recovery",
    )
    light_recovery = Input(
        "Light key to distillate",
        "fraction",
        "share of the light key that leaves by the distillate",
        low=0.5,
        high=1.0 - 1e-9,
        default="99 %",
        when=("keys_by", "recovery"),
    )
    heavy_recovery = Input(
        "Heavy key to bottoms",
        "fraction",
        "share of the heavy key that leaves by the bottoms",
        low=0.5,
        high=1.0 - 1e-9,
        default="99 %",
        when=("keys_by", "recovery"),
    )
    light_in_bottoms = Input(
        "Light key in bottoms", "fraction", "mole fraction", low=1e-9, high=0.5, default="1 %", when=("keys_by", "composition")
    )
    heavy_in_distillate = Input(
        "Heavy key in distillate", "fraction", "mole fraction", low=1e-9, high=0.5, default="1 %", when=("keys_by", "composition")
    )
    reflux_by = Choice(
        "Reflux given by",
        {"multiple": "multiple of the minimum", "ratio": "ratio"},
        "reflux over distillate, or that over its minimum",
        default="multiple",
    )
    multiple = Input(
        "Reflux over minimum",
        "ratio",
        "reflux ratio over minimum reflux ratio",
        low=1.0,
        high=100.0,
        default="1.3",
        when=("reflux_by", "multiple"),
    )
    reflux = Input("Reflux ratio", "ratio", "reflux over distillate, in moles", low=0.0, high=1e4, default="2", when=("reflux_by", "ratio"))
    condenser = Choice(
        "Condenser",
        {"total": "total", "partial": "partial"},
        "whether the distillate leaves as liquid at its bubble point or as vapour at its dew point",
        default="total",
    )
    top_pressure = Input("Pressure at the top", "pressure", "empty: the feed's", low=1.0, high=1e8, optional=True)
    bottom_pressure = Input("Pressure at the bottom", "pressure", "empty: the feed's", low=1.0, high=1e8, optional=True)

    minimum_reflux = Result("Minimum reflux ratio", "ratio", "Underwood")
    reflux_used = Result("Reflux ratio", "ratio", "reflux over distillate")
    minimum_stages = Result("Minimum stages", "count", "Fenske, at total reflux, reboiler included")
    stages = Result("Stages", "count", "Gilliland, theoretical, reboiler included", headline=True)
    feed_stage = Result("Feed stage from the top", "count", "Kirkbride")
    volatility = Result("Relative volatility of the keys", "ratio", "geometric mean of top and bottom")
    condenser_duty = Result("Condenser duty", "power", "heat taken out is negative")
    reboiler_duty = Result("Reboiler duty", "power", "heat put in")
    duty = Result("Duty, both", "power", "condenser and reboiler together")
    top_temperature = Result("Distillate leaves at", "temperature", "bubble or dew point of the distillate")
    bottom_temperature = Result("Bottoms leave at", "temperature", "bubble point of the bottoms")

    @classmethod
    def heats(cls, values: dict[str, Any], given: Given, outlets: dict[str, Stream]) -> list[tuple[float, float]]:
        ends = ((plain(values.get("condenser_duty")), outlets["distillate"]), (plain(values.get("reboiler_duty")), outlets["bottoms"]))
        return [(heat, stream.T) for heat, stream in ends if heat and not stream.is_empty]

    @classmethod
    def check(cls, entry: Any, project: Project) -> Iterator:
        if entry.light_key and entry.light_key == entry.heavy_key:
            yield "heavy_key", f"{entry.id}: light and heavy key are the same species.", "Choose another heavy key."

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        P = lowest(entering["feed"])
        top, bottom = (P if own is None else own for own in (given.top_pressure, given.bottom_pressure))
        return {"distillate": top, "bottoms": bottom}

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        duties = [result.number(name) for name in ("condenser_duty", "reboiler_duty")]
        top, bottom = result.outlets["distillate"], result.outlets["bottoms"]
        return tower_of(top, bottom, result.number("stages"), result.number("reflux_used"), duties, context.model.molar_mass)

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        if feed.is_empty:
            return UnitResult({"distillate": feed, "bottoms": feed}, {"duty": 0.0})
        light, heavy = (context.species.index(s) for s in (given.light_key, given.heavy_key))
        for key, name in ((light, given.light_key), (heavy, given.heavy_key)):
            if feed.n[key] <= 1e-9 * feed.total:
                lacking = Note("error", f"The feed holds no {name}, which is a key.", "Choose a key that is in the feed.")
                nothing = Stream.at_temperature(context.model, 0.0 * feed.n, feed.T, feed.P)  # borne while a loop fills
                ends = (nothing, feed) if key == light else (feed, nothing)
                return UnitResult(dict(zip(("distillate", "bottoms"), ends, strict=True)), {"duty": 0.0}, notes=[lacking])
        P_top = feed.P if given.top_pressure is None else given.top_pressure
        P_bottom = feed.P if given.bottom_pressure is None else given.bottom_pressure
        if P_bottom < P_top:
            raise UnitTrouble("The pressure at the bottom lies below that at the top.", "Exchange them.", "bottom_pressure")
        q = quality(feed, context)
        top, bottom, alpha, minimum, least = cls.split(feed, given, context, light, heavy, P_top, P_bottom, q)
        near, exact = context.memory["guesses"], context.memory.pop("exact", False)
        if given.condenser == "total":
            distillate = leaving(context, top, P_top, 0.0, *condensed_at(context, top, P_top, near[0]))
        else:
            distillate = leaving(context, top, P_top, 1.0, near[0], exact)
        bottoms = leaving(context, bottom, P_bottom, 0.0, near[1], exact, "bottoms")
        not_upside_down(distillate, bottoms, context)
        z, d, b = feed.n / feed.total, top / top.sum(), bottom / bottom.sum()
        R = least * given.multiple if given.reflux_by == "multiple" else given.reflux
        stages, place, notes = stages_at(
            R, given, minimum, least, z[heavy] / z[light], b[light] / max(d[heavy], 1e-300), bottom.sum() / top.sum()
        )
        condensed = cache(lambda: condenser_heat(context, distillate, R, given, P_top))
        duty = distillate.enthalpy_flow + bottoms.enthalpy_flow - feed.enthalpy_flow
        return UnitResult(
            {"distillate": distillate, "bottoms": bottoms},
            {
                "minimum_reflux": least,
                "reflux_used": R,
                "minimum_stages": minimum,
                "stages": stages,
                "feed_stage": place,
                "volatility": float(alpha[light]),
                "condenser_duty": context.later(condensed),
                "reboiler_duty": context.later(lambda: duty - condensed()),
                "duty": duty,
                "top_temperature": distillate.T,
                "bottom_temperature": bottoms.T,
            },
            notes=[*notes, *uphill(feed, P_top, context, "top_pressure")],
        )

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        plain = not at.inlets[0].is_empty and at.context.model.all_volatile
        return moved_ends(at) if plain and not any(s.is_empty for s in at.result.outlets.values()) else at.differenced(cls)

    @classmethod
    def split(cls, feed: Stream, given: Given, context: Context, light: int, heavy: int, P_top: float, P_bottom: float, q: float) -> tuple:
        """(distillate, bottoms [mol/s], volatilities on the heavy key, minimum stages and reflux), each found from the other.

        What boils between the keys is distributed as at minimum reflux, by Underwood's equations; the rest by Fenske's.
        Raises UnitTrouble.
        """
        n, model, memory = feed.n, context.model, context.memory
        found = again(n, given, context, light, heavy, P_top, P_bottom, q)
        if found is not None:
            return found
        state = {"guesses": memory.get("guesses", [feed.guess, feed.guess])}
        near = memory.get("ratio")
        near = first_ratio(model, feed, light, heavy) if near is None else near

        def once(ln_ratio: np.ndarray) -> np.ndarray:
            """ln d/b by species, found anew from the volatilities at the ends of products parted so."""
            share = 1.0 / (1.0 + np.exp(-ln_ratio))
            top, bottom = keyed(n, share, given, light, heavy)
            try:
                T_top, x_top, y_top = ends(model, True, P_top, top * model.volatile, state["guesses"][0])
                T_bottom, x_bottom, y_bottom = ends(model, False, P_bottom, bottom, state["guesses"][1])
            except TemperatureNotFound as error:
                raise UnitTrouble(Worded("Top or bottom cannot boil at these pressures: {}.", error), "Change the pressures.") from None
            state["guesses"] = [T_top, T_bottom]
            above = k_values(model, T_top, P_top, x_top, y_top)
            below = k_values(model, T_bottom, P_bottom, x_bottom, y_bottom)
            alpha = np.sqrt((above / above[heavy]) * (below / below[heavy]))
            alpha[~model.volatile] = 0.0
            if alpha[light] <= 1.0 + 1e-6:
                at = state["guesses"]
                raise far_off(feed, top, bottom, light, heavy, context, at) or exchanged(alpha, n, light, heavy, context, at)
            minimum = fenske(top[light] / bottom[light], bottom[heavy] / top[heavy], alpha[light])
            with np.errstate(all="ignore"):
                ln_new = np.log(top[heavy] / bottom[heavy]) + minimum * np.log(alpha)
            try:
                least, distributed = underwood(alpha, n, top, q, light)
            except (ValueError, RuntimeError):
                raise UnitTrouble(
                    "Underwood's equation has no root between the keys for this feed.", "Look at the keys and at the feed's temperature."
                ) from None
            for i, amount in distributed.items():
                ln_new[i] = math.log(max(amount, 1e-300) / max(n[i] - amount, 1e-300))
            state["found"], state["beside"] = (top, bottom, alpha, minimum, least), (x_top, y_bottom)
            return np.clip(np.nan_to_num(ln_new, nan=-LIMIT, neginf=-LIMIT, posinf=LIMIT), -LIMIT, LIMIT)

        with np.errstate(all="ignore"):
            start = np.clip(np.log(near), -LIMIT, LIMIT)
        settled = settle(once, start, scale=np.ones(n.size), tol=1e-10, max_passes=ROUNDS, secants=memory.get("secants"), method="anderson")
        ln_ratio = settled.tear
        if not settled.reason.settled:
            if not settled.history or min(settled.history) > NOISE:
                raise UnitTrouble(f"Volatilities and split did not settle in {settled.passes} rounds.", "Look at the keys and pressures.")
            ln_ratio = settled.iterates[int(np.argmin(settled.history))][0]  # as near as boiling points are known
            once(ln_ratio)
        memory |= {"guesses": state["guesses"], "ratio": np.exp(ln_ratio), "secants": settled.secants, "beside": state["beside"]}
        return state["found"]


def keyed(n: np.ndarray, share: np.ndarray, given: Given, light: int, heavy: int) -> tuple:
    """Distillate and bottoms with the keys as given and the others by their shares. Raises UnitTrouble."""
    top = n * share
    if given.keys_by == "recovery":
        top[light], top[heavy] = n[light] * given.light_recovery, n[heavy] * (1.0 - given.heavy_recovery)
        return top, n - top
    others = np.ones(n.size, bool)
    others[[light, heavy]] = False
    up, down = float(top[others].sum()), float((n - top)[others].sum())
    x, y = given.light_in_bottoms, given.heavy_in_distillate
    # b = x (b + heavy below + down), d = y (d + light above + up), with b light below and d heavy above
    A = np.array([[1.0 - x, x], [y, 1.0 - y]])
    b, d = np.linalg.solve(A, [x * (n[heavy] + down), y * (n[light] + up)]) if x + y < 1.0 else (0.0, 0.0)
    if not (0.0 < b < n[light] and 0.0 < d < n[heavy]):
        raise UnitTrouble(
            "These compositions of the keys cannot be reached from this feed.",
            "Type smaller fractions, or give recoveries.",
            "light_in_bottoms",
        )
    top[light], top[heavy] = n[light] - b, d
    return top, n - top


def again(n: np.ndarray, given: Given, context: Context, light: int, heavy: int, P_top: float, P_bottom: float, q: float) -> tuple | None:
    """What `Column.split` finds, from what it found last; None where it is not near. Temperatures of both ends go to the memory."""
    model, memory = context.model, context.memory
    if "beside" not in memory or not model.all_volatile:
        return None
    at = np.flatnonzero(n > 0.0)
    by_recovery = given.keys_by == "recovery"
    keys = (given.light_recovery, given.heavy_recovery) if by_recovery else (given.light_in_bottoms, given.heavy_in_distillate)
    where = int(np.searchsorted(at, light)), int(np.searchsorted(at, heavy))
    with np.errstate(all="ignore"):
        ln_ratio = np.clip(np.log(memory["ratio"]), -LIMIT, LIMIT)
    near = [np.ascontiguousarray(v[at]) for v in (ln_ratio, *memory["beside"])]
    found, top, alpha, told, ratio, x, y = parted(
        n[at], by_recovery, *keys, *where, P_top, P_bottom, q, near[0], *memory["guesses"], *near[1:], *model.part(at)
    )
    if not found:
        return None
    whole = [np.zeros(n.size) for _ in range(4)]
    for out, part in zip(whole, (top, alpha, x, y), strict=True):
        out[at] = part
    kept = memory["ratio"].copy()
    kept[at] = np.exp(ratio)
    memory |= {"guesses": told[:2].tolist(), "ratio": kept, "beside": (whole[2], whole[3]), "exact": True}
    return whole[0], n - whole[0], whole[1], float(told[2]), float(told[3])


def moved_ends(at: Moved) -> dict[str, Tangent]:
    """Changes of both products: amounts by differences of how the column parts them, temperatures along their boiling points."""
    amounts, given, out = at.differenced(_Parted), at.given, {}
    for name, own, dew in (("distillate", given.top_pressure, given.condenser != "total"), ("bottoms", given.bottom_pressure, False)):
        P = at.only.P if own is None else np.zeros(at.k)
        out[name] = Tangent.saturated(at.result.outlets[name], amounts[name].n, P, dew)
    return out


class _Parted(Column):
    """What a column parts, amounts alone: no product is brought to its boiling point."""

    kind = ""

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        light, heavy = (context.species.index(s) for s in (given.light_key, given.heavy_key))
        P_top, P_bottom = (feed.P if own is None else own for own in (given.top_pressure, given.bottom_pressure))
        top, bottom, *_ = cls.split(feed, given, context, light, heavy, P_top, P_bottom, quality(feed, context))
        ends = (("distillate", top, P_top), ("bottoms", bottom, P_bottom))
        return UnitResult({name: Stream.at_temperature(context.model, n, feed.T, P) for name, n, P in ends})


def condensed_at(context: Context, n: np.ndarray, P: float, guess: float) -> tuple[float, bool]:
    """(temperature [K] at which amounts n [mol/s] are condensed at P [Pa], whether that is their bubble point)."""
    found = context.model.boundary(False, P, n, *context.memory.get("condensed", (guess,)))
    if found is None:
        return guess, False
    context.memory["condensed"] = found[0], found[2]
    return found[0], True


def leaving(
    context: Context, n: np.ndarray, P: float, fraction: float, guess: float, exact: bool = False, what: str = "distillate"
) -> Stream:
    """Stream of amounts n [mol/s] at P [Pa] at the bubble (fraction 0) or dew point (1), which `exact` says is the guess [K].

    Raises UnitTrouble.
    """
    try:
        state = context.model.at_temperature(guess, P, n) if exact else None
        if state is not None and abs(state.vapour_fraction - fraction) < 1e-6 and not state.further_phase:
            return Stream.from_state(context.model, n, state)
        state = context.model.saturated(fraction == 1.0, P, n, guess)
    except TemperatureNotFound as error:
        raise UnitTrouble(
            f"The {what} cannot be brought to its {'bubble' if fraction == 0.0 else 'dew'} point at "
            f"{show(P, 'pressure', context.display)}: {told(error, context.display)}.",
            instead_of(context.model, P, n, fraction, guess, what),
            "condenser",
        ) from None
    return Stream.at_temperature(context.model, n, state.temperature, P) if state is None else Stream.from_state(context.model, n, state)


def stages_at(
    R: float, given: Given, minimum: float, least: float, heavy_over_light: float, keys_slipped: float, bottoms_over_distillate: float
) -> tuple:
    """(stages, feed stage from the top, notes) at a reflux ratio; None where they mean nothing.

    minimum: stages at total reflux; least: minimum reflux ratio. heavy_over_light: in the feed; keys_slipped: light key in the
    bottoms over heavy key in the distillate, mole fractions; bottoms_over_distillate: in moles.
    """
    notes, stages, place = [], None, None
    if least * (1.0 - 1e-9) > R:
        notes.append(
            (
                "error",
                f"The reflux ratio {R:.4g} lies below its minimum of {least:.4g}.",
                "Raise it, or ask for less recovery of the keys.",
            )
        )
    elif minimum >= 1.0 and R <= 0.0:
        notes.append(
            (
                "warning",
                "The keys part without any reflux, so a multiple of the minimum is none either.",
                "Give the reflux ratio itself, or use a flash drum.",
            )
        )
    elif minimum >= 1.0 and given.reflux_by == "multiple" and given.multiple < 1.0 + 1e-6:
        notes.append(("warning", "At minimum reflux the column would need stages without end.", "Use 1.1 to 1.5 times."))
    elif minimum >= 1.0:
        stages = gilliland(minimum, least, R)
        place = kirkbride(stages, heavy_over_light, keys_slipped, bottoms_over_distillate)
    if minimum < 1.0 or (stages is not None and (stages < 2.0 or (place or 0.0) < 1.0)):
        notes.append(
            (
                "warning",
                f"It needs only {minimum:.2f} stages at total reflux, so stages and feed stage mean nothing: "
                "the feed's state parts the keys nearly as asked, or the specification is wrong.",
                "Ask for more recovery of the keys, or part them in a flash drum.",
            )
        )
        stages = place = None
    return stages, place, notes


def quality(feed: Stream, context: Context) -> float:
    """q: heat to turn the feed into saturated vapour over its heat of vaporisation."""
    fraction = feed.vapour_fraction
    if 1e-6 < fraction < 1.0 - 1e-6:
        return 1.0 - fraction
    try:
        liquid, vapour = (saturated_heat(feed, dew, context) for dew in (False, True))
    except TemperatureNotFound:
        return 1.0 - fraction
    return float((vapour - feed.enthalpy_flow / feed.total) / (vapour - liquid))


def saturated_heat(feed: Stream, dew: bool, context: Context) -> float:
    """Molar enthalpy [J/mol] of a feed at its dew or bubble point. Raises TemperatureNotFound."""
    model, near = context.model, context.memory.setdefault("boils", {})
    found = model.boundary(dew, feed.P, feed.n, *near.get(dew, (feed.T,))) if len(feed.state.phases) == 1 else None
    if found is None:
        return model.saturated(dew, feed.P, feed.n, feed.T).enthalpy
    T, x, y = found
    near[dew] = T, x if dew else y
    return model.phase_enthalpy(T, feed.P, feed.n, VAPOUR if dew else LIQUID)


def condenser_heat(context: Context, distillate: Stream, R: float, given: Given, P: float) -> float:
    """Heat into the condenser [W], negative: distillate and reflux less the overhead vapour."""
    model, D = context.model, distillate.total
    if given.condenser == "total":
        overhead = model.saturated(True, P, distillate.n, distillate.T)
        return float((R + 1.0) * D * (distillate.enthalpy_flow / D - overhead.enthalpy))
    # the reflux is the liquid beside the distillate at its dew point; it may hold more gas than boils at any temperature
    T, x, _ = ends(model, True, P, distillate.n, distillate.T)
    reflux = R * D * x
    overhead = model.saturated(True, P, distillate.n + reflux, distillate.T)
    return float(distillate.enthalpy_flow + R * D * model.phase_enthalpy(T, P, x, LIQUID) - overhead.enthalpy * (R + 1.0) * D)


def first_ratio(model: PhaseModel, feed: Stream, light: int, heavy: int) -> np.ndarray:
    """A first guess of d/b by species: what is not less volatile than the light key goes up, light gases all but wholly.

    As Fenske's equation has it for FIRST_STAGES at the volatilities of the feed.
    """
    K = k_values(model, feed.T, feed.P, feed.n, feed.n)
    up = 0.999 * K[light] <= K
    with np.errstate(all="ignore"):
        ln = np.where(up, np.maximum(np.log(K / K[light]), 0.0), np.minimum(np.log(K / K[heavy]), 0.0)) * FIRST_STAGES
    ln = np.where(model.volatile, ln + np.where(up, math.log(99.0), math.log(0.01)), -LIMIT)
    return np.exp(np.clip(ln, -LIMIT, LIMIT))


def ends(model: PhaseModel, dew: bool, P: float, z: np.ndarray, guess: float) -> tuple:
    """(T, x, y) at the dew or bubble point of a product. Raises TemperatureNotFound."""
    found = model.boundary(dew, P, z, guess)
    if found is not None:
        return found
    state = model.at_vapour_fraction(1.0 if dew else 0.0, P, z, guess)
    return state.temperature, state.x, state.y
