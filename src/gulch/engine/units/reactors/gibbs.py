"""Gibbs reactor: least Gibbs energy over the project's species, no reactions given."""

import math

import numpy as np

from gulch.engine.chemistry.equilibrium import EquilibriumTrouble, by_elements
from gulch.engine.phases.kernels import R
from gulch.engine.species.heat_capacity import graphite
from gulch.engine.units.base import PerSpecies, Result, UnitResult, UnitTrouble, outlet_pressure
from gulch.engine.units.reactors.equilibrium import EquilibriumReactor
from gulch.engine.units.reactors.heat import Reactor


class GibbsReactor(Reactor):
    """Element potentials in the gas; a share of a species may bypass the reaction as inert."""

    kind = "gibbs-reactor"
    label = "Gibbs reactor"
    meaning = "brings the gas to its least Gibbs energy over all species of the project, element by element"

    set = None  # no reactions are given
    inert = PerSpecies("Inert share", "fraction", "share of the species fed that takes no part; 100 % also forbids making it",
                       low=0.0, high=1.0)  # fmt: skip

    heat_of_reaction = None
    potential = Result("Element potential", "ratio", "chemical potential of an element over RT", per="element")

    @classmethod
    def solve(cls, feed, given, context):
        pressure = outlet_pressure(feed, given.pressure_drop)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=pressure)}, {"duty": 0.0})
        lacking = [s for s, d in zip(context.species, context.model.species) if d.entropy is None]
        if lacking:
            raise UnitTrouble(
                f"{lacking[0]} has no entropy, so its Gibbs energy is unknown.", "Remove it, or use another reactor."
            )
        barred = given.inert >= 1.0 - 1e-12
        bypass = feed.n * given.inert

        def at(T):
            try:
                found = by_elements(feed.n - bypass, barred, T, pressure, context.model, aside=bypass)
            except EquilibriumTrouble as error:
                raise UnitTrouble(str(error), "Check the feed and the inert shares.", "inert") from None
            return found, found.n + bypass

        product = cls.settle_heat(feed, given, context, lambda T: at(T)[1])
        found, n = at(product.T)
        values = cls.account(feed, product, [], [], context)
        values.pop("heat_of_reaction")
        values["potential"] = found.potentials
        notes = EquilibriumReactor.remarks(product)
        activity = carbon_activity(found.potentials, product.T)
        if activity is not None and activity > 1.0:
            notes.append(("warning", f"The carbon activity is {activity:.3g}: above 1 graphite would form, which this reactor leaves out.",
                          "Feed more steam or oxygen, or change the temperature."))  # fmt: skip
        values["carbon_activity"] = activity
        return UnitResult({"product": product}, values, [("net change", n - feed.n)], notes)

    carbon_activity = Result(
        "Carbon activity", "ratio", "fugacity of carbon in the gas over that of graphite; above 1 it would form"
    )


def carbon_activity(potentials, T):
    """Activity of graphite from the potential of carbon, or None without carbon.

    Graphite: enthalpy 0 and entropy 5.74 J/(mol K) at 298.15 K (CODATA), heat capacity of the JANAF (1998) table.
    """
    if potentials is None or "C" not in potentials:
        return None
    return math.exp(min(potentials["C"] - graphite_gibbs(T) / (R * T), 600.0))


def graphite_gibbs(T):
    """Gibbs energy of graphite on the elements basis with absolute entropies [J/mol]."""
    grid, cp = graphite()
    steps = np.linspace(298.15, T, 400)
    values = np.interp(steps, grid, cp)
    return float(np.trapezoid(values, steps) - T * (5.74 + np.trapezoid(values / steps, steps)))
