"""The whole project."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator

from gulch.engine.document.chemistry import PhaseModelEntry, ReactionEntry, SetEntry, SpeciesEntry
from gulch.engine.document.measured import FitEntry, SheetEntry
from gulch.engine.document.pages import LedgerEntry, NotebookEntry, StripEntry, VariantEntry
from gulch.engine.document.parts import Part, Quantity
from gulch.engine.document.process import ClosingEntry, GaugeEntry, KnobEntry, NumberEntry, StreamEntry, TargetEntry, TearEntry, TieEntry
from gulch.engine.document.studies import MeasuresEntry, PricesEntry, RegionEntry, ScanEntry, SearchEntry, SizingEntry, SpreadEntry
from gulch.engine.document.units import AnyUnit
from gulch.engine.quantities import DIMENSIONS, shown_in
from gulch.engine.references import PlaceText, Ref, Thing


class Project(Part):
    """A whole project. Lists are ordered; ids are unique among streams, units, reactions and numbers."""

    format: Literal["gulch-project"] = "gulch-project"
    version: Literal[1] = 1
    name: str = Field("Untitled project", min_length=1, max_length=120)
    remarks: str = Field("", max_length=20000, description="the question and remarks, in Markdown; the first line says what it is about")
    display_set: Literal["process-metric", "us-customary", "si"] = Field("process-metric", alias="display", description="units shown")
    own_units: dict[str, str] = Field({}, max_length=60, description="units of single kinds of quantities, in place of those of the set")
    bare_shares: Literal["ask", "fraction", "per cent"] = Field("ask", description="what a share typed as a bare number up to 1 means")
    doubtful: list[Annotated[str, PlaceText()]] = Field(
        [], max_length=500, description="places of such numbers that are still to be asked about"
    )
    species: list[SpeciesEntry] = Field([], max_length=80)
    phase_model: PhaseModelEntry = Field(default_factory=PhaseModelEntry)
    reactions: list[ReactionEntry] = Field([], max_length=300)
    reactions_at: Quantity = Field("25 degC", description="temperature at which the reactions' properties are shown")
    measures: MeasuresEntry | None = None
    reaction_sets: list[SetEntry] = Field([], max_length=100)
    measurements: list[SheetEntry] = Field([], max_length=40, description="what was measured, a sheet an experiment")
    fits: list[FitEntry] = Field([], max_length=20)
    streams: list[StreamEntry] = Field([], max_length=600)
    units: list[AnyUnit] = Field([], max_length=300)
    numbers: list[NumberEntry] = Field([], max_length=60, description="numbers of the project's own, for formulas")
    knobs: list[KnobEntry] = Field([], max_length=100)
    gauges: list[GaugeEntry] = Field([], max_length=200)
    ties: list[TieEntry] = Field([], max_length=100)
    targets: list[TargetEntry] = Field([], max_length=30)
    tears: list[TearEntry] = Field([], max_length=100)
    closing: ClosingEntry = Field(default_factory=ClosingEntry)
    scans: list[ScanEntry] = Field([], max_length=60)
    searches: list[SearchEntry] = Field([], max_length=60)
    sizing: SizingEntry | None = None
    region: RegionEntry | None = None
    prices: PricesEntry | None = None
    spreads: list[SpreadEntry] = Field([], max_length=40)
    samples: Literal[64, 256, 1024] = Field(64, description="how many samples of unsure data are drawn, twice")
    operating_hours: str = Field("8000", pattern=r"^\d{1,4}(\.\d{1,3})?$", description="hours in operation per year")
    variants: list[VariantEntry] = Field([], max_length=40)
    working: Annotated[str | None, Ref(Thing.VARIANT)] = Field(None, description="the variant that is worked on; the base when left out")
    ledger: LedgerEntry = Field(default_factory=LedgerEntry)
    strip: StripEntry | None = Field(None, description="order and hiding of knobs and gauges; as they were made when left out")
    notebook: NotebookEntry | None = Field(None, description="the usual pieces when left out")

    @property
    def display(self) -> str:
        """The display set in which the project's figures are shown."""
        return shown_in(self.display_set, self.own_units)

    @field_validator("own_units")
    @classmethod
    def _offered(cls, units: dict[str, str]) -> dict[str, str]:
        for dimension, unit in units.items():
            if dimension not in DIMENSIONS or unit not in DIMENSIONS[dimension].offered:
                raise ValueError(f"{dimension} is not shown in {unit}")
        return units

    def unit(self, id_: str | None) -> Any:
        """The unit of that id, or None."""
        return next((u for u in self.units if u.id == id_), None)

    def stream(self, id_: str) -> StreamEntry | None:
        """The stream of that id, or None."""
        return next((s for s in self.streams if s.id == id_), None)

    def reaction(self, id_: str) -> ReactionEntry | None:
        """The reaction of that id, or None."""
        return next((r for r in self.reactions if r.id == id_), None)

    def set(self, id_: str | None) -> SetEntry | None:
        """The reaction set of that id, or None."""
        return next((s for s in self.reaction_sets if s.id == id_), None)

    def number(self, id_: str) -> NumberEntry | None:
        """The number of that id, or None."""
        return next((n for n in self.numbers if n.id == id_), None)

    def knob(self, id_: str) -> KnobEntry | None:
        """The knob of that id, or None."""
        return next((k for k in self.knobs if k.id == id_), None)

    def gauge(self, id_: str) -> GaugeEntry | None:
        """The gauge of that id, or None."""
        return next((g for g in self.gauges if g.id == id_), None)

    def target(self, id_: str) -> TargetEntry | None:
        """The target of that id, or None."""
        return next((t for t in self.targets if t.id == id_), None)

    def tear(self, stream: str) -> TearEntry | None:
        """What the user decided about a stream's tear, or None."""
        return next((t for t in self.tears if t.stream == stream), None)

    def tie(self, address: str) -> TieEntry | None:
        """The tie that sets an address, or None."""
        return next((t for t in self.ties if t.sets == address), None)

    def variant(self, id_: str) -> VariantEntry | None:
        """The variant of that id, or None."""
        return next((v for v in self.variants if v.id == id_), None)

    def scan(self, id_: str) -> ScanEntry | None:
        """The scan of that id, or None."""
        return next((s for s in self.scans if s.id == id_), None)

    def search(self, id_: str) -> SearchEntry | None:
        """The search of that id, or None."""
        return next((s for s in self.searches if s.id == id_), None)

    def sheet(self, id_: str) -> SheetEntry | None:
        """The measurements of that id, or None."""
        return next((s for s in self.measurements if s.id == id_), None)

    def fit(self, id_: str) -> FitEntry | None:
        """The fit of that id, or None."""
        return next((f for f in self.fits if f.id == id_), None)

    def entries(self) -> list:
        """(id, cas, shown name, user data) of each species, as the equation reader wants them."""
        return [(s.id, s.cas, s.shown, s.key[1]) for s in self.species]

    def dump(self) -> dict[str, Any]:
        """Plain data, as stored and exported: nothing that equals its default and is empty."""
        return self.model_dump(mode="json", by_alias=True, exclude_none=True)

    def to_json(self) -> str:
        """The text of the exported file."""
        return json.dumps(self.dump(), indent=1, ensure_ascii=False)
