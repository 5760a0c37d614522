"""What a shortcut column says where it cannot be what was asked for.

Notation: n: amounts [mol/s], shape (n,); temperatures [K].
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.told import UnitTrouble
from gulch.engine.phases.state import TemperatureNotFound
from gulch.engine.quantities import show
from gulch.engine.units.shortcut import k_values

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context
    from gulch.engine.phases import Stream
    from gulch.engine.phases.model import PhaseModel

FAR = 150.0  # K between the feed and an end of the column, beyond which data and not keys are looked at
GAS = 5.0  # y/x from which what stays in the bottoms is a gas there


def instead_of(model: PhaseModel, P: float, n: np.ndarray, fraction: float, guess: float, what: str) -> str:
    """What to do where a product has no bubble point, or no dew point; a partial condenser only where that would do."""
    if what != "distillate":
        return "Lower the pressure."
    if fraction == 0.0:
        try:
            model.saturated(True, P, n, guess)
            return "Choose a partial condenser, or take the light gases off first."
        except TemperatureNotFound:
            pass
    return "Take the light gases off first."


def not_upside_down(distillate: Stream, bottoms: Stream, context: Context) -> None:
    """Raise UnitTrouble where the bottom would be colder than the top. Raises UnitTrouble."""
    if bottoms.T < distillate.T - 1.0:
        at = [show(s.T, "temperature", context.display) for s in (bottoms, distillate)]
        gas = kept_by_gas(distillate, bottoms, context)
        if gas is not None:
            share = show(float(bottoms.n[gas] / bottoms.total), "fraction", context.display, 2)
            raise UnitTrouble(
                f"Its bottom would boil at {at[0]}, colder than its top at {at[1]}, because gas stays in it, {share} "
                f"{context.species[gas]} above all: without that it would be hotter than the top.",
                f"Let less {context.species[gas]} stay in the bottoms, or take it out before the column.",
            )
        raise UnitTrouble(
            f"Its bottom would boil at {at[0]}, colder than its top at {at[1]}: data or the phase model are off for what is in it.",
            "Look at the vapour pressures of what is heavy, and at the phase model in Chemistry.",
        )


def kept_by_gas(distillate: Stream, bottoms: Stream, context: Context) -> int | None:
    """Of the gases in the bottoms, without which they would boil above the top, the one that counts most; None where there are none."""
    volatile = k_values(context.model, bottoms.T, bottoms.P, bottoms.n, bottoms.n)
    rest = np.where(volatile > GAS, 0.0, bottoms.n)
    if rest.sum() <= 0.0 or rest.sum() == bottoms.total:
        return None
    i = int(np.argmax(np.where(volatile > GAS, volatile * bottoms.n, 0.0)))
    try:
        state = context.model.saturated(False, bottoms.P, rest, distillate.T)
    except TemperatureNotFound:
        return None
    return i if state.temperature > distillate.T else None


def far_off(
    feed: Stream, top: np.ndarray, bottom: np.ndarray, light: int, heavy: int, context: Context, at: list[float]
) -> UnitTrouble | None:
    """The sentence where keys that stand in order in the feed do not at an end, because it lies so far from the feed; else None.

    top, bottom: amounts [mol/s], shape (n,); at: temperatures of both [K].
    """
    end, T, n = max((("top", at[0], top), ("bottom", at[1], bottom)), key=lambda e: abs(e[1] - feed.T))
    boiling = k_values(context.model, feed.T, feed.P, feed.n, feed.n)
    if abs(T - feed.T) < FAR or boiling[light] <= boiling[heavy]:
        return None
    held = np.where((n > 1e-6 * n.sum()) & context.model.volatile, boiling, np.nan)
    i = int(np.nanargmax(held) if T < feed.T else np.nanargmin(held))
    most = "most" if T < feed.T else "least"
    shown = [show(t, "temperature", context.display) for t in (T, feed.T)]
    return UnitTrouble(
        f"Its {end} would boil at {shown[0]}, far from the feed at {shown[1]}; {context.species[i]} is the {most} volatile in it.",
        f"Look at the vapour pressure of {context.species[i]} and at the phase model, or take it out before the column.",
    )


def exchanged(alpha: np.ndarray, n: np.ndarray, light: int, heavy: int, context: Context, ends: list[float]) -> UnitTrouble:
    """The sentence for keys that are not in order of volatility, with the order that holds here."""
    names = context.species[light], context.species[heavy]
    top, bottom = (show(T, "temperature", context.display) for T in ends)
    order = [i for i in np.argsort(-alpha) if n[i] > 1e-6 * n.sum()]
    listed = ", ".join(context.species[i] for i in order)
    what = (
        f"{names[0]} is not more volatile than {names[1]} between {top} at the top and {bottom} at the bottom "
        f"(relative volatility {alpha[light]:.4g})."
    )
    return UnitTrouble(
        what,
        f"From light to heavy the feed holds {listed}: choose the keys in that order, or look "
        "whether the feed and the pressures are what you mean.",
        "light_key",
    )
