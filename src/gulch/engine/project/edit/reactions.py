"""Reactions, their constants and conversions, sets, and what conversion is counted on."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.declarations import ReactionSet
from gulch.engine.document import Conversion, EquilibriumEntry, MeasuresEntry, Project, ReactionEntry, SetEntry
from gulch.engine.project.basis import amounts_of
from gulch.engine.project.edit.whole import EditError, forget, fresh, taken
from gulch.engine.project.measures import OVERALL, counting
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    pass


def set_equilibrium(project: Project, id_: str, field: str, text: str) -> None:
    """Write one part of a reaction's equilibrium constant; the default one is stored as none. Raises EditError."""
    reaction = project.reaction(id_)
    if reaction is None or field not in EquilibriumEntry.model_fields:
        raise EditError("The reaction is gone: reload the page.")
    entry = reaction.equilibrium or EquilibriumEntry()
    optional = field in ("unit", "low", "high")
    setattr(entry, field, (text or None) if optional else text)
    if field == "basis":
        entry.unit = None
    reaction.equilibrium = entry if entry != EquilibriumEntry() else None
    if entry.source != "constant":
        project.knobs = [k for k in project.knobs if k.input != f"{id_}.constant"]
        forget(project)


def set_measures(project: Project, key: str, product: str, ratio: str) -> None:
    """Count conversion, selectivity and yield on a key reactant and a wanted product; empty ones end that."""
    if not key and not product:
        project.measures = None
        measures = {*counting(), *OVERALL}
        project.gauges = [g for g in project.gauges if g.formula or g.reads.split(".")[-1] not in measures or g.reads.count(".") != 1]
        forget(project)
    else:
        project.measures = MeasuresEntry(key=key, product=product, ratio=ratio or None)


def add_reaction(project: Project, equation: str, name: str | None = None) -> str:
    """Add a reaction and put it into the first reaction set as a new last step; returns its id."""
    id_ = name or fresh("r", taken(project))
    project.reactions.append(ReactionEntry(id=id_, equation=equation))
    if not project.reaction_sets:
        project.reaction_sets.append(SetEntry(id="main", steps=[[id_]]))
        for unit in project.units:
            if any(not d.optional and unit.set is None for d in KINDS[unit.kind].declared(ReactionSet)):
                unit.set = "main"
    else:
        first = project.reaction_sets[0]
        first.steps = [*first.steps, [id_]]
    return id_


def remove_reaction(project: Project, id_: str) -> None:
    """Remove a reaction and take it out of every set."""
    project.reactions = [r for r in project.reactions if r.id != id_]
    forget(project)
    for s in project.reaction_sets:
        s.steps = [step for step in s.steps if step]


def limiting_reactant(project: Project, nu: np.ndarray) -> str:
    """Id of the reactant of which the feeds hold least for its coefficient, of those they hold; the first where they hold none.

    nu: signed coefficients, shape (n,).
    """
    reactants = np.flatnonzero(nu < 0.0)
    fed = np.zeros(nu.size)
    for stream in project.streams:
        found = amounts_of(project, stream) if stream.is_feed and stream.given is not None else None
        fed += found[0] if found else 0.0
    held = [i for i in reactants if fed[i] > 0.0]
    return project.species[min(held, key=lambda i: fed[i] / -nu[i]) if held else reactants[0]].id


def set_conversion(project: Project, id_: str, key: str, value: str, polynomial: str | None = None) -> None:
    """Give a reaction a key species and a conversion, by value or polynomial; empty ones leave the key and no conversion.

    Raises EditError.
    """
    reaction = project.reaction(id_)
    if reaction is None:
        raise EditError(f"There is no reaction {id_}.")
    reaction.conversion = Conversion(key=key, value=value, polynomial=polynomial or None) if key or value or polynomial else None
    if not value or polynomial:
        project.knobs = [k for k in project.knobs if k.input != f"{id_}.conversion"]
        forget(project)


def place_in_set(project: Project, set_id: str, reaction_id: str, step: int) -> None:
    """Put a reaction into step 1, 2, ... of a set; 0 takes it out. A step beyond the last is appended. Raises EditError."""
    chosen = project.set(set_id)
    if chosen is None or project.reaction(reaction_id) is None:
        raise EditError("The reaction or the set is gone: reload the page.")
    # out of its step first, keeping the numbering of the others until it is placed
    steps = [[r for r in s if r != reaction_id] for s in chosen.steps]
    if step > 0:
        while len(steps) < step:
            steps.append([])
        steps[step - 1].append(reaction_id)
    chosen.steps = [s for s in steps if s]
