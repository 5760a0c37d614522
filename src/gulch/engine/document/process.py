"""Streams, knobs, gauges, ties, targets and tears in the document."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from gulch.engine.document.parts import Bare, Id, Part, Quantity, SpeciesId
from gulch.engine.quantities import DIMENSIONS
from gulch.engine.references import Address, FormulaText, OnLoss, Own, Ref, Thing
from gulch.engine.settle import METHODS

FEED_GIVEN_BY = {
    "molar": "molar flows",
    "mass": "mass flows",
    "mole-fractions": "total and mole fractions",
    "mass-fractions": "total and mass fractions",
    "mole-ratios": "one molar flow and mole ratios to it",
}


class FeedEntry(Part):
    """What enters from outside: temperature, pressure, and flows on the basis in which they are known."""

    temperature: Quantity | None = Field(None, description="25 degC is assumed when left out")
    pressure: Quantity | None = Field(None, description="1 bar is assumed when left out")
    basis: Literal["molar", "mass", "mole-fractions", "mass-fractions", "mole-ratios"] = "molar"
    flow: dict[SpeciesId, Quantity] = Field({}, description="molar flow by species (basis molar)")
    mass_flow: dict[SpeciesId, Quantity] = Field({}, description="mass flow by species (basis mass)")
    total: Quantity | None = Field(
        None,
        description="total molar or mass flow (basis mole- or mass-fractions), molar flow of the one species (mole-ratios)",
    )
    fraction: dict[SpeciesId, Quantity] = Field({}, description="mole fractions (basis mole-fractions)")
    mass_fraction: dict[SpeciesId, Quantity] = Field({}, description="mass fractions (basis mass-fractions)")
    to_species: Annotated[str | None, Ref(Thing.SPECIES, OnLoss.KEEP)] = Field(
        None, description="species the ratios are to (basis mole-ratios)"
    )
    ratio: dict[SpeciesId, Quantity] = Field({}, description="moles per mole of that species (basis mole-ratios)")


class StreamEntry(Part):
    """Material moving between units: a feed enters from outside, a product leaves."""

    id: Annotated[Id, Own(Thing.STREAM)]
    source: Annotated[str | None, Ref(Thing.UNIT, OnLoss.KEEP, port=True)] = Field(
        None, alias="from", description="unit or unit.port; left out for a feed"
    )
    to: Annotated[str | None, Ref(Thing.UNIT, OnLoss.KEEP, port=True)] = Field(
        None, description="unit or unit.port it enters; left out for a product"
    )
    given: FeedEntry | None = Field(None, description="the feed's state; only for a feed")

    @property
    def is_feed(self) -> bool:
        return self.source is None

    @property
    def enters(self) -> str | None:
        """Id of the unit it goes to, or None."""
        return self.to.partition(".")[0] if self.to else None

    @property
    def inlet(self) -> str | None:
        """Name of the port it enters by, or None where the unit has only one."""
        return (self.to or "").partition(".")[2] or None


class KnobEntry(Part):
    """An input that is turned, inside a range: by its slider, in scans, by targets and in the search for the best."""

    id: Annotated[Id, Own(Thing.KNOB)]
    input: Annotated[str, Address()] = Field(description="address of the input to turn")
    label: str | None = Field(None, max_length=60, description="what you call it; the input's own name when left out")
    low: Quantity = Field(description="the low end of its range")
    high: Quantity = Field(description="the high end of its range")


class GaugeEntry(Part):
    """A result, or a formula over results, that is watched; limits shade it where it leaves them."""

    id: Annotated[Id, Own(Thing.GAUGE)]
    reads: Annotated[str, Address()] = Field("", description="address of the result to watch")
    formula: Annotated[str | None, FormulaText()] = Field(None, max_length=400, description="over addresses, in place of one result")
    dimension: str | None = Field(None, description="what the formula's value is; the one its units give when left out")
    label: str | None = Field(None, max_length=60, description="what you call it; the result's own name when left out")
    at_least: Quantity | None = Field(None, description="lower limit: below it the gauge is outside its limits")
    at_most: Quantity | None = Field(None, description="upper limit: above it the gauge is outside its limits")


class NumberEntry(Part):
    """A number of the project's own that formulas of ties and gauges use: a ratio of two feeds, an excess, a total."""

    id: Annotated[Id, Own(Thing.NUMBER)]
    label: str | None = Field(None, max_length=60, description="what you call it; its id when left out")
    value: Quantity = Field("1", description="with a unit where it has one")
    dimension: str = Field("ratio", max_length=40, description="what kind of quantity it is")

    @field_validator("dimension")
    @classmethod
    def _there(cls, name: str) -> str:
        if name not in DIMENSIONS:
            raise ValueError(f"no quantity here is a {name}: ratio, molar flow, temperature and their like are")
        return name


class TieEntry(Part):
    """One input set by a formula over other inputs and results."""

    sets: Annotated[str, Address()] = Field(description="address of the input it sets")
    formula: Annotated[str, FormulaText()] = Field(
        max_length=400,
        description='over addresses, numbers with their unit in brackets: "2[kmol/h] + 0.6*feed.flow.water"',
    )


class TargetEntry(Part):
    """A gauge that must read a value, or sit on one of its limits, by turning a knob inside its range."""

    id: Annotated[Id, Own(Thing.TARGET)]
    gauge: Annotated[str, Ref(Thing.GAUGE, OnLoss.ENTRY)] = Field(description="the gauge that must read the value")
    sits: Literal["value", "at_least", "at_most"] = Field("value", description="whether it must read a value, or sit on a limit of its own")
    value: Quantity | None = Field(None, description="what the gauge must read (sits value)")
    knob: Annotated[str, Ref(Thing.KNOB, OnLoss.ENTRY)] = Field(description="the knob that is turned until it does")
    on: bool = Field(True, description="whether it is closed together with the loops; off, the knob stays where it stands")


class TearEntry(Part):
    """What the user decided about a stream at which a loop may be cut."""

    stream: Annotated[str, Ref(Thing.STREAM, OnLoss.ENTRY)]
    chosen: bool = Field(False, description="cut the loop here")
    open: bool = Field(False, description="leave the loop open: the guess enters as if it were a feed")
    temperature: Quantity | None = Field(None, description="of the guess")
    pressure: Quantity | None = None
    flow: dict[SpeciesId, Quantity] = Field({}, description="molar flow by species of the guess; no guess when empty")
    state: Literal["any", "hottest", "coldest", "nearest"] = Field(
        "any", description="which of several steady states of the loop is wanted; any: the one that the search comes to"
    )
    near: Quantity | None = Field(None, description="temperature of this stream to which the wanted state is nearest")


class ClosingEntry(Part):
    """How loops, ties and targets are closed."""

    method: Literal[tuple(METHODS)] = Field(  # type: ignore[valid-type]
        "automatic", description="how the next guess is made of the passes before it"
    )
    tolerance: Bare = Field("1e-9", description="largest estimated distance to the answer, on the flow fed to the loop")
    max_passes: int = Field(150, ge=1, le=5000, description="passes after which it gives up and says why")


FEED_DEFAULTS = {"temperature": "25 degC", "pressure": "1 bar"}


def source_of(stream: StreamEntry) -> tuple:
    """(unit id, port or None) of a stream's `from`."""
    unit, _, port = (stream.source or "").partition(".")
    return unit, port or None
