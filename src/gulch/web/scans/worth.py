"""What the page of prices and worth shows: the prices as typed, and the account an hour and a year."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.document import BuildingEntry, HeatPriceEntry, PriceEntry, PricesEntry
from gulch.engine.quantities import format_number, show
from gulch.web.projects.words import pretty_text

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.document import Project
    from gulch.web.projects.workspace import Workspace


SELECT = "worth"
FATES = (("", "sold by its species"), ("waste", "waste"), ("nothing", "worth nothing"))
WHAT = {
    "capital": "fixed capital",
    "sold": "sold",
    "bought": "bought",
    "heating": "heating",
    "cooling": "cooling",
    "work": "work",
    "waste": "waste",
}
GAUGE = "overall.worth"


@dataclass
class PriceRow:
    """Prices of a species."""

    id: str
    name: str
    bought: str
    sold: str
    pers: list[tuple]


@dataclass
class MediumRow:
    """A price of heat."""

    at: int
    entry: Any
    reaches: str
    pers: list[tuple]


@dataclass
class FateRow:
    """What becomes of a product stream."""

    id: str
    fates: list


def money(value: float) -> str:
    """A sum to four figures, its thousands apart.

    >>> money(-16828943.2), money(0.2345)
    ('−16\u202f830\u202f000', '0.2345')
    """
    if abs(value) < 1000.0:
        return format_number(value)
    digits = 10.0 ** (math.floor(math.log10(abs(value))) - 3)
    return f"{round(round(value / digits) * digits):,}".replace(",", "\u202f").replace("-", "−")


class BuildingRows:
    """The equipment with its costs. found: `overall.building` of a solution, or None."""

    def __init__(self, project: Project, entry: BuildingEntry, found: dict[str, Any] | None, display: str) -> None:
        self.project, self.entry, self.found, self.display = project, entry, found, display

    def materials(self) -> list[tuple]:
        return _options(BuildingEntry, "material", self.entry.material)

    def fields(self) -> list[tuple]:
        """(name, words, text) of what is typed."""
        e = self.entry
        rows = [
            ("index", "cost index", e.index),
            ("rate", f"{self.project.prices.currency} per US$", e.rate),
            ("installed", "fixed capital over purchase", e.installed),
            ("payback", "pay-back in years", e.payback or ""),
            ("coefficient", "coefficient of exchangers", pretty_text(e.coefficient)),
            ("difference", "difference to a medium", pretty_text(e.difference)),
            ("hold_up", "hold-up of drums", pretty_text(e.hold_up)),
            ("catalyst", f"{self.project.prices.currency} per kg of catalyst", e.catalyst or ""),
            ("catalyst_life", "life of catalyst in years", e.catalyst_life or ""),
        ]
        return [(name, words, text) for name, words, text in rows]

    def rows(self) -> Iterator[tuple]:
        """(unit, what, size, how many, cost, remark, its own cost as typed, whether the unit's first line)."""
        seen = set()
        for i in self.found["items"] if self.found else ():
            size = show(i["size"], i["dimension"], self.display, 3) if i["size"] else ""
            many = f"{i['count']:g} ×" if i["count"] > 1 else ""
            cost = "–" if i["cost"] is None else money(i["cost"])
            yield i["of"], i["what"], size, many, cost, i["remark"], self.entry.own.get(i["of"], ""), i["of"] not in seen
            seen.add(i["of"])

    def sums(self) -> list[tuple]:
        """(words, money) of the sums that there are."""
        found = self.found or {}
        rows = [("purchase", found.get("purchase")), ("fixed capital", found.get("fixed")), ("to be earned a year", found.get("yearly"))]
        return [(words, money(v)) for words, v in rows if v is not None]

    @property
    def missing(self) -> list[str]:
        return self.found["missing"] if self.found else []


def worth_page(space: Workspace) -> WorthPage | None:
    """The WorthPage where it is asked for, or None."""
    return WorthPage(space) if space.select == SELECT else None


def _options(model: Any, field: Any, chosen: str) -> list[tuple]:
    values = model.model_fields[field].annotation.__args__
    return [(v, v == chosen) for v in values]


class WorthPage:
    """Prices and account of the project."""

    def __init__(self, space: Workspace) -> None:
        self.space, self.project, self.display = space, space.document, space.display
        self.prices = self.project.prices

    @property
    def watched(self) -> bool:
        return any(g.reads == GAUGE for g in self.project.gauges)

    def species(self) -> Iterator[PriceRow]:
        """Rows of the species: id, name, prices, and in what unit they can stand."""
        for s in self.project.species:
            own = self.prices.species.get(s.id, PriceEntry())
            yield PriceRow(id=s.id, name=s.shown, bought=own.bought, sold=own.sold, pers=_options(PriceEntry, "per", own.per))

    def streams(self) -> Iterator[FateRow]:
        """Rows of the product streams with what becomes of them."""
        for s in self.project.streams:
            if s.to is None and not s.is_feed:
                fate = self.prices.streams.get(s.id, "")
                yield FateRow(id=s.id, fates=[(v, w, v == fate) for v, w in FATES])

    def media(self) -> Iterator[MediumRow]:
        for at, h in enumerate(self.prices.heat):
            yield MediumRow(at=at, entry=h, reaches=pretty_text(h.reaches), pers=_options(HeatPriceEntry, "per", h.per))

    def work_pers(self) -> list[tuple]:
        return _options(PricesEntry, "work_per", self.prices.work_per)

    def waste_pers(self) -> list[tuple]:
        return _options(PricesEntry, "waste_per", self.prices.waste_per)

    @property
    def account(self) -> Any:
        found = self.space.solution.overall if self.space.solution and self.space.solution.overall else {}
        return found.get("account")

    def parts(self) -> Iterator:
        """Rows (what, name, of, amount, an hour, a year) of the account."""
        for p in self.account["parts"]:
            amount = show(abs(p["amount"]), p["dimension"], self.display)
            yield WHAT[p["what"]], p["name"], p["of"], amount, *self._rates(p["rate"])

    def _rates(self, rate: float | None) -> tuple:
        """Money per hour and per year of operation, as text."""
        if rate is None:
            return "no price", "–"
        hourly = 3600.0 * rate
        return money(hourly), money(hourly * float(self.project.operating_hours))

    @property
    def total(self) -> tuple | None:
        """(an hour, a year), or None where a price is missing."""
        rate = self.space.solution.overall.get("worth")
        return None if rate is None else self._rates(rate)

    @property
    def building(self) -> BuildingRows | None:
        """What it costs to build, or None where nobody asks."""
        entry = self.prices.building if self.prices else None
        found = (self.space.solution.overall or {}).get("building") if self.space.solution else None
        return BuildingRows(self.project, entry, found, self.display) if entry is not None else None

    @property
    def missing(self) -> Any:
        return self.account["missing"] if self.account else ()
