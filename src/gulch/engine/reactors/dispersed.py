"""A tube with axial dispersion: plug flow smeared by a Peclet number.

Composition and enthalpy by the kilogram are carried and dispersed alike, so that without heat exchange the enthalpy stays what it was.

Notation: w: extents by the kilogram [mol/kg], shape (m,); z: place over the length, 0 to 1; Pe: velocity times length over dispersion.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.kernels.pellet import rates_over
from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Choice, Input, Result
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import phase_properties
from gulch.engine.fluids.temperature import in_phase_at
from gulch.engine.handbook import LEVENSPIEL, Relation
from gulch.engine.phases import Stream
from gulch.engine.reactors.counted import counted_on
from gulch.engine.reactors.heat import HEATED
from gulch.engine.reactors.kinetic import KineticReactor
from gulch.engine.reactors.spaces import spaces

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given

NODES = 41  # to begin with
EXACT = 1e-8
MOST_NODES = 4000
ROUGH, FEW_NODES = 1e-3, 400  # first: what ignites is given up soon, where closer nodes would only take longer
FINER = (1e-3, 1e-5, 1e-6)  # after that, one from the other; a front so steep that EXACT takes more than FINEST_NODES is left at the last
FINEST_NODES = 1000
CELLS = 100, 400  # of a tube that is followed in time: two for each unit of the Peclet number, between these
LONG, MOST_STEPS = 50.0, 2000  # times through the tube; steps at most


class DispersedTube(KineticReactor):
    """Tube with axial dispersion, closed at both ends, by rate laws."""

    kind = "dispersed-tube"
    label = "tube with dispersion"
    meaning = "a tube that is not ideal: its contents mix along the axis as a Peclet number says, between a stirred tank and plug flow"
    computed: tuple[Relation, ...] = (
        Relation(
            "dw/dz − (1/Pe) d²w/dz² = (V/m) r,  w − w'/Pe = 0 at the inlet,  w' = 0 at the outlet",
            "w: extents by the kilogram, m: mass flow; closed at both ends",
            f"Danckwerts, Chem. Eng. Sci. 2 (1953) 1; {LEVENSPIEL}, ch. 13",
        ),
    )

    phase = Choice("Phase", {"vapour": "vapour", "liquid": "liquid"}, "what flows", context="as the feed")
    volume = Input("Volume", "volume", "volume of tube or bed", low=1e-9, high=1e6, default="1 m3")
    peclet = Input(
        "Peclet number", "ratio", "velocity times length over the coefficient of dispersion", low=0.01, high=2000.0, default="20"
    )
    mode = Choice(
        "Heat",
        {k: HEATED[k] for k in ("isothermal", "feed-temperature", "adiabatic")},
        "held at a temperature, at the feed's, or adiabatic",
        default="feed-temperature",
        group="heat",
    )
    duty_given = None  # type: ignore[assignment]

    space_velocity = None  # type: ignore[assignment]
    like_tanks = Result("Like tanks in series", "ratio", "number of equal tanks whose tracer is spread as much")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        reactions, laws, per, phase = cls.prepare(feed, given, context)
        P = feed.P - given.pressure_drop
        if not P > 0.0:
            raise UnitTrouble("The pressure drop is more than the pressure.", "Type a smaller one.", "pressure_drop")
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=P)}, {"duty": 0.0})
        T0 = given.temperature if given.mode == "isothermal" else feed.T
        mass, counted, model, m = feed.mass_flow, counted_on(given)[per], context.model, len(per)
        fresh = feed.n / mass
        h0 = phase_properties(T0, feed.P, feed.n / feed.total, phase, *model.mix)[0] * fresh.sum()

        def state(w: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
            """(contents [mol/kg], shape (k, n), their temperatures [K], shape (k,)) at extents, shape (k, m)."""
            n = np.maximum(fresh + w @ laws.nu, 1e-300)
            return n, in_phase_at(h0, feed.P, n, phase, T0, *model.mix) if given.mode == "adiabatic" else np.full(len(n), T0)

        scale = fresh.sum()

        def pace(u: np.ndarray) -> np.ndarray:
            n, T = state(u.T * scale)
            return rates_over(T, feed.P, n, phase, laws, *model.mix)[0].T * counted[:, None] * (given.volume / mass / scale)

        w = settled(pace, given.peclet, m) * scale
        (n,), (T,) = state(w[None])
        product = (
            Stream.at_enthalpy(model, n * mass, feed.enthalpy_flow, P, T)
            if given.mode == "adiabatic"
            else Stream.at_temperature(model, n * mass, T0, P)
        )
        xi = w * mass
        values = cls.account(feed, product, xi, given, reactions, context) | spaces(given, given.volume)
        values |= cls.weakened(laws, reactions, T0, feed.P, feed.n, phase, given, model)
        values["extent"] = dict(zip((r.id for r in reactions), xi.tolist(), strict=True))
        values["residence_time"] = given.volume * given.void / cls.phase_state(model, product.n, T, P, phase)[1]
        values["like_tanks"] = 1.0 / spread(given.peclet)
        key = cls.key(feed, reactions, context)
        rows = [{"reaction": r.id, "extent": float(e), "key": context.species[key]} for r, e in zip(reactions, xi, strict=True)]
        notes = cls.phase_remarks(product, given, context)
        return UnitResult({"product": product}, values, [(r.id, e * r.nu) for r, e in zip(reactions, xi, strict=True)], notes, rows)


def settled(pace: Callable, peclet: float, m: int) -> np.ndarray:
    """Extents u at the outlet, shape (m,), in units of all moles by the kilogram; pace: of u, shape (m, k). Raises UnitTrouble.

    First from contents that have not reacted; where that leads nowhere, as where a tube ignites, from what those come to in time. Both are
    always the same, so that of several states none hangs on what was before.
    """

    def change(z: np.ndarray, y: np.ndarray) -> np.ndarray:
        return np.vstack([y[m:], peclet * (y[m:] - pace(y[:m]))])

    def ends(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        return np.r_[a[:m] - a[m:] / peclet, b[m:]]

    def solved(z: np.ndarray, y: np.ndarray, tolerance: float, most: int) -> Any:
        return scipy.integrate.solve_bvp(change, ends, z, y, tol=tolerance, max_nodes=most)

    found = solved(np.linspace(0.0, 1.0, NODES), np.zeros((2 * m, NODES)), ROUGH, FEW_NODES)
    if found.success:
        found = solved(found.x, found.y, EXACT, MOST_NODES)
    if found.success:
        return found.sol(1.0)[:m]
    z, y = in_time(pace, peclet, m)
    for tolerance in FINER:
        found = solved(z, y, tolerance, MOST_NODES)
        if not found.success:
            raise UnitTrouble("The tube with dispersion could not be solved.", "Use plug flow or tanks in series.", "peclet")
        z, y = found.x, found.y
    finest = solved(z, y, EXACT, FINEST_NODES)
    return (finest if finest.success else found).sol(1.0)[:m]


def in_time(pace: Callable, peclet: float, m: int) -> tuple[np.ndarray, np.ndarray]:
    """(places, u and its slopes there, shape (2 m, k)) to which contents come that have not reacted at first, cut into cells."""
    cells = int(np.clip(2.0 * peclet, *CELLS))
    width, at = 1.0 / cells, (np.arange(cells) + 0.5) / cells
    passing = np.zeros((m, cells + 1))

    def change(t: float, u: np.ndarray) -> np.ndarray:
        u = u.reshape(m, cells)
        carried = 0.5 * (u[:, 1:] + u[:, :-1]) if width * peclet < 2.0 else u[:, :-1]
        passing[:, 1:-1] = carried - np.diff(u) / (width * peclet)
        passing[:, -1] = u[:, -1]
        return (pace(u) - np.diff(passing) / width).ravel()

    near = np.abs(np.subtract.outer(np.arange(cells), np.arange(cells))) <= 1
    way = scipy.integrate.BDF(
        change, 0.0, np.zeros(m * cells), LONG, rtol=1e-4, atol=1e-8, jac_sparsity=scipy.sparse.csr_matrix(np.tile(near, (m, m)))
    )
    for _ in range(MOST_STEPS):
        if way.status != "running":
            break
        way.step()
    u = way.y.reshape(m, cells)
    z, u = np.r_[0.0, at, 1.0], np.hstack([u[:, :1], u, u[:, -1:]])
    return z, np.vstack([u, np.gradient(u, z, axis=1)])


def spread(peclet: float) -> float:
    """Variance of a tracer over the square of its mean time, closed at both ends: 2/Pe − 2 (1 − exp(−Pe))/Pe²."""
    return 2.0 / peclet - 2.0 * -np.expm1(-peclet) / peclet**2
