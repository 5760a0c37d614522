"""Species, phase model, reactions and sets in the document."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gulch.engine.document.parts import Bare, Id, Part, Points, Quantity, ReactionId, SpeciesNamed
from gulch.engine.phases import PHASE_MODELS
from gulch.engine.references import Own, Ref, Thing
from gulch.engine.species.own import data_key


class SpeciesData(Part):
    """The user's own data of a species; whatever is left out comes from the databank, or is unknown."""

    formula: str | None = Field(None, max_length=60, description="for a species that the databank lacks")
    non_volatile: bool = Field(False, description="stays in the liquid (salts, hydroxides, solids)")
    fraction: bool | None = Field(
        None, description="a petroleum fraction: its density is that at 15 °C, and what is not typed follows from it and the boiling point"
    )
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
    per: Literal["fluid", "bed", "catalyst", "surface"] = "fluid"
    forward: RateConstantEntry = Field(default_factory=lambda: RateConstantEntry(k=""))
    orders: dict[SpeciesNamed, Bare] = Field({}, description="orders by species; the stoichiometric ones when left out")
    reverse: Literal["none", "own", "equilibrium"] = "none"
    backward: RateConstantEntry | None = None
    reverse_orders: dict[SpeciesNamed, Bare] = {}
    adsorption: list[AdsorptionEntry] = Field([], max_length=12)
    exponent: Bare = Field("1", description="m of (1 + sum K q^a)^m")
    formula: str = Field(
        "",
        max_length=4000,
        description="rate over T, P, c.X, p.X, x.X and the numbers below (law formula); intermediates in lines of their own, “name = …”",
    )
    numbers: dict[Annotated[str, Field(pattern=r"^[A-Za-z_]\w{0,39}$")], Quantity] = Field(
        {}, max_length=30, description="numbers of a formula, by name, each with its unit: inputs like any other"
    )


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
