"""What one press on a doubt does to the document."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import UNIT_MODELS
from gulch.engine.project.edit import EditError, append_unit, forget, outlets_kept
from gulch.engine.project.inputs import address_of
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.declared.told import Cure
    from gulch.engine.document import Project

GONE = "What it was about is gone: reload the page."


def before(project: Project, unit_id: str, cure: Cure) -> str:
    """Put a machine into the stream that enters a unit, with the pressure the unit is given; returns its id. Raises EditError."""
    pressure = _pressure(project, unit_id, cure)
    entering = [s for s in project.streams if s.enters == unit_id]
    if len(entering) != 1:
        raise EditError(GONE)
    id_ = append_unit(project, entering[0].id, cure.kind)
    project.unit(id_).pressure = pressure
    return id_


def instead(project: Project, unit_id: str, cure: Cure) -> str:
    """Let a unit be of another kind, with the outlet pressure it had; its name, and what hangs on it, stays. Raises EditError."""
    pressure = _pressure(project, unit_id, cure)
    at = next(i for i, u in enumerate(project.units) if u.id == unit_id)
    if [p.name for p in KINDS[project.units[at].kind].outlets] != [p.name for p in KINDS[cure.kind].outlets]:
        raise EditError(GONE)
    new = UNIT_MODELS[cure.kind](id=unit_id, pressure=pressure)
    with outlets_kept(project, project.units[at], new):
        project.units[at] = new
    forget(project)  # what was turned or read of the old kind alone
    return unit_id


def _pressure(project: Project, unit_id: str, cure: Cure) -> str:
    """Text of the unit's given pressure."""
    found = address_of(project, f"{unit_id}.{cure.field}") if project.unit(unit_id) is not None else None
    if found is None or not found.text or cure.kind not in PUT_IN:
        raise EditError(GONE)
    return found.text


PUT_IN = ("compressor", "pump", "valve")
WAYS = {"before": before, "instead": instead}
