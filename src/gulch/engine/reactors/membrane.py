"""A membrane reactor: plug flow whose wall lets species pass into a sweep gas, both sides at one held temperature.

Notation: along the tube: n, s: flows inside and in the sweep [mol/s], shape (n,); V: volume of the tube [m3].
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.declared.base import Port, UnitResult
from gulch.engine.declared.declarations import Choice, Input, PerSpecies, Result
from gulch.engine.declared.profiles import Group, Profile, Series, Way
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.catalyst import rates_left
from gulch.engine.reactors.counted import counted_on
from gulch.engine.reactors.heat import HEATED
from gulch.engine.reactors.kinetic import KineticReactor
from gulch.engine.reactors.limited import followed
from gulch.engine.reactors.spaces import spaces

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given

POINTS = 121
MOST = 60  # tubes integrated in search of what the sweep leaves with, times the species that pass
EXACT = 1e-8  # of all that is fed, by which the sweep's entrance may be missed


class MembraneReactor(KineticReactor):
    """Plug flow of a gas with a permeable wall, by rate laws."""

    kind = "membrane-reactor"
    label = "membrane reactor"
    meaning = "plug flow whose wall lets species pass into a sweep gas that runs with or against the flow, at one held temperature"
    computed: tuple[Relation, ...] = (
        Relation(
            "d n_i/dV = sum_r nu_ir r_r − (A/V) Q_i (p_i − p_i sweep)",
            "Q_i: permeance of species i, A: area of the wall",
            f"{FOGLER}, ch. 6",
        ),
    )
    inlets = (Port("feed", "what enters the tube"), Port("sweep", "what takes away what passes the wall"))
    outlets = (Port("product", "what leaves the tube"), Port("permeate", "the sweep with what passed the wall"))

    pressure_drop = None  # type: ignore[assignment]
    phase = Choice("Phase", {"vapour": "vapour"}, "what flows: a gas", default="vapour", counted=False)
    volume = Input("Volume", "volume", "inner volume of tube or bed", low=1e-9, high=1e6, default="1 m3")
    area = Input("Area of the wall", "area", "through which species pass", low=1e-9, high=1e7, default="100 m2")
    permeance = PerSpecies(
        "Permeance",
        "permeance",
        "flow through the wall per area and difference of partial pressures",
        low=0.0,
        high=1e3,
        default="0 mol/(m2 s Pa)",
        counted=False,
    )
    direction = Choice(
        "Sweep runs", {"with": "with the flow", "against": "against the flow"}, "from where the sweep enters", default="with"
    )
    mode = Choice(
        "Heat",
        {k: HEATED[k] for k in ("isothermal", "feed-temperature")},
        "both sides held at a temperature, or at the feed's",
        default="feed-temperature",
        group="heat",
    )
    duty_given = None  # type: ignore[assignment]

    space_velocity = None  # type: ignore[assignment]
    passed = Result("Passed the wall", "molar flow", "into the sweep; negative where it comes back", per="species")
    profile = Profile(
        "Along {unit}",
        (Way("volume", "volume", "volume"),),
        (
            Group("composition", "In the tube", (Series("flow", "flow", "molar flow", "species", changing=True),)),
            Group("sweep", "In the sweep", (Series("sweep", "flow", "molar flow", "species", changing=True),)),
            Group("conversion", "Conversion", (Series("conversion", "conversion of {key}", "fraction"),)),
        ),
    )

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        own = {"product": entering["feed"][0], "permeate": entering["sweep"][0]}
        return {port: own[port] for port in ports}

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        inside, sweep = feed["feed"], feed["sweep"]
        given.phase = "vapour"
        reactions, laws, per, phase = cls.prepare(inside, given, context)
        if inside.is_empty:
            return UnitResult({"product": inside.at(T=inside.T, P=inside.P), "permeate": sweep}, {"duty": 0.0})
        if sweep.is_empty and given.permeance.any():
            raise UnitTrouble(
                "The wall lets species pass, but nothing sweeps them away.", "Feed a sweep, or type no permeance.", "permeance"
            )
        T = given.temperature if given.mode == "isothermal" else inside.T
        model, counted, size = context.model, counted_on(given)[per], context.model.n
        a, back = given.area / given.volume, given.direction == "against"

        def change(V: float, y: np.ndarray) -> np.ndarray:
            n, s = np.maximum(y[:size], 0.0), np.maximum(y[size:], 0.0)
            x = n / n.sum()
            made = (rates_left(model, T, inside.P, x, phase, laws)[0] * counted) @ laws.nu
            through = a * given.permeance * (x * inside.P - (s / s.sum() * sweep.P if s.sum() > 0.0 else 0.0))
            return np.r_[made - through, -through if back else through]

        grid = np.linspace(0.0, given.volume, POINTS)

        def along(leaving: np.ndarray) -> np.ndarray:
            tolerance = 1e-11 * (inside.total + sweep.total)
            start = np.r_[inside.n, leaving]
            found = followed(change, grid, start, 1e-9, tolerance)
            if found is None:
                todo = "Check the rate laws and the permeances for a number that is far too large."
                raise UnitTrouble("The tube could not be followed to its end.", todo, "permeance" if given.permeance.any() else "set")
            return found

        y = along(cls.against(along, inside, sweep, given, context) if back else sweep.n)
        n, s = np.maximum(y[:size, -1], 0.0), np.maximum(y[size:, 0 if back else -1], 0.0)
        passed = s - sweep.n
        n = np.maximum(inside.n + cls._made(inside.n, n + passed, laws.nu) - passed, 0.0)
        return cls.told(inside, sweep, n, s, T, y, grid, given, context, reactions, laws, phase)

    @staticmethod
    def _made(before: np.ndarray, after: np.ndarray, nu: np.ndarray) -> np.ndarray:
        """What reactions make of the change, shape (n,): so that elements close to the last digit."""
        return np.linalg.lstsq(nu.T, after - before, rcond=None)[0] @ nu

    @staticmethod
    def against(along: Callable, inside: Stream, sweep: Stream, given: Given, context: Context) -> np.ndarray:
        """What the sweep leaves with [mol/s], shape (n,), where it enters at the tube's far end. Raises UnitTrouble."""
        at = np.flatnonzero(given.permeance > 0.0)
        whole = inside.total + sweep.total

        def of(u: np.ndarray) -> np.ndarray:
            out = sweep.n.copy()
            out[at] = np.maximum(out[at] + u * whole, 0.0)
            return out

        def miss(u: np.ndarray) -> np.ndarray:
            return (along(of(u))[context.model.n :, -1][at] - sweep.n[at]) / whole

        if at.size == 0:
            return sweep.n
        for start in (np.zeros(at.size), np.full(at.size, 0.02)):
            found = scipy.optimize.root(miss, start, method="hybr", options={"xtol": 1e-12, "maxfev": MOST * (at.size + 1)})
            if np.abs(found.fun).max() < EXACT:
                return of(found.x)
        raise UnitTrouble("No sweep was found that fits both ends.", "Let the sweep run with the flow, or feed more of it.", "direction")

    @classmethod
    def told(
        cls, inside: Stream, sweep: Stream, n: np.ndarray, s: np.ndarray, T: float, y: np.ndarray, grid: np.ndarray, given: Given,
        context: Context, reactions: list, laws: Any, phase: int,
    ) -> UnitResult:  # fmt: skip
        """The result of a tube that is solved: n, s: what leaves on either side [mol/s], shape (n,); T [K]."""
        model, size, passed = context.model, context.model.n, s - sweep.n
        product, permeate = Stream.at_temperature(model, n, T, inside.P), Stream.at_temperature(model, s, T, sweep.P)
        xi = np.linalg.lstsq(laws.nu.T, n + passed - inside.n, rcond=None)[0]
        key = cls.key(inside, reactions, context)
        both = Stream.at_temperature(model, n + np.maximum(passed, 0.0), T, inside.P)
        values = cls.account(inside, both, xi, given, reactions, context) | spaces(given, given.volume)
        out = product.enthalpy_flow + permeate.enthalpy_flow
        values |= {"duty": out - inside.enthalpy_flow - sweep.enthalpy_flow, "outlet_temperature": T}
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist(), strict=True))
        values["passed"] = {i: float(v) for i, v in zip(context.species, passed, strict=True) if v}
        flow = cls.phase_state(model, inside.n, T, inside.P, phase)[1]
        values["residence_time"] = given.volume * given.void / flow
        values |= cls.weakened(laws, reactions, T, inside.P, inside.n, phase, given, model)
        fed, names = inside.n[key], context.species
        gone = y[size + key] - (sweep.n[key] if given.direction == "with" else y[size + key, 0])
        share = (fed - y[key] - (gone if given.direction == "with" else -gone)) / fed if fed > 0.0 else None
        values["profile"] = context.later(
            lambda: {
                "volume": grid.tolist(),
                "flow": {i: y[k].tolist() for k, i in enumerate(names)},
                "sweep": {i: y[size + k].tolist() for k, i in enumerate(names)},
                "conversion": share.tolist() if share is not None else None,
                "T": [T] * len(grid),
                "key": names[key],
            },
            explains=True,
        )
        rows = [{"reaction": r.id, "extent": float(e), "key": names[key]} for r, e in zip(reactions, xi, strict=True)]
        notes = cls.phase_remarks(product, given, context)
        changes = [(r.id, e * r.nu) for r, e in zip(reactions, xi, strict=True)]
        return UnitResult({"product": product, "permeate": permeate}, values, changes, notes, rows)
