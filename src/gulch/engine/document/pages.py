"""Variants, and how pages and notebook are arranged, in the document."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field

from gulch.engine.document.parts import Id, Part
from gulch.engine.references import Address, EditOf, OnLoss, Own, Ref, Thing


class VariantEdit(Part):
    """One difference of a variant from the base."""

    references: ClassVar = (EditOf(),)

    at: str = Field(description='where, by ids: "units/R1/heat/temperature"')
    to: Any = Field(None, description="what stands there in the variant")
    gone: bool = Field(False, description="what stands there in the base is left out")
    after: str | None = Field(None, description="of an entry that the base lacks: the entry before it; first when left out")


class VariantEntry(Part):
    """A named alternative of the project: what it changes, compared side by side."""

    id: Annotated[Id, Own(Thing.VARIANT)]
    name: str = Field(min_length=1, max_length=60)
    remark: str = Field("", max_length=400)
    edits: list[VariantEdit] = Field([], max_length=1000)


class LedgerEntry(Part):
    """The table of all streams, in the columns that are picked."""

    columns: list[str] = ["temperature", "pressure", "vapour_fraction", "flow"]
    species: Literal["flow", "mass_flow", "fraction", "mass_fraction"] = "flow"
    also: Literal["flow", "mass_flow", "fraction", "mass_fraction"] | None = Field(None, description="a second figure of each species")
    pinned: list[Annotated[str, Ref(Thing.STREAM)]] = Field([], description="streams that stand first, side by side")
    only_pinned: bool = False
    across: bool = Field(False, description="streams as columns")


class StripEntry(Part):
    """How knobs and gauges stand above every page: those named here first, in this order; hidden ones only where they are asked for."""

    knobs: list[Annotated[str, Ref(Thing.KNOB)]] = []
    gauges: list[Annotated[str, Ref(Thing.GAUGE)]] = []
    hidden_knobs: list[Annotated[str, Ref(Thing.KNOB)]] = []
    hidden_gauges: list[Annotated[str, Ref(Thing.GAUGE)]] = []


class PieceEntry(Part):
    """A piece of the notebook, with what it is of where there are several."""

    what: Literal[
        "gauges",
        "chemistry",
        "map",
        "assumptions",
        "streams",
        "reactors",
        "columns",
        "balances",
        "loops",
        "variants",
        "worth",
        "swings",
        "sure",
        "sizing",
        "measured",
        "warnings",
        "unit",
        "stream",
        "scan",
        "search",
        "result",
    ]
    unit: Annotated[str | None, Ref(Thing.UNIT, OnLoss.ENTRY)] = None
    stream: Annotated[str | None, Ref(Thing.STREAM, OnLoss.ENTRY)] = None
    scan: Annotated[str | None, Ref(Thing.SCAN, OnLoss.ENTRY)] = None
    search: Annotated[str | None, Ref(Thing.SEARCH, OnLoss.ENTRY)] = None
    result: Annotated[str | None, Address()] = Field(None, description="address of the figure that is explained")
    comment: str = Field("", max_length=8000, description="the user's own words before it, in Markdown")

    @property
    def of(self) -> str:
        """What it is of; "" where there is only one of its kind."""
        return self.unit or self.stream or self.scan or self.search or self.result or ""

    @property
    def key(self) -> str:
        """What names it among the others."""
        return f"{self.what}:{self.of}" if self.of else self.what


class NotebookEntry(Part):
    """The printable report: which pieces of the project, in which order."""

    pieces: list[PieceEntry] = Field([], max_length=200)
