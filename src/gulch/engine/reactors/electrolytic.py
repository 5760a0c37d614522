"""Electrolytic reactor: a stoichiometric one that a cell's current drives.

Notation: n [mol/s]: shape (n,); extents [mol/s]: shape (m,).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Input, PerReaction, Result
from gulch.engine.declared.told import Note, UnitTrouble
from gulch.engine.fluids import LIQUID, P0, VAPOUR, R
from gulch.engine.handbook import Relation
from gulch.engine.quantities import show
from gulch.engine.reactors.stoichiometric import StoichiometricReactor

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.stream import Stream

FARADAY = 96485.33212  # C/mol (CODATA 2018)


class ElectrolyticReactor(StoichiometricReactor):
    """Runs its reactions like a stoichiometric reactor; voltage times current goes in as work, by Faraday's law."""

    kind = "electrolytic-reactor"
    label = "electrolytic reactor"
    meaning = "runs reactions to given conversions by electric work: cell voltage times the current that their electrons make"
    computed: tuple[Relation, ...] = (
        Relation(
            "current = F sum_r z_r xi_r/efficiency,  work = voltage · current",
            "F: Faraday’s constant 96485 C/mol; z: electrons of one extent",
            "CODATA 2018",
        ),
    )

    voltage = Input("Cell voltage", "voltage", "between the electrodes of one cell; to be typed", low=0.0, high=1000.0, optional=True)
    electrons = PerReaction("Electrons", "how many go through the cell for one extent of the reaction", "count", low=0.0, high=1000.0)
    efficiency = Input("Current efficiency", "fraction", "share of the current that reacts", low=0.01, high=1.0, default="100 %")

    work = Result("Electric duty", "power", "cell voltage times current, put in", headline=True)
    current = Result("Current", "current", "Faraday's constant times electrons times extents, over the current efficiency")
    energy_spent = Result(
        "Work per product", "molar energy", "electric duty over the moles of the product that most is made of", words="energy_spent_on"
    )
    reversible = Result(
        "Reversible voltage", "voltage", "Gibbs energy of the reaction at the outlet's state, over its electrons' charge", per="reaction"
    )

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        steps = context.sets[given.set]
        reactions = [r for step in steps for r in step]
        if given.voltage is None:
            raise UnitTrouble("No cell voltage is given.", "Type it: 1.8 to 2.2 V in most electrolysers of water.", "voltage")
        if given.voltage <= 0.0:
            raise UnitTrouble("At a cell voltage of 0 no work is put in.", "Type the voltage between the electrodes.", "voltage")
        missing = [r.id for r in reactions if given.electrons.get(r.id) is None]
        if missing:
            raise UnitTrouble(
                f"Nobody said how many electrons {missing[0]} takes.",
                "Type them per extent as the equation is written: 2 where a molecule of water parts.",
                "electrons",
            )

        if not any(given.electrons[r.id] > 0.0 for r in reactions):
            raise UnitTrouble("None of its reactions takes electrons.", "Type how many go through the cell for one extent.", "electrons")

        def current(extents: list[float]) -> float:
            passed = sum(x * given.electrons[r.id] for x, r in zip(extents, reactions, strict=True))
            return FARADAY * float(passed) / given.efficiency

        def work_at(T: float) -> float:
            return given.voltage * current(cls.run(feed, steps, T, context)[3])

        product = cls.settle_heat(feed, given, context, lambda T: cls.run(feed, steps, T, context)[0], work_at)
        n, changes, rows, extents, ran = cls.run(feed, steps, product.T if cls.hangs_on_temperature(steps) else None, context)
        amperes = current(extents)
        work = given.voltage * amperes
        values = cls.account(feed, product, extents, given, ran, context)
        values["duty"] = context.later(lambda: product.enthalpy_flow - feed.enthalpy_flow - work)
        values |= {"work": work, "current": amperes} | spent_on(work, n - feed.n, context)
        needed = {r.id: reversible_voltage(product, r.nu, given.electrons[r.id], context.model) for r in reactions}
        values["reversible"] = {id_: v for id_, v in needed.items() if v is not None}
        notes = [*cls.short_of(rows), *too_low(needed, extents, reactions, given.voltage, context)]
        values["achieved"] = {row["reaction"]: row["achieved"] for row in rows}
        values["extent"] = {row["reaction"]: row["extent"] for row in rows}
        return UnitResult({"product": product}, values, changes, notes, rows)


def spent_on(work: float, made: np.ndarray, context: Context) -> dict[str, Any]:
    """The work per mole of what most is made of, and its name; made: mol/s by species, shape (n,)."""
    i = int(np.argmax(made))
    if made[i] <= 0.0:
        return {"energy_spent": None}
    return {"energy_spent": work / float(made[i]), "energy_spent_on": f"per mole of {context.names[i]}"}


def reversible_voltage(product: Stream, nu: np.ndarray, electrons: float, model: PhaseModel) -> float | None:
    """ΔG/(z F) [V] of a reaction with coefficients nu, shape (n,), at the state of what leaves; None where data or a species lack.

    Atkins & de Paula, Physical Chemistry, 10th ed., ch. 6: E = −ΔG/(z F), each species at its fugacity where most of it is.
    """
    if electrons <= 0.0 or product.is_empty:
        return None
    state, T, P = product.state, product.T, product.P
    h, s = model.ideal_gas_properties(T)
    gibbs = 0.0
    for i in np.flatnonzero(nu):
        species = model.species[i]
        if species.entropy is None or species.formation_enthalpy is None or product.n[i] <= 0.0:
            return None
        mu = h[i] - T * s[i]
        if not species.non_volatile:
            name, _, z, _ = max(state.phases, key=lambda p: p[1] * p[2][i])
            ln_phi = model.ln_phi(T, P, z, VAPOUR if name == "vapour" else LIQUID)[i]
            mu += R * T * (float(np.log(z[i] * P / P0)) + float(ln_phi))
        gibbs += nu[i] * mu
    return gibbs / (electrons * FARADAY)


def too_low(needed: dict, extents: list, reactions: list, voltage: float, context: Context) -> list[Note]:
    """Notes that doubt a cell voltage below what a reaction that runs needs at least; needed: V by reaction, or None."""
    for r, extent in zip(reactions, extents, strict=True):
        least = needed[r.id]
        if least is not None and extent > 0.0 and voltage < least * (1.0 - 1e-6):
            asked, shown = (show(v, "voltage", context.display) for v in (voltage, least))
            return [
                Note(
                    "warning",
                    f"The cell voltage of {asked} lies below the {shown} that {r.id} needs at least here: no cell does that.",
                    "Raise the voltage; what lies above the least covers the losses of a real cell.",
                )
            ]
    return []
