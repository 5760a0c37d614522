"""What is told of an equilibrium: how far sources of formation data leave it open, and what holds each reaction back.

Notation: T [K], P [Pa].
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.chemistry.constants import gibbs_spread
from gulch.engine.chemistry.equilibrium import EquilibriumTrouble
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import R
from gulch.engine.quantities import show

if TYPE_CHECKING:
    from gulch.engine.chemistry.equilibrium import Equilibrium
    from gulch.engine.declared.base import Context
    from gulch.engine.phases.stream import Stream
    from gulch.engine.reactors.equilibrium import Contents

OPEN = 50.0  # J/mol that sources must leave a Gibbs energy of reaction open for it to be worth saying


def between_sources(contents: Contents, T: float) -> dict[str, Any]:
    """{"conversion": {species: [lowest, highest]}} that the sources of formation data leave open at T [K]; {} where they agree."""
    shifts = np.zeros((2, len(contents.reactions)))
    for m, (r, held) in enumerate(zip(contents.reactions, contents.held, strict=True)):
        spread = gibbs_spread(r.nu, contents.context.model, T) if held is None and r.constant.source == "gibbs" else None
        if spread is not None and spread.high - spread.low > OPEN:
            shifts[:, m] = (spread.used - spread.high) / (R * T), (spread.used - spread.low) / (R * T)
    if not shifts.any():
        return {}
    feed = contents.feed.n
    try:
        ends = [contents.at(T, shift=shift)[0].n for shift in shifts]
    except (UnitTrouble, EquilibriumTrouble):
        return {}
    fed = [(i, s) for i, s in enumerate(contents.context.species) if feed[i] > 0.0]
    found = {s: sorted(float((feed[i] - n[i]) / feed[i]) for n in ends) for i, s in fed}
    return {"conversion": {s: pair for s, pair in found.items() if pair[1] > 1e-9}}


def why(feed: Stream, product: Stream, reactions: list, held: list, found: Equilibrium, at: Callable, context: Context) -> list[str]:
    """What holds each reaction back and which way temperature, pressure and feed would move it.

    Computed from solves beside the outlet: 10 K, 10 % of pressure, 10 % of each species fed.
    """
    T, P = product.T, product.P
    try:
        colder, hotter = (at(T + d)[0].extents for d in (-10.0, 10.0))
        denser = at(T, P=1.1 * P)[0].extents
        plain = at(T)[0].extents
        fed = {}
        for i in np.flatnonzero(feed.n > 1e-6 * feed.total):
            more = feed.n.copy()
            more[i] *= 1.1
            fed[i] = at(T, n0=more)[0].extents
    except (UnitTrouble, EquilibriumTrouble):
        return []
    lines, step = [], show(10.0, "temperature difference", context.display, 2)
    for m, r in enumerate(reactions):
        flow = [show(x[m], "molar flow", context.display) for x in (found.extents, colder, hotter)]
        if held[m] is not None:
            lines.append(f"{r.id} is held at an extent of {flow[0]}.")
            continue
        size = max(abs(plain[m]), 1e-12)
        sign = 1.0 if plain[m] >= 0.0 else -1.0
        by_pressure = sign * (denser[m] - plain[m])
        pressure = (
            "more pressure helps"
            if by_pressure > 1e-5 * size
            else ("less pressure helps" if by_pressure < -1e-5 * size else "pressure hardly matters")
        )
        used = [i for i in np.flatnonzero(sign * r.nu < 0.0)]
        gone = next((context.names[i] for i in used if found.n[i] < 1e-6 * max(feed.n[i], 1e-300)), None)
        stop = f"{gone} is used up" if gone else f"its equilibrium at {show(T, 'temperature', context.display)}"
        gains = {i: sign * (x[m] - plain[m]) for i, x in fed.items()}
        best, worst = (pick(gains, key=gains.__getitem__, default=None) for pick in (max, min))
        text = f"{r.id} stops at an extent of {flow[0]}: {stop}. {step} colder gives {flow[1]}, {step} hotter {flow[2]}; {pressure}"
        if best is not None and gains[best] > 1e-5 * size:
            text += f"; 10 % more {context.names[best]} fed adds {show(gains[best], 'molar flow', context.display)}"
        if worst is not None and gains[worst] < -1e-5 * size:
            text += f", 10 % more {context.names[worst]} takes {show(-gains[worst], 'molar flow', context.display)}"
        lines.append(text + ".")
    return lines
