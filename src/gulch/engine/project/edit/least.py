"""The search for the sizes and inlet temperatures of a converter's stages that need the least catalyst."""

from __future__ import annotations

from typing import Any

from gulch.engine.declared.declarations import PerStage
from gulch.engine.document import GaugeEntry, Project, SearchEntry, Turned
from gulch.engine.project.edit.naming import knob_for
from gulch.engine.project.edit.watching import gauge_on
from gulch.engine.project.edit.whole import EditError, fresh
from gulch.engine.project.inputs import addresses
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, to_unit
from gulch.engine.units import KINDS

WIDE = {"volume": (0.1, 3.0), "mass": (0.1, 3.0)}  # of what stands there
SPAN = 60.0  # K to both sides of an inlet temperature


def has_stages(kind: str) -> bool:
    """Whether a unit kind runs in stages whose sizes can be sought."""
    return bool(KINDS[kind].declared(PerStage))


def least_catalyst(project: Project, unit_id: str, keep: str) -> str:
    """Ask for the least catalyst of a unit in stages that keeps a conversion; returns the search's id.

    Its sizes, typed inlet temperatures and shares of cold gas become knobs over ranges around what stands there. Raises EditError.
    """
    unit = project.unit(unit_id)
    if unit is None or not has_stages(unit.kind):
        raise EditError("This unit has no stages: choose a multibed or a quench converter.")
    known = [a for a in addresses(project).values() if a.address.startswith(f"{unit_id}.") and a.address[-1].isdigit()]
    turned = [a for a in known if a.text and a.address.split(".")[1] in ("volume", "catalyst_mass", "inlet", "cold_share")]
    if len(turned) > 12:
        raise EditError("More than 12 numbers would have to be sought: choose fewer stages.")
    over = [_turned(project, a) for a in turned]
    size = gauge_on(project, f"{unit_id}.volume_result")
    last = max(a.address.rpartition(".")[2] for a in known)
    _kept(project, gauge_on(project, f"{unit_id}.stage_conversion.{last}"), keep)
    id_ = fresh("best", {s.id for s in project.scans} | {s.id for s in project.searches})
    project.searches = [*project.searches, SearchEntry(id=id_, aim=size.id, way="lowest", over=over)]
    return id_


def _kept(project: Project, gauge: GaugeEntry, keep: str) -> None:
    try:
        parse(keep, "fraction")
    except QuantityError as error:
        raise EditError(str(error)) from None
    gauge.at_least = keep


def _turned(project: Project, found: Any) -> Turned:
    knob = knob_for(project, found)
    now = parse(found.text, found.dimension)
    unit = DISPLAY_SETS[project.display].unit(found.dimension)
    if found.dimension == "temperature":
        low, high = now - SPAN, now + SPAN
    elif found.dimension == "fraction":
        low, high = 0.02, 0.98
    else:
        low, high = (factor * now for factor in WIDE[found.dimension])
    texts = [f"{to_unit(v, unit, found.dimension):.5g} {unit}" for v in (low, high)]
    return Turned(knob=knob.id, low=texts[0], high=texts[1])
