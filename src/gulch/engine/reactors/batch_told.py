"""What is told of a batch: its heat over time, its curves, and where its contents are not the phase that they are taken as.

Notation: k: number of moments.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.declared.told import Code, Note
from gulch.engine.phases import Stream
from gulch.engine.quantities import show
from gulch.engine.reactors.batch_run import Safety, other_phase
from gulch.engine.reactors.counted import measured
from gulch.engine.reactors.kinetic import CONVERTED, RATES
from gulch.engine.reactors.spaces import spaces
from gulch.engine.vessels.contents import COOLED, F_HEAT, F_UA, HELD_T, UNDER_VAPOUR

if TYPE_CHECKING:
    from gulch.engine.reactors.batch_run import BatchRun
    from gulch.engine.vessels.following import Along, Followed

NOT_FOLLOWED = "What the contents come to if cooling fails is not known: they could not be followed until nothing happens any more."

# What runs over a batch.
OVER_TIME = Profile(
    "Over a batch of {unit}",
    (Way("time", "time", "time"),),
    (
        Group("contents", "Contents", (Series("amount", "amount", "amount", "species", changing=True),)),
        Group(
            "state",
            "Temperature and pressure",
            (
                Series("T", "temperature", "temperature"),
                Series("failing", "reached if cooling fails then", "temperature", axis="temperature"),
                Series("P", "pressure", "pressure"),
            ),
        ),
        Group("heat", "Heat", (Series("heat", "heat put in", "power"),)),
        RATES,
        Group(
            "conversion",
            "Conversion",
            (
                *CONVERTED,
                Series("dosed", "dosed", "fraction", axis="share"),
            ),
        ),
        Group("filling", "Filling", (Series("filled", "volume that reacts", "volume"),)),
    ),
)


def heat_flow(run: BatchRun, along: Along) -> np.ndarray:
    """Heat put into the contents [W] along a batch, shape (k,)."""
    what, fixed = run.bare, run.bare.fixed
    if what.heat == COOLED:
        return fixed[F_UA] * (along.coolant - along.T)
    if what.heat != HELD_T:
        return np.full(len(along.grid), fixed[F_HEAT])
    found = []
    energy, at = along.energy, 0
    for piece, places, _ in along.parts:
        E = energy[at : at + len(places)]
        at += len(places)
        slope = scipy.interpolate.CubicSpline(places, E).derivative()(places) if len(places) > 3 else np.zeros(len(places))
        found.append(slope - piece.what.put_heat)
    return np.concatenate(found)


def over_time(run: BatchRun, safety: Safety, along: Along, reactions: list) -> dict[str, Any]:
    """Everything over a batch, SI: time, amounts by species, T, P, heat flow, rate by reaction, conversion, volume that reacts."""
    names, n, whole = run.context.species, along.n, run.whole()
    amount = {s: n[:, i].tolist() for i, s in enumerate(names)}
    fed = run.n0 + np.outer(run.dose.share(along.grid), run.dose.n) if run.dose else np.tile(run.n0, (len(along.grid), 1))
    selectivity = None
    if run.context.counted is not None:
        rows = [
            measured(run.context.counted, dict(zip(names, before, strict=True)), dict(zip(names, after, strict=True))).selectivity
            for before, after in zip(fed.tolist(), n.tolist(), strict=True)
        ]
        selectivity = rows
    return {
        "time": along.grid.tolist(),
        "amount": amount,
        "T": along.T.tolist(),
        "failing": safety.reached(along.grid).tolist() if safety.known else None,
        "P": along.P.tolist() if run.closed else None,
        "heat": heat_flow(run, along).tolist(),
        "rate": {r.id: along.rates[:, j].tolist() for j, r in enumerate(reactions)},
        "per": {r.id: r.rate.per for r in reactions},
        "key": names[run.key],
        "conversion": ((fed - n)[:, run.key] / whole[run.key]).tolist() if whole[run.key] > 0.0 else None,
        "selectivity": selectivity,
        "dosed": run.dose.share(along.grid).tolist() if run.dose else None,
        "filled": along.fluid.tolist(),
    }


def remarks(run: BatchRun, safety: Safety, along: Along) -> list:
    """Warn where the contents are not, at their hottest, the phase that they are taken as, and where failing cooling is not known."""
    unknown = [] if safety.known else [Note("warning", NOT_FOLLOWED, "Look at its temperature over time; dilute it, or cool it before.")]
    if run.phase == UNDER_VAPOUR:
        return unknown
    k = int(np.argmax(along.T)) if run.phase_name == "liquid" else int(np.argmin(along.T))
    T, P, display = float(along.T[k]), float(along.P[k]), run.context.display
    other = other_phase(Stream.at_temperature(run.model, along.n[k], T, P), run.phase_name)
    if other < 1e-9:
        return unknown
    name, todo = (
        ("vapour", "Raise the pressure, cool more, or choose liquid under its vapour.")
        if run.phase_name == "liquid"
        else ("liquid", "Lower the pressure, or run it hotter.")
    )
    when, state = show(along.grid[k], "time", display), f"{show(T, 'temperature', display)} and {show(P, 'pressure', display)}"
    what = f"{when} into the batch, at {state}, {100 * other:.3g} % would be {name}, but the contents are taken as {run.phase_name}."
    return [*unknown, Note("warning", what, todo, Code.WRONG_PHASE)]


def leaving(run: BatchRun, way: Followed) -> tuple[Stream, float, float]:
    """(the Stream that leaves on average, heat put in [W], work of filling and emptying [W])."""
    pace, dosed_H = run.vessel.pace, run.dose.H if run.dose else 0.0
    n, (E, P, T, _) = way.leaving() * pace, way.end[-4:].tolist()
    work = run.vessel.volume * (P - run.P0) * pace if run.closed else 0.0
    entering = run.feed.enthalpy_flow + dosed_H * pace
    if run.bare.heat == HELD_T:
        product = Stream.at_temperature(run.model, n, T, P)
        return product, product.enthalpy_flow - entering - work, work
    heat = (E - float(run.start()[-4]) - dosed_H) * pace
    return Stream.at_enthalpy(run.model, n, entering + heat + work, P, T), heat, work


def told(run: BatchRun, way: Followed, safety: Safety, looked: Callable[[], Along]) -> dict[str, Any]:
    """Results of one batch and of the vessels."""
    given, time, later = run.given, way.place, run.context.later
    cycle = time + given.heating_time + given.idle_time + given.cleaning_time
    vessels = run.vessel.pace * cycle
    return {
        **spaces(given, vessels * run.vessel.volume),
        "reaction_time": time,
        "cycle_time": cycle,
        "batches_result": run.vessel.pace,
        "vessels": vessels,
        "vessel_result": run.vessel.volume,
        "fullest": later(lambda: float(looked().fluid.max() / run.vessel.volume)),
        "highest": later(lambda: float(looked().T.max())),
        "highest_pressure": later(lambda: float(looked().P.max())),
        "most_heat": later(lambda: float(max(heat_flow(run, looked()), key=abs))),
        "heat_moved": later(lambda: leaving(run, way)[1] / run.vessel.pace),
        "rise": later(lambda: safety.rise),
        "after_failure": later(lambda: safety.hottest),
        "failure_moment": later(lambda: safety.moment),
        "accumulation": later(lambda: safety.accumulation),
        "time_to_maximum": later(lambda: safety.time_left),
    }
