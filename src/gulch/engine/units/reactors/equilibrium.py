"""Equilibrium reactor: the reactions of a set come to equilibrium in the gas."""

import math

import numpy as np

from gulch.engine.chemistry.equilibrium import (
    EquilibriumTrouble,
    by_extents,
    dependent_reaction,
    ln_activities,
    ln_equilibrium_constants,
)
from gulch.engine.phases import StreamTrouble
from gulch.engine.quantities import show
from gulch.engine.units.base import Input, ReactionSet, Result, UnitResult, UnitTrouble, outlet_pressure
from gulch.engine.units.reactors.heat import Reactor


class EquilibriumReactor(Reactor):
    """All reactions of the set together, in whatever steps, at equilibrium constants from Gibbs energies."""

    kind = "equilibrium-reactor"
    label = "equilibrium reactor"
    meaning = "brings the reactions of a set to equilibrium in the gas; constants from Gibbs energies, fugacities from the phase model"

    set = ReactionSet("Reaction set", "the reactions that come to equilibrium, all together", steps=False)
    approach = Input("Approach temperature", "temperature difference",
                     "the constants are taken at the outlet temperature plus this", low=-500.0, high=500.0, default="0 K")  # fmt: skip

    extent = Result("Extent", "molar flow", "change of a species over its stoichiometric coefficient", per="reaction")
    constant = Result(
        "Equilibrium constant", "ratio", "K for activities f/(1 bar), at the outlet plus the approach", per="reaction"
    )

    @classmethod
    def solve(cls, feed, given, context):
        reactions = [r for step in context.sets[given.set] for r in step]
        if not reactions:
            raise UnitTrouble(f"Set {given.set} holds no reaction.", "Add a reaction to it in Chemistry.", "set")
        nu = np.array([r.nu for r in reactions])
        cls.check_reactions(nu, reactions, context)
        pressure = outlet_pressure(feed, given.pressure_drop)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=pressure)}, {"duty": 0.0})

        def at(T):
            if T + given.approach < 100.0:
                raise UnitTrouble(
                    f"The approach puts the constants at {T + given.approach:.4g} K, below 100 K.",
                    "Choose an approach nearer to zero.",
                    "approach",
                )
            ln_k = ln_equilibrium_constants(nu, T + given.approach, context.model)
            try:
                return by_extents(feed.n, nu, ln_k, T, pressure, context.model), ln_k
            except EquilibriumTrouble as error:
                raise UnitTrouble(str(error), "Check the feed and the reaction set.", "set") from None

        product = cls.settle_heat(feed, given, context, lambda T: at(T)[0].n)
        found, ln_k = at(product.T)
        values = cls.account(feed, product, found.extents, reactions, context)
        values["extent"] = dict(zip((r.id for r in reactions), found.extents.tolist()))
        values["constant"] = {r.id: math.exp(k) if abs(k) < 690.0 else None for r, k in zip(reactions, ln_k)}
        values["why"] = context.later(lambda: cls.why(feed, product, reactions, nu, found, at, context))
        changes = [(r.id, x * r.nu) for r, x in zip(reactions, found.extents)]
        activities = ln_activities(found.n, product.T, pressure, context.model)
        rows = []
        for r, x, k in zip(reactions, found.extents, ln_k):
            used = r.nu != 0.0
            reached = float(r.nu[used] @ activities[used])
            rows.append({"reaction": r.id, "extent": float(x), "ln_k": float(k),
                         "ln_q": reached if math.isfinite(reached) else None})  # fmt: skip
        return UnitResult({"product": product}, values, changes, cls.remarks(product), rows)

    @classmethod
    def check_reactions(cls, nu, reactions, context):
        extra = dependent_reaction(nu)
        if extra is not None:
            raise UnitTrouble(
                f"Reaction {reactions[extra].id} is a combination of the others of the set, so it says nothing new.",
                f"Take {reactions[extra].id} out of the set.",
                "set",
            )
        for r in reactions:
            for i in np.flatnonzero(r.nu):
                if context.model.species[i].entropy is None:
                    raise UnitTrouble(
                        f"{context.species[i]} has no entropy, so {r.id} has no constant from Gibbs energies.",
                        "Use a stoichiometric reactor, or another species.",
                        "set",
                    )

    @staticmethod
    def remarks(product):
        """Warn where the outlet is not the gas that the constants are for."""
        try:
            vapour = product.vapour_fraction
        except StreamTrouble:
            return []
        if vapour is None or vapour > 1.0 - 1e-9:
            return []
        return [("warning", f"{100 * (1 - vapour):.3g} % of the outlet would be liquid, but the equilibrium is that of a gas.",
                 "Raise the temperature or lower the pressure.")]  # fmt: skip

    @classmethod
    def why(cls, feed, product, reactions, nu, found, at, context):
        """Which way temperature and pressure would move each reaction, from solves beside the outlet."""
        lines = []
        T, P = product.T, product.P
        try:
            colder, hotter = (at(T + d)[0].extents for d in (-10.0, 10.0))
            denser = by_extents(
                feed.n, nu, ln_equilibrium_constants(nu, T, context.model), T, 1.1 * P, context.model
            ).extents
            plain = by_extents(feed.n, nu, ln_equilibrium_constants(nu, T, context.model), T, P, context.model).extents
        except (UnitTrouble, EquilibriumTrouble):
            return lines
        for m, r in enumerate(reactions):
            flow = [show(x[m], "molar flow", context.display) for x in (found.extents, colder, hotter)]
            by_pressure = denser[m] - plain[m]
            size = max(abs(plain[m]), 1e-12)
            pressure = "more pressure helps" if by_pressure > 1e-5 * size else (
                "less pressure helps" if by_pressure < -1e-5 * size else "pressure hardly matters")  # fmt: skip
            lines.append(f"{r.id} stops at an extent of {flow[0]}, its equilibrium at {show(T, 'temperature', context.display)}. "
                         f"10 K colder gives {flow[1]}, 10 K hotter {flow[2]}; {pressure}.")  # fmt: skip
        return lines
