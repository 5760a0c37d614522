"""Scans, searches, prices, what is unsure and sizing in the document."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, field_validator

from gulch.engine.document.parts import Id, Part, Quantity, SpeciesId, SpeciesNamed
from gulch.engine.quantities import parse
from gulch.engine.references import Address, OnLoss, Own, Ref, Thing

Doubt = Literal["beyond-data", "beyond-belief", "wrong-phase", "further-phase", "near-critical", "uphill"]


class Sweep(Part):
    """A knob over a range of a scan."""

    knob: Annotated[str, Ref(Thing.KNOB, OnLoss.ENTRY)] = Field(description="the knob that is turned over the range")
    low: Quantity | None = Field(None, description="where the range begins; the knob's own low end when left out")
    high: Quantity | None = Field(None, description="where it ends; the knob's own high end when left out")
    points: int = Field(11, ge=2, le=500, description="how many points, ends included; or, with a unit, the step between them")
    step: Quantity | None = Field(None, description="between points, in place of their number")
    spacing: Literal["linear", "log"] = Field("linear", description="evenly, or by equal factors")


class ScanEntry(Part):
    """Knobs over ranges: the first runs along the plot, the second, if there is one, up it; or at the points of a list."""

    id: Annotated[Id, Own(Thing.SCAN)]
    over: list[Sweep] = Field(min_length=1, max_length=6, description="one knob or two; more where points are listed")
    listed: list[list[Quantity]] = Field([], max_length=2000, description="values of the knobs at each point, in place of their ranges")
    gauges: list[Annotated[str, Ref(Thing.GAUGE)]] = Field([], description="which are recorded and drawn; all of them when none is chosen")
    shows: Annotated[str | None, Ref(Thing.GAUGE)] = Field(None, description="the gauge on the map of two knobs, of whose best is told")
    aim: Literal["highest", "lowest"] = Field("highest", description="which of its values is the best")
    passing: list[Doubt] = Field([], description="doubts about figures that do not keep a point from being the best")
    within: Quantity | None = Field(None, description="of the best, per cent: also the part of the range is told where no more is lost")
    band: bool = Field(False, description="at each point also the band that unsure data leave each gauge")


class Turned(Part):
    """A knob that a search turns."""

    knob: Annotated[str, Ref(Thing.KNOB, OnLoss.ENTRY)] = Field(description="whether the search turns it; it stays where it is otherwise")
    low: Quantity | None = Field(None, description="how low it may be turned; the knob's own low end when left out")
    high: Quantity | None = Field(None, description="how high it may be turned; the knob's own high end when left out")


class SearchEntry(Part):
    """A question for the best: the highest or lowest reading of a gauge inside all limits; with another aim, the trade-off of both."""

    id: Annotated[Id, Own(Thing.SEARCH)]
    aim: Annotated[str | None, Ref(Thing.GAUGE)] = Field(None, description="the gauge sought; the first without limits when left out")
    way: Literal["highest", "lowest"] = Field("highest", description="whether the highest or the lowest reading is sought")
    over: list[Turned] = Field([], max_length=12, description="the knobs that turn; all that can when empty")
    passing: list[Doubt] = Field([], description="doubts about figures that do not keep a point from being the best")
    against: Annotated[str | None, Ref(Thing.GAUGE)] = Field(None, description="a second aim, against which the first is traded")
    against_way: Literal["highest", "lowest"] = Field("highest", description="whether high or low readings of the second aim are wanted")


MONEY = r"^-?(\d{1,12}(\.\d{0,9})?|\.\d{1,9})$"
Money = Annotated[str, Field(pattern=MONEY)]  # a bare number of the project's currency


class PriceEntry(Part):
    """Prices of a species, as what is fed and as what is sold."""

    bought: Money | None = Field(None, description="what it costs in a feed")
    sold: Money | None = Field(None, description="what it brings in a product; nothing counts where it is left out")
    per: Literal["kg", "t", "lb", "kmol", "lbmol"] = Field("kg", description="what the prices are for")


class HeatPriceEntry(Part):
    """A heating or cooling medium with its price."""

    name: str = Field(max_length=40, description="what you call it, as “cooling water”")
    use: Literal["heating", "cooling"] = "heating"
    reaches: Quantity = Field(description="temperature to which it can heat or cool")
    price: Money | None = Field(None, description="negative where it earns")
    per: Literal["GJ", "MWh", "MMBtu"] = Field("GJ", description="what the price of heat is for")

    @property
    def temperature_in_kelvin(self) -> float:
        """To which temperature it reaches [K]. Raises QuantityError."""
        return parse(self.reaches, "temperature")

    @field_validator("reaches")
    @classmethod
    def _temperature(cls, text: str) -> str:
        parse(text, "temperature")
        return text


def _above_zero(text: str) -> str:
    if not float(text) > 0.0:
        raise ValueError("it must be a number above zero")
    return text


Above = Annotated[Money, AfterValidator(_above_zero)]


class BuildingEntry(Part):
    """What it costs to build: how the correlations for equipment are brought to the project's money and year."""

    index: Above = Field("532.9", description="Chemical Engineering Plant Cost Index of the year wanted; it stood at 532.9 in January 2010")
    rate: Above = Field("1", description="money of the project for one US dollar")
    material: Literal["carbon steel", "304 stainless", "316 stainless", "nickel alloy", "Hastelloy C"] = Field(
        "carbon steel", description="of which all is built"
    )
    installed: Above = Field("4.74", description="fixed capital over the purchase cost of the equipment; 4.74 by Lang for fluids")
    payback: Above | None = Field(None, description="years in which fixed capital shall come back; with it the worth pays for it")
    coefficient: Quantity = Field("400 W/(m2 K)", description="heat transfer coefficient of exchangers")
    difference: Quantity = Field("30 K", description="mean temperature difference where a medium heats or cools")
    hold_up: Quantity = Field("5 min", description="for which a drum holds its liquid, half full")
    catalyst: Above | None = Field(None, description="what a kilogram of catalyst costs, in the project's money; it is not installed")
    catalyst_life: Above | None = Field(None, description="years after which catalyst is renewed; without it, paid back like the rest")
    own: dict[Annotated[str, Ref(Thing.UNIT)], Money] = Field({}, description="purchase costs of units that are known better")


class PricesEntry(Part):
    """What the project's flows, heat and work cost and bring, once for all variants."""

    currency: str = Field("money", max_length=12, description="a word of the user's own")
    date: str = Field("", max_length=40, description="of when the prices are")
    remark: str = Field("", max_length=400, description="where the prices come from")
    species: dict[SpeciesId, PriceEntry] = {}
    streams: dict[Annotated[str, Ref(Thing.STREAM)], Literal["waste", "nothing"]] = Field(
        {}, description="product streams that are not sold by their species"
    )
    heat: list[HeatPriceEntry] = Field([], max_length=30)
    work: Money | None = Field(None, description="what electricity or other work costs")
    work_per: Literal["MWh", "kWh", "GJ"] = Field("MWh", description="what the price of work is for")
    waste: Money | None = Field(None, description="what it costs to be rid of a stream that is waste")
    waste_per: Literal["kg", "t", "lb"] = Field("t", description="what the price of waste is for")
    building: BuildingEntry | None = Field(None, description="what it costs to build, where that is asked for")


class SpreadEntry(Part):
    """How unsure a datum is: an input, or a reaction's equilibrium or rate constant, or a price, each within ± of its value."""

    what: Literal["input", "constant", "rate", "bought", "sold"] = Field(description="the kind of datum that is not sure")
    input: Annotated[str | None, Address()] = None
    reaction: Annotated[str | None, Ref(Thing.REACTION, OnLoss.ENTRY)] = None
    species: Annotated[str | None, Ref(Thing.SPECIES, OnLoss.ENTRY)] = None
    by: Quantity = Field("10 %", description="a difference, or per cent of the value; points of per cent for an input that is a share")
    shape: Literal["even", "normal", "log-normal"] = Field(
        "even",
        description="how it is spread: evenly between the ends, or so that 95 in 100 lie between them, around the value or its logarithm",
    )
    cause: str = Field("", max_length=60, description="what it has in common with others that name it too, such as one instrument")
    correlation: float = Field(
        1.0,
        ge=-1.0,
        le=1.0,
        description="with that cause, as normal deviates; those of two data of one cause by the product of theirs",
    )

    @property
    def key(self) -> str:
        """What it is about, unlike that of any other."""
        return f"{self.what}.{self.input or self.reaction or self.species or ''}"


class SizingEntry(Part):
    """A question of size: from which stream, by which reactions, to which conversion."""

    set: Annotated[str, Ref(Thing.SET)] = Field("", description="the reaction set that runs in the vessel")
    stream: Annotated[str, Ref(Thing.STREAM)] = Field("", description="the stream that enters")
    target: Quantity = Field("80 %", description="conversion of the first reaction's key reactant that is asked for")
    phase: Literal["vapour", "liquid"] = Field("liquid", description="the phase in which it reacts")
    heat: Literal["isothermal", "adiabatic"] = Field("isothermal", description="whether it is held at a temperature or heats itself")
    temperature: Quantity | None = Field(None, description="at which it is held; the stream's when left out")
    tanks: int = Field(3, ge=1, le=20, description="how many equal stirred tanks in series are compared")
    void: Quantity = Field("100 %", description="share of the vessel that the fluid fills, as in a bed of catalyst")
    bulk_density: Quantity | None = Field(None, description="mass of catalyst in a volume of bed, where rates count on its mass")
    surface: Quantity | None = Field(None, description="area of surface in a volume of bed, where rates count on it")


class RegionEntry(Part):
    """A question of what can be had at all: from which stream, by which reactions, seen along which two axes."""

    set: Annotated[str, Ref(Thing.SET)] = Field("", description="the reaction set that runs in the vessels")
    stream: Annotated[str, Ref(Thing.STREAM)] = Field("", description="the stream that enters")
    phase: Literal["vapour", "liquid"] = Field("liquid", description="the phase in which it reacts")
    temperature: Quantity | None = Field(None, description="at which the vessels are held; the stream's when left out")
    up_to: Quantity | None = Field(None, description="where given, each vessel may be held at any temperature up to this one")
    x: SpeciesNamed | None = Field(None, description="species whose flow is the first axis; the conversion when left out")
    y: SpeciesNamed | None = Field(None, description="species whose flow is the second axis; the yield when left out")
    aim: Literal["y", "x"] = Field("y", description="the axis along which the most is wanted")
    void: Quantity = Field("100 %", description="share of the vessels that the fluid fills, as in a bed of catalyst")
    bulk_density: Quantity | None = Field(None, description="mass of catalyst in a volume of bed, where rates count on its mass")
    surface: Quantity | None = Field(None, description="area of surface in a volume of bed, where rates count on it")


class MeasuresEntry(Part):
    """What conversion, selectivity and yield are counted on, once for the whole project."""

    key: SpeciesNamed = Field(description="key reactant")
    product: SpeciesNamed = Field(description="wanted product")
    ratio: Quantity | None = Field(None, description="moles of key reactant in one mole of product; from the reactions when left out")
