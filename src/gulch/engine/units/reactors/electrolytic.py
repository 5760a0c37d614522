"""Electrolytic reactor: a stoichiometric one that a cell's current drives.

Notation: n [mol/s]: shape (n,); extents [mol/s]: shape (m,).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.handbook import Relation
from gulch.engine.units.base import Input, PerReaction, Result, UnitResult, UnitTrouble
from gulch.engine.units.reactors.stoichiometric import StoichiometricReactor

if TYPE_CHECKING:
    from gulch.engine.phases.stream import Stream
    from gulch.engine.units.base import Context, Given

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
    energy_spent = Result("Work per product", "molar energy", "electric duty over the sum of extents")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        steps = context.sets[given.set]
        reactions = [r for step in steps for r in step]
        if given.voltage is None:
            raise UnitTrouble("No cell voltage is given.", "Type it: 1.8 to 2.2 V in most electrolysers of water.", "voltage")
        missing = [r.id for r in reactions if given.electrons.get(r.id) is None]
        if missing:
            raise UnitTrouble(
                f"Nobody said how many electrons {missing[0]} takes.",
                "Type them per extent as the equation is written: 2 where a molecule of water parts.",
                "electrons",
            )

        def current(extents):
            passed = sum(x * given.electrons[r.id] for x, r in zip(extents, reactions, strict=True))
            return FARADAY * float(passed) / given.efficiency

        def work_at(T):
            return given.voltage * current(cls.run(feed, steps, T, context)[3])

        product = cls.settle_heat(feed, given, context, lambda T: cls.run(feed, steps, T, context)[0], work_at)
        n, changes, rows, extents, ran = cls.run(feed, steps, product.T if cls.hangs_on_temperature(steps) else None, context)
        amperes = current(extents)
        work = given.voltage * amperes
        values = cls.account(feed, product, extents, ran, context)
        values["duty"] = context.later(lambda: product.enthalpy_flow - feed.enthalpy_flow - work)
        values |= {"work": work, "current": amperes, "energy_spent": work / sum(extents) if sum(extents) > 0.0 else None}
        values["achieved"] = {row["reaction"]: row["achieved"] for row in rows}
        values["extent"] = {row["reaction"]: row["extent"] for row in rows}
        return UnitResult({"product": product}, values, changes, cls.short_of(rows), rows)
