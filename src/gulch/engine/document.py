"""The saved project as typed data, built from the unit kinds' declarations.

Nothing is computed here. Quantities stay the text the user typed; what they mean is read by
`gulch.engine.project.inputs`, what is wrong with them is said by `gulch.engine.explain.checks`.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from functools import lru_cache
from types import SimpleNamespace
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Union

from pydantic import BaseModel, ConfigDict, Field, ValidationError, create_model, field_validator

from gulch.engine.phases import PHASE_MODELS
from gulch.engine.quantities import DISPLAY_SETS, parse, to_unit
from gulch.engine.references import Address, EditOf, FormulaText, OnLoss, Own, PlaceText, Ref, Thing
from gulch.engine.settle import METHODS
from gulch.engine.species.own import data_key
from gulch.engine.units import KINDS
from gulch.engine.units.base import Choice

if TYPE_CHECKING:
    from gulch.engine.units.base import Declared

FORMAT, VERSION = "gulch-project", 1
MAX_BYTES = 2_000_000
MOST_NESTED = 40
_ID = r"^[A-Za-z][A-Za-z0-9_\-]{0,39}$"

Id = Annotated[str, Field(pattern=_ID, description="letters, digits, _ and -, beginning with a letter")]
Points = Annotated[str, Field(max_length=2000)]
SpeciesId = Annotated[str, Ref(Thing.SPECIES)]
SpeciesNamed = Annotated[str, Ref(Thing.SPECIES, OnLoss.KEEP)]  # where a species that is gone has to be named
ReactionId = Annotated[str, Ref(Thing.REACTION)]
Quantity = Annotated[str, Field(max_length=80, description='a number with its unit as typed, for example "2.4 bar"')]


class DocumentError(ValueError):
    """A file or text that is no project; the message is a sentence for the user."""


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid", validate_assignment=True, populate_by_name=True, defer_build=True)


class SpeciesData(Part):
    """The user's own data of a species; whatever is left out comes from the databank, or is unknown."""

    formula: str | None = Field(None, max_length=60, description="for a species that the databank lacks")
    non_volatile: bool = Field(False, description="stays in the liquid (salts, hydroxides, solids)")
    solvent: Literal["water", "none"] | None = Field(None, description="what it dissolves in, where it stays in the liquid")
    particles: Quantity | None = Field(None, description="van 't Hoff's factor in solution: 2 for a salt of two ions; 1 where left out")
    groups: str | None = Field(
        None, max_length=200, description='structural groups, "2 CH3, CH2, OH"; those of its CAS number where left out'
    )
    formation_enthalpy: Quantity | None = None
    formation_gibbs: Quantity | None = None
    entropy: Quantity | None = None
    critical_temperature: Quantity | None = None
    critical_pressure: Quantity | None = None
    acentric_factor: Quantity | None = None
    boiling_point: Quantity | None = None
    liquid_density: Quantity | None = None
    heat_capacity: Points | None = Field(None, description='one value, or points "25 degC 135 J/(mol K); …"')
    polynomial: str | None = Field(
        None, max_length=4000, description="of 7 or 9 coefficients, as published, for heat capacity, enthalpy and entropy of the ideal gas"
    )
    vapour_pressure: Points | None = Field(None, description='points "25 degC 0.032 bar; 100 degC 1.013 bar"')
    sources: dict[str, Annotated[str, Field(max_length=80)]] = Field({}, description="source to use, by datum")
    remark: str | None = Field(None, max_length=400, description="where the typed data come from")


class SpeciesEntry(Part):
    """A chemical of the project, from the databank by its CAS number or of the user’s own."""

    id: Annotated[Id, Own(Thing.SPECIES)]
    cas: str | None = Field(None, pattern=r"^\d{2,7}-\d{2}-\d$", description="CAS number; left out for a user species")
    name: str | None = Field(None, max_length=80, description="name shown; the id when left out")
    boils: bool = Field(False, description="of a salt or hydroxide with a boiling point: that it boils away was confirmed")
    data: SpeciesData | None = None

    @property
    def shown(self) -> str:
        return self.name or self.id

    @property
    def key(self) -> tuple:
        """What `species.lookup` takes: the CAS number and the user's data, hashable."""
        if self.data is None:
            return self.cas, ()
        typed = self.data.model_dump(exclude={"sources", "remark", "non_volatile"}, exclude_none=True)
        typed |= {f"source.{field}": source for field, source in self.data.sources.items()}
        if self.data.non_volatile:
            typed["non_volatile"] = "yes"
        if self.data.formula:
            typed["name"] = self.shown
        return self.cas, data_key(typed)


Bare = Annotated[str, Field(max_length=40)]


class Interaction(Part):
    pair: tuple[Annotated[Id, Ref(Thing.SPECIES)], Annotated[Id, Ref(Thing.SPECIES)]]
    value: float = Field(ge=-1.0, le=1.0)


class MeasuredPair(Part):
    """Measured points of two species boiling together, at one pressure or one temperature."""

    pair: tuple[Annotated[Id, Ref(Thing.SPECIES)], Annotated[Id, Ref(Thing.SPECIES)]]
    at: Quantity = Field("1 atm", description="the pressure, or the temperature, of the diagram")
    points: list[tuple[float, float | None, Quantity]] = Field(
        [], max_length=500, description="mole fraction of the first in the liquid, in the vapour (or null), temperature or pressure"
    )
    remark: str | None = Field(None, max_length=400, description="where they come from")


class PairEntry(Part):
    """Parameters of a pair in an activity model: tau = a + b/T (NRTL), or minus the logarithm of the energy factor (Wilson)."""

    pair: tuple[Annotated[Id, Ref(Thing.SPECIES)], Annotated[Id, Ref(Thing.SPECIES)]]
    model: Literal["nrtl", "wilson"]
    a: tuple[float, float] = Field((0.0, 0.0), description="of the first in the second, and the other way round")
    b: tuple[Bare, Bare] = Field(("0 K", "0 K"), description="likewise, in K, or as an energy over R")
    alpha: float | None = Field(None, gt=0.0, le=1.0, description="non-randomness of NRTL")
    remark: str | None = Field(None, max_length=400, description="where they come from")


class PhaseModelEntry(Part):
    """How phases, volumes and enthalpies are computed."""

    kind: Literal[tuple(PHASE_MODELS)] = "peng-robinson"  # type: ignore[valid-type]
    interaction: list[Interaction] = Field([], description="k_ij that replace the shipped ones")
    vapour: Literal["ideal", "soave-redlich-kwong"] = Field("ideal", description="of an activity model")
    pairs: list[PairEntry] = Field([], max_length=400, description="typed parameters; the others are filled from UNIFAC")
    measured: list[MeasuredPair] = Field([], max_length=100, description="what pairs are compared with and fitted to")


class Conversion(Part):
    """Share of the key reactant that a reaction turns over, of what enters its step."""

    key: SpeciesNamed = Field(description="key species: the reactant the conversion is counted on")
    value: Quantity
    meant: bool = Field(False, description="the user confirmed a value below 1 %")
    polynomial: str | None = Field(
        None,
        max_length=200,
        description="c0, c1, c2 …: X = c0 + c1 T + c2 T² …, T in K at the outlet; replaces the value",
    )


class EquilibriumEntry(Part):
    """Where a reaction’s equilibrium constant comes from, what it counts, and where it is believed."""

    source: Literal["gibbs", "formula", "table", "constant"] = "gibbs"
    a: str = Field("0", max_length=40, description="ln K = A + B/T + C ln T + D T, T in K (source formula)")
    b: str = Field("0", max_length=40, description="[K]")
    c: str = Field("0", max_length=40)
    d: str = Field("0", max_length=40, description="[1/K]")
    table: Points = Field("", description='points "300 degC 0.0051; 350 degC 0.0022" (source table)')
    value: str = Field("", max_length=40, description="K (source constant)")
    phase: Literal["vapour", "liquid"] = "vapour"
    basis: Literal["activity", "partial-pressure", "mole-fraction", "concentration"] = Field(
        "activity", description="activity: f/(1 bar) in the vapour, relative to the pure liquid in the liquid"
    )
    unit: str | None = Field(None, max_length=20, description="unit of the partial pressures or concentrations in K")
    low: Quantity | None = Field(None, description="lowest temperature at which it is believed")
    high: Quantity | None = None


class RateConstantEntry(Part):
    """A constant of a rate law over temperature: k = k0 T^n exp(−E/RT), or k at a reference temperature."""

    k: Annotated[str, Field(max_length=80)] = Field(description="k0, or k at the reference temperature, with its unit")
    power: Bare = Field("0", description="n of k = k0 T^n exp(-E/RT), T in K")
    energy: Quantity | None = Field(
        None,
        description="activation energy, of an adsorption constant the heat of adsorption; zero is assumed when left out",
    )
    at: Quantity | None = Field(None, description="reference temperature; k is k0 when left out")
    meant: bool = Field(False, description="the user confirmed a very steep k")


class AdsorptionEntry(Part):
    species: SpeciesNamed
    constant: RateConstantEntry
    power: Bare = "1"


class RateEntry(Part):
    """A rate law: powers of concentrations or pressures, with adsorption below the bar, or a formula."""

    law: Literal["power", "formula"] = "power"
    basis: Literal["concentration", "partial-pressure", "fugacity", "mole-fraction"] = "concentration"
    per: Literal["fluid", "bed", "catalyst"] = "fluid"
    forward: RateConstantEntry = Field(default_factory=lambda: RateConstantEntry(k=""))
    orders: dict[SpeciesNamed, Bare] = Field({}, description="orders by species; the stoichiometric ones when left out")
    reverse: Literal["none", "own", "equilibrium"] = "none"
    backward: RateConstantEntry | None = None
    reverse_orders: dict[SpeciesNamed, Bare] = {}
    adsorption: list[AdsorptionEntry] = Field([], max_length=12)
    exponent: Bare = Field("1", description="m of (1 + sum K q^a)^m")
    formula: str = Field("", max_length=600, description="rate over T, P, c.X, p.X, x.X (law formula)")


class ReactionEntry(Part):
    """One balanced equation; it may carry a conversion, an equilibrium constant and a rate law, for all reactor kinds."""

    id: Annotated[Id, Own(Thing.REACTION)]
    equation: str = Field(max_length=400)
    conversion: Conversion | None = None
    equilibrium: EquilibriumEntry | None = Field(None, description="from Gibbs energies when left out")
    rate: RateEntry | None = None


class SetEntry(Part):
    """Which reactions a reactor uses, in steps: together inside a step, steps one after another."""

    id: Annotated[Id, Own(Thing.SET)]
    steps: list[list[ReactionId]] = Field([], description="reactions by step: together inside a step, steps one after another")
    preview: Annotated[str | None, Ref(Thing.STREAM)] = Field(None, description="stream whose limiting species are shown beside the set")


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


class ClosingEntry(Part):
    """How loops, ties and targets are closed."""

    method: Literal[tuple(METHODS)] = Field(  # type: ignore[valid-type]
        "automatic", description="how the next guess is made of the passes before it"
    )
    tolerance: Bare = Field("1e-9", description="largest estimated distance to the answer, on the flow fed to the loop")
    max_passes: int = Field(150, ge=1, le=5000, description="passes after which it gives up and says why")


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
    def _temperature(cls, text):
        parse(text, "temperature")
        return text


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


class SpreadEntry(Part):
    """How unsure a datum is: an input, or a reaction's equilibrium or rate constant, or a price, each within ± of its value."""

    what: Literal["input", "constant", "rate", "bought", "sold"] = Field(description="the kind of datum that is not sure")
    input: Annotated[str | None, Address()] = None
    reaction: Annotated[str | None, Ref(Thing.REACTION, OnLoss.ENTRY)] = None
    species: Annotated[str | None, Ref(Thing.SPECIES, OnLoss.ENTRY)] = None
    by: Quantity = Field("10 %", description="a difference, or per cent of the value; points of per cent for an input that is a share")

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


class MeasuresEntry(Part):
    """What conversion, selectivity and yield are counted on, once for the whole project."""

    key: SpeciesNamed = Field(description="key reactant")
    product: SpeciesNamed = Field(description="wanted product")
    ratio: Quantity | None = Field(None, description="moles of key reactant in one mole of product; from the reactions when left out")


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


TYPES = SimpleNamespace(
    quantity=Quantity, species_id=SpeciesId, reaction_id=ReactionId, set_id=Annotated[str, Ref(Thing.SET)]
)  # of the entries that declarations make


def _unit_model(kind):
    """The document part of one unit kind."""
    fields: dict[str, Any] = {"id": (Annotated[Id, Own(Thing.UNIT)], ...), "kind": (Literal[kind.kind], kind.kind)}
    groups: dict[str, dict[str, Any]] = {}
    for d in kind.inputs():
        annotation, default, description = d.schema(TYPES)
        entry = (annotation, Field(default, description=description))
        if d.group:
            groups.setdefault(d.group, {})[d.key] = entry
        else:
            fields[d.key] = entry
    for group, entries in groups.items():
        model = create_model(f"{kind.__name__}{group.title()}", __base__=Part, **entries)
        fields[group] = (model, Field(default_factory=model))
    return create_model(f"{kind.__name__}Entry", __base__=Part, **fields)


UNIT_MODELS = {kind.kind: _unit_model(kind) for kind in KINDS.values()}
if TYPE_CHECKING:
    AnyUnit = Any  # one of models made from the declarations, which no checker can know
else:
    AnyUnit = Annotated[Union[tuple(UNIT_MODELS.values())], Field(discriminator="kind")]  # noqa: UP007


class Project(Part):
    """A whole project. Lists are ordered; ids are unique among streams, units and reactions."""

    format: Literal["gulch-project"] = "gulch-project"
    version: Literal[1] = 1
    name: str = Field("Untitled project", min_length=1, max_length=120)
    remarks: str = Field("", max_length=20000, description="the question and remarks, in Markdown; the first line says what it is about")
    display: Literal["process-metric", "us-customary", "si"] = "process-metric"
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
    streams: list[StreamEntry] = Field([], max_length=600)
    units: list[AnyUnit] = Field([], max_length=300)
    knobs: list[KnobEntry] = Field([], max_length=100)
    gauges: list[GaugeEntry] = Field([], max_length=200)
    ties: list[TieEntry] = Field([], max_length=100)
    targets: list[TargetEntry] = Field([], max_length=30)
    tears: list[TearEntry] = Field([], max_length=100)
    closing: ClosingEntry = Field(default_factory=ClosingEntry)
    scans: list[ScanEntry] = Field([], max_length=60)
    searches: list[SearchEntry] = Field([], max_length=60)
    sizing: SizingEntry | None = None
    prices: PricesEntry | None = None
    spreads: list[SpreadEntry] = Field([], max_length=40)
    operating_hours: str = Field("8000", pattern=r"^\d{1,4}(\.\d{1,3})?$", description="hours in operation per year")
    variants: list[VariantEntry] = Field([], max_length=40)
    working: Annotated[str | None, Ref(Thing.VARIANT)] = Field(None, description="the variant that is worked on; the base when left out")
    ledger: LedgerEntry = Field(default_factory=LedgerEntry)
    strip: StripEntry | None = Field(None, description="order and hiding of knobs and gauges; as they were made when left out")
    notebook: NotebookEntry | None = Field(None, description="the usual pieces when left out")

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

    def entries(self) -> list:
        """(id, cas, shown name, user data) of each species, as the equation reader wants them."""
        return [(s.id, s.cas, s.shown, s.key[1]) for s in self.species]

    def dump(self) -> dict[str, Any]:
        """Plain data, as stored and exported: nothing that equals its default and is empty."""
        return self.model_dump(mode="json", by_alias=True, exclude_none=True)

    def to_json(self) -> str:
        """The text of the exported file."""
        return json.dumps(self.dump(), indent=1, ensure_ascii=False)


def value_of(unit: Any, declared: Declared) -> Any:
    """The document text of a declared input of a unit entry."""
    holder = getattr(unit, declared.group) if declared.group else unit
    return getattr(holder, declared.key)


def set_value(unit: Any, declared: Declared, text: str | None) -> None:
    """Write a declared input of a unit entry; pydantic validates."""
    holder = getattr(unit, declared.group) if declared.group else unit
    setattr(holder, declared.key, text)


def choices_of(unit: Any) -> dict[str, Any]:
    """{choice name: value} of a unit entry.

    One left out takes the way to which a typed value belongs, else its default; None is left to the context.
    """
    declared = KINDS[unit.kind].inputs()
    return {d.name: value_of(unit, d) or _implied(unit, d, declared) for d in KINDS[unit.kind].declared(Choice)}


def _implied(unit, choice, declared):
    return next((d.when[1] for d in declared if d.when and d.when[0] == choice.name and value_of(unit, d)), choice.default)


def assumed_choices(unit: Any) -> Iterator:
    """Choices of a unit entry that nobody made and on which figures rest, as declarations.

    A way to give something counts by the numbers that it asks for, if it asks for any.
    """
    declared, ways = KINDS[unit.kind].inputs(), choices_of(unit)
    for d in KINDS[unit.kind].declared(Choice):
        if not d.counted or value_of(unit, d) is not None or not d.in_use(ways):
            continue
        if not any(o.when and o.when[0] == d.name and ways[d.name] in o.when[1:] for o in declared):
            yield d


@lru_cache(maxsize=1024)
def default_text(text: str, dimension: str, display: str) -> str:
    """A default as document text in the units of a display set, to four figures."""
    unit = DISPLAY_SETS[display].unit(dimension)
    number = f"{to_unit(parse(text, dimension), unit, dimension):.4g}"
    return number if unit == "1" else f"{number} {unit}"


FEED_DEFAULTS = {"temperature": "25 degC", "pressure": "1 bar"}


def source_of(stream: StreamEntry) -> tuple:
    """(unit id, port or None) of a stream's `from`."""
    unit, _, port = (stream.source or "").partition(".")
    return unit, port or None


def load(data: dict[str, Any]) -> Project:
    """A Project from plain data. Raises DocumentError with sentences for the user."""
    if not isinstance(data, dict):
        raise DocumentError("This is not a Gulch project: a JSON object is expected.")
    if data.get("format") != FORMAT:
        raise DocumentError(f"This is not a Gulch project: its “format” should read “{FORMAT}”.")
    if data.get("version") != VERSION:
        raise DocumentError(
            f"This project has version {data.get('version')!r}, but this Gulch reads version {VERSION}: open it with a newer Gulch."
        )
    try:
        return Project.model_validate(data)
    except ValidationError as error:
        raise DocumentError(_sentences(error, data)) from None


def loads(text: str | bytes) -> Project:
    """A Project from JSON text or bytes. Raises DocumentError."""
    if len(text) > MAX_BYTES:
        raise DocumentError(f"The file is larger than {MAX_BYTES // 1_000_000} MB, which no project is.")
    try:
        data = json.loads(text)
        json.dumps(data, ensure_ascii=False).encode()  # half a surrogate pair is no text
        if _depth(data) > MOST_NESTED:
            raise DocumentError(f"The file is nested more than {MOST_NESTED} deep, which no project is.")
    except DocumentError:
        raise
    except (ValueError, UnicodeDecodeError, RecursionError) as error:
        where = f" (line {error.lineno})" if isinstance(error, json.JSONDecodeError) else ""
        raise DocumentError(f"The file is not readable JSON{where}: it may be cut short or of another kind.") from None
    return load(data)


def _depth(data):
    """How deep plain data are nested."""
    deepest, level = 0, [data]
    while level and deepest <= MOST_NESTED:
        deepest += 1
        level = [v for d in level if isinstance(d, dict | list) for v in (d.values() if isinstance(d, dict) else d)]
    return deepest


def _sentences(error, data):
    lines = []
    for problem in error.errors()[:5]:
        place = _place(problem["loc"], data)
        if problem["type"] == "extra_forbidden":
            lines.append(f"{place}: this version of Gulch does not know this entry.")
        elif problem["type"] == "missing":
            lines.append(f"{place}: the entry is missing.")
        elif problem["type"] in ("union_tag_invalid", "union_tag_not_found"):
            lines.append(f"{place}: the unit kind is not one of {', '.join(KINDS)}.")
        else:
            lines.append(f"{place}: {_mistake(problem)}")
    more = len(error.errors()) - 5
    return "The project cannot be read. " + " ".join(lines) + (f" And {more} more." if more > 0 else "")


def _mistake(problem):
    """What is wrong with one entry, and how it is written, as a sentence."""
    kind, given, limits = problem["type"], problem.get("input"), problem.get("ctx", {})
    shown = json.dumps(given, ensure_ascii=False)[:40] if isinstance(given, str | int | float | bool) else "what stands there"
    if kind == "string_type":
        if isinstance(given, int | float) and not isinstance(given, bool):
            return f'the number {shown} stands bare: write it as text, with its unit where it has one, as in "5 bar".'
        return f"{shown} is no text: write a text in quotes."
    if kind in ("model_type", "dict_type", "model_attributes_type"):
        return f'{shown} stands where entries in braces belong: write for example {{"mode": "adiabatic"}}.'
    if kind in ("list_type", "tuple_type"):
        return f"{shown} stands where a list in square brackets belongs."
    if kind in ("literal_error", "enum"):
        return f"{shown} is not one of {limits.get('expected', 'the ways')}."
    if kind == "too_long":
        return f"it holds more than {limits.get('max_length')} entries, which is more than Gulch keeps pages usable with."
    if kind in ("string_too_long", "string_too_short", "too_short"):
        return f"{shown} is too {'long' if 'long' in kind else 'short'}."
    if kind == "string_pattern_mismatch":
        return f"{shown} is not written as it must be: use letters, digits, _ and -, beginning with a letter."
    if kind in ("int_parsing", "int_type", "int_from_float", "float_parsing", "float_type"):
        return f"{shown} is not a number as it is wanted here: write a bare number."
    if kind.startswith(("greater_than", "less_than")):
        side = "at least" if kind.startswith("greater") else "at most"
        return f"{shown} is out of bounds: it must be {side} {next((v for v in limits.values()), '')}."
    if kind in ("bool_type", "bool_parsing"):
        return f"{shown} is neither true nor false."
    return f"{shown} cannot stand here."


def _place(location, data):
    words = []
    for key in location:
        if isinstance(key, int) and isinstance(data, list) and key < len(data):
            data = data[key]
            words.append(str(data.get("id", key + 1)) if isinstance(data, dict) else str(key + 1))
        else:
            if isinstance(data, dict) and key in data:
                data = data[key]
            elif str(key) in KINDS:
                continue
            words.append(str(key))
    return " › ".join(words) or "the file"


def schema() -> dict[str, Any]:
    """JSON Schema of the project file."""
    out = Project.model_json_schema(by_alias=True)
    out["title"] = "Gulch project"
    out["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return out
