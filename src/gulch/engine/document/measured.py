"""Measurements and fits in the document: tables as pasted, what each was measured in, and what is sought from them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gulch.engine.document.chemistry import RateEntry
from gulch.engine.document.parts import Bare, Id, Part, Points, Quantity, ReactionId, SpeciesNamed
from gulch.engine.references import Address, OnLoss, Own, Ref, Thing

LONGEST_TABLE = 200_000


class ColumnEntry(Part):
    """What a column of a table holds, where its head does not say it, or says it wrongly."""

    what: str | None = Field(None, max_length=40, description="what was read, or what it was read at; empty: the column is left aside")
    species: SpeciesNamed | None = None
    unit: str = Field("", max_length=40, description="unit of its numbers; that of its head when left out")


class SheetEntry(Part):
    """Measurements of one experiment: a table as it was pasted, and the vessel in which it was taken."""

    id: Annotated[Id, Own(Thing.SHEET)]
    name: str = Field("", max_length=80, description="as the user calls it; the id when left out")
    table: str = Field("", max_length=LONGEST_TABLE, description="rows of cells, heads first, as pasted")
    vessel: Literal["batch-volume", "batch-pressure", "tube", "tank", "differential", "constants"] = Field(
        "batch-volume", description="what it was measured in; constants: a table of k or K over temperature"
    )
    phase: Literal["liquid", "vapour"] = "liquid"
    temperature: Quantity | None = Field(None, description="of all rows, where no column says it")
    course: Points | None = Field(None, description='a course of temperature over time or along the way: "0 min 25 degC; 10 min 60 degC"')
    pressure: Quantity | None = Field(None, description="of all rows, where no column says it; 1 atm is assumed")
    charge: dict[SpeciesNamed, Quantity] = Field({}, description="what is charged or fed: concentrations, fractions, pressures or flows")
    catalyst: Quantity | None = Field(None, description="mass of catalyst in a volume of charge, or of bed")
    surface: Quantity | None = Field(None, description="area of surface in a volume of charge, or of bed")
    void: Quantity | None = Field(None, description="share of a bed that the fluid fills")
    reaction: ReactionId | None = Field(None, description="whose constants the table holds")
    columns: dict[str, ColumnEntry] = Field({}, max_length=60, description="by the number of the column, from 1")
    left_out: dict[str, Annotated[str, Field(max_length=200)]] = Field({}, max_length=2000, description="reasons by number of the row")
    remark: str | None = Field(None, max_length=2000, description="where the data come from")

    @property
    def shown(self) -> str:
        return self.name or self.id


class RivalEntry(Part):
    """Laws that are fitted to the same data, to be compared with the project's own."""

    name: str = Field(max_length=60)
    laws: dict[ReactionId, RateEntry] = {}
    free: list[Annotated[str, Address(OnLoss.EMPTY)]] = Field([], max_length=30)


class FoundEntry(Part):
    """What was taken over from a fit: the numbers, their values and covariance in SI, k by its logarithm."""

    numbers: list[Annotated[str, Address(OnLoss.EMPTY)]] = Field([], max_length=30)
    values: list[float] = Field([], max_length=30)
    covariance: list[list[float]] = Field([], max_length=30)
    texts: list[str] = Field([], max_length=30, description="the numbers as they were written; one typed over takes the fit out of use")
    logarithmic: list[bool] = Field([], max_length=30, description="of which numbers values and covariance are of the logarithm")
    freedom: int = Field(0, description="degrees of freedom of its scatter; 0 where the errors were given")
    on: str = Field("", max_length=200, description="on which measurements it rests")


class FitEntry(Part):
    """A question to measurements: which numbers of the rate laws fit them best."""

    id: Annotated[Id, Own(Thing.FIT)]
    name: str = Field("", max_length=80)
    set: Annotated[str, Ref(Thing.SET)] = Field("", description="the reactions that run in the vessel, all together")
    sheets: list[Annotated[str, Ref(Thing.SHEET)]] = Field([], max_length=40, description="measurements that count")
    free: list[Annotated[str, Address(OnLoss.EMPTY)]] = Field([], max_length=30, description="numbers of the rate laws that are sought")
    low: dict[Annotated[str, Address(OnLoss.EMPTY)], Bare] = Field({}, description="lowest value of a number, as typed")
    high: dict[Annotated[str, Address(OnLoss.EMPTY)], Bare] = {}
    errors: dict[str, Annotated[str, Field(max_length=40)]] = Field(
        {}, max_length=20, description='of a response: "2 %" of each reading, "0.01 mol/L", or "relative", "absolute" of unknown size'
    )
    rivals: list[RivalEntry] = Field([], max_length=6)
    found: FoundEntry | None = None
