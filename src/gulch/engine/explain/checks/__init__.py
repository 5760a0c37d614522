"""Checks before solving: each is a small function that yields to-do lines (Message).

They read the document only; the interface renders what they say, the solver refuses to start while there are errors.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.explain.checks import chemistry, closing, process, whole
from gulch.engine.project.once import standing
from gulch.engine.project.typed import doubts

if TYPE_CHECKING:
    from gulch.engine.document import Project

CHECKS = (
    whole.beginnings,
    whole.unique_ids,
    chemistry.known_species,
    chemistry.ions_have_partners,
    chemistry.salts_that_boil,
    chemistry.particles_are_typed,
    chemistry.pairs_can_be_read,
    chemistry.phase_model_fits,
    chemistry.equations,
    chemistry.formation_data,
    chemistry.equilibrium_constants,
    chemistry.polynomials,
    chemistry.rate_laws,
    process.kinetic_reactors,
    chemistry.measures,
    process.quantities,
    chemistry.conversions,
    chemistry.conversion_sums,
    process.reaction_sets,
    process.feeds,
    process.connections,
    process.unit_rules,
    process.temperature_range,
    closing.knobs_and_gauges,
    closing.closing,
    closing.couplings,
    closing.tears,
    doubts,
    process.assumptions,
)


def check(project: Project) -> list:
    """All to-do lines of a document, errors first."""
    found = []
    with standing(project):
        for one in CHECKS:
            found.extend(one(project))
    order = {"error": 0, "question": 1, "warning": 2, "assumed": 3}
    return sorted(found, key=lambda m: order[m.level])
