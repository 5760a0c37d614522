"""Stoichiometric reactor: given conversions of key species, step by step.

Notation: n [mol/s]: shape (n,).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.base import UnitResult, supported
from gulch.engine.declared.declarations import Result
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import Relation
from gulch.engine.reactors.spaces import TOLD_CATALYST, TOLD_VOLUME, Told

if TYPE_CHECKING:
    from gulch.engine.chemistry.reaction import Reaction
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent

STEP = 1e-6  # of what enters, over which amounts that are linear in it are differenced


class StoichiometricReactor(Told):
    """Runs each reaction of its set to the conversion asked for, or until a reactant is used up."""

    kind = "stoichiometric-reactor"
    label = "stoichiometric reactor"
    meaning = "runs the reactions of a set to given conversions, step by step, capped by the limiting species"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_i = n_i(step’s inlet) + sum_r nu_ir xi_r",
            "reactions of one step act together on what enters it",
        ),
        Relation(
            "xi_r = X_r n_key/(−nu_key)",
            "X: the conversion asked for; less where a reactant is used up, and then said",
        ),
    )
    volume = TOLD_VOLUME
    bulk_density = TOLD_CATALYST

    achieved = Result("Achieved conversion", "fraction", "of the key species, on what entered the reaction's step", per="reaction")
    extent = Result("Extent", "molar flow", "change of a species over its stoichiometric coefficient", per="reaction")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        steps = context.sets[given.set]
        if cls.hangs_on_temperature(steps):
            product = cls.settle_heat(feed, given, context, lambda T: cls.run(feed, steps, T, context)[0])
            n, changes, rows, extents, reactions = cls.run(feed, steps, product.T, context)
        else:
            n, changes, rows, extents, reactions = cls.run(feed, steps, None, context)
            product = cls.leave(feed, n, given, context)
        values = cls.account(feed, product, extents, given, reactions, context)
        values["achieved"] = {row["reaction"]: row["achieved"] for row in rows}
        values["extent"] = {row["reaction"]: row["extent"] for row in rows}
        return UnitResult({"product": product}, values, changes, cls.short_of(rows), rows)

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        steps = at.context.sets[at.given.set]
        if cls.hangs_on_temperature(steps):
            return at.differenced(cls)
        feed, moved = at.inlets[0].n, at.only.n
        here, out = cls.amounts(feed, steps), moved.copy()
        for c in np.flatnonzero(moved.any(axis=0)):
            step = STEP * float(feed.sum()) / float(np.abs(moved[:, c]).max())
            if (feed + step * moved[:, c] < 0.0).any():
                step = -step
            # amounts made are linear in what enters until another reactant runs short
            out[:, c] = (cls.amounts(np.maximum(feed + step * moved[:, c], 0.0), steps) - here) / step
        return {"product": cls.left(at, out)}

    @classmethod
    def amounts(cls, entering: np.ndarray, steps: list) -> np.ndarray:
        """Amounts [mol/s] after all steps, shape (n,), of conversions that do not hang on temperature."""
        n = entering.copy()
        for step in steps:
            wanted = np.array([cls.wanted_extent(r, n, None) for r in step])
            nu = np.array([r.nu for r in step]).reshape(len(step), n.size)
            n = n + run_step(nu, wanted, n)[0] @ nu
        return n

    @staticmethod
    def hangs_on_temperature(steps: list) -> bool:
        """Whether a conversion of the set is a polynomial in temperature."""
        return any(r.polynomial is not None for step in steps for r in step)

    @staticmethod
    def short_of(rows: list) -> list:
        """Notes on reactions that fell short of what was asked, from the account's rows."""
        return [
            (
                "warning",
                f"{row['reaction']} reaches {_percent(row['achieved'])} instead of {_percent(row['asked'])}: "
                f"{row['limited_by']} is used up.",
                _remedy(row["limited_by"], row["key"]),
            )
            for row in rows
            if row["limited_by"] and row["achieved"] is not None
        ]

    @classmethod
    def run(cls, feed: Stream, steps: list, T: float | None, context: Context) -> tuple:
        """Amounts, changes, account rows, extents and reactions of the set run on a feed; T [K] where conversions need it."""
        n = feed.n.copy()
        changes, rows, extents, reactions = [], [], [], []
        for number, step in enumerate(steps, 1):
            entering = n.copy()
            wanted = np.array([cls.wanted_extent(r, entering, T) for r in step])
            reached, limits = run_step(np.array([r.nu for r in step]).reshape(len(step), n.size), wanted, entering)
            for r, asked, extent, limit in zip(step, wanted, reached, limits, strict=True):
                change = extent * r.nu
                n = n + change
                changes.append((r.id, change))
                extents.append(extent)
                reactions.append(r)
                on_key = entering[r.key]
                rows.append(
                    {
                        "reaction": r.id,
                        "step": number,
                        "key": context.species[r.key],
                        "asked": r.conversion_at(T),
                        "achieved": float(supported(-extent * r.nu[r.key], on_key) / on_key) if on_key > 0.0 else None,
                        "extent": float(extent),
                        "limited_by": context.species[limit] if limit >= 0 else None,
                        "asked_extent": float(asked),
                    }
                )
        return np.maximum(n, 0.0), changes, rows, extents, reactions  # rounding may leave a used-up species below zero

    @staticmethod
    def wanted_extent(reaction: Reaction, entering: np.ndarray, T: float | None) -> float:
        """Extent [mol/s] that a reaction's conversion asks for of what enters its step at T [K]. Raises UnitTrouble."""
        share = reaction.conversion_at(T)
        if share is None or reaction.key is None:
            raise UnitTrouble(
                f"Reaction {reaction.id} has no conversion, which a stoichiometric reactor needs.",
                f"Give {reaction.id} a key species and a conversion in Chemistry.",
                "set",
            )
        return share * entering[reaction.key] / -reaction.nu[reaction.key]


def _remedy(limiting: str, key: str) -> str:
    """What to do where a species is used up before the key is converted as asked."""
    if limiting == key:
        return f"Feed more {key} or ask for less conversion."
    return f"Count the conversion on {limiting}, which runs out before {key} does, ask for less of it, or feed more {limiting}."


def _percent(share: float) -> str:
    return "–" if share is None else f"{100 * share:.4g} %"


def run_step(nu: np.ndarray, wanted: np.ndarray, entering: np.ndarray) -> tuple:
    """Extents reached by reactions that act together on what enters a step.

    nu: shape (m, n); wanted: extents asked for [mol/s], shape (m,); entering: [mol/s], shape (n,).
    All reactions advance in proportion; when a species that entered is used up, the reactions
    that consume it stop and the others go on. Returns (extents, limiting species or -1), shape (m,).
    """
    m = len(wanted)
    reached, limits = np.zeros(m), np.full(m, -1)
    use = np.maximum(-nu, 0.0)
    left = entering.copy()
    running = wanted > 0.0
    progress = 0.0
    while running.any() and progress < 1.0:
        rate = (wanted * running) @ use
        needed = rate * (1.0 - progress)
        short = needed > left * (1.0 + 1e-12)
        if not short.any():
            reached[running] = wanted[running]
            break
        # rates are above zero wherever species are short
        spans = np.where(short, left / np.where(short, rate, 1.0), np.inf)
        first = int(np.argmin(spans))
        progress += float(spans[first])
        left = np.maximum(left - rate * spans[first], 0.0)
        left[first] = 0.0
        stopping = running & (use[:, first] > 0.0)
        reached[stopping] = wanted[stopping] * progress
        limits[stopping] = first
        running &= ~stopping
    return reached, limits
