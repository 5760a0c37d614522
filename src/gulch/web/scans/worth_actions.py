"""Edits of prices: of species, heat, work and waste; once for all variants."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from gulch.engine.document import MONEY, BuildingEntry, HeatPriceEntry, PriceEntry, PricesEntry
from gulch.engine.flowsheet.costs import MEASURED
from gulch.engine.project.edit import EditError
from gulch.engine.project.typed import typed
from gulch.engine.quantities import QuantityError, parse
from gulch.web.projects.forms import Key, Part, Text, Whole
from gulch.web.projects.registry import Done, action
from gulch.web.scans.search_actions import GONE

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


MOST_LEVELS = 30


def price_text(text: str) -> str | None:
    """A typed price as the document keeps it: a bare number, None where nothing is typed. Raises EditError."""
    text = text.replace("−", "-").replace("\u202f", "").replace(" ", "")
    if not text:
        return None
    if not re.fullmatch(MONEY, text):
        raise EditError(f"“{text[:40]}” is no price: type a bare number such as 0.85; the unit stands beside the field.")
    return text


def _prices(project: Project) -> PricesEntry:
    project.prices = project.prices or PricesEntry()
    return project.prices


@action("prices-begin", whole=True)
def begin(project: Project, form: Values) -> Done:
    """Begin to type prices."""
    _prices(project)
    return Done("Type prices", "worth")


@action("prices-remove", whole=True)
def remove(project: Project, form: Values) -> Done:
    """Forget all prices."""
    project.prices = None
    return Done("Remove all prices", "worth")


WORDS = {
    "currency": Part(12, "A currency is a short word: at most 12 characters."),
    "date": Part(40, "That is too long for a date: at most 40 characters."),
    "remark": Part(400, "That remark is too long: at most 400 characters."),
}


@action("prices-edit", whole=True, work=Part(), work_per=Part(), waste=Part(), waste_per=Part(), **WORDS)
def edit_prices(project: Project, form: Values) -> Done:
    """Change what the currency is, the date and remark of the prices, and the prices of work and waste."""
    prices = _prices(project)
    for name in ("currency", "date", "remark", "work_per", "waste_per"):
        value = getattr(form, name)
        if value is not None and (value or name in ("date", "remark")):
            setattr(prices, name, value)
    for name in ("work", "waste"):
        value = getattr(form, name)
        if value is not None:
            setattr(prices, name, price_text(value))
    return Done("Change prices", "worth")


@action("price-species", whole=True, id=Key(), bought=Part(), sold=Part(), per=Part())
def price_species(project: Project, form: Values) -> Done:
    """The prices of one species."""
    prices = _prices(project)
    if not any(s.id == form.id for s in project.species):
        raise EditError("The species is gone: reload the page.")
    entry = prices.species.get(form.id, PriceEntry())
    for name in ("bought", "sold"):
        value = getattr(form, name)
        if value is not None:
            setattr(entry, name, price_text(value))
    entry.per = form.per or entry.per
    prices.species = {**prices.species, form.id: entry}
    return Done(f"Price {form.id}", "worth")


@action("price-stream", whole=True, id=Key(), fate=Text())
def price_stream(project: Project, form: Values) -> Done:
    """Whether a product stream is sold by its species, waste, or worth nothing."""
    prices = _prices(project)
    rest = {k: v for k, v in prices.streams.items() if k != form.id}
    prices.streams = rest | ({form.id: form.fate} if form.fate in ("waste", "nothing") else {})
    return Done(f"{form.id} is {form.fate or 'sold'}", "worth")


BUILDING = ("index", "rate", "material", "installed", "payback", "coefficient", "difference", "hold_up", "catalyst", "catalyst_life")
MAY_BE_LEFT_OUT = ("payback", "catalyst", "catalyst_life")


@action("building-edit", whole=True, **{name: Part() for name in BUILDING})
def edit_building(project: Project, form: Values) -> Done:
    """Change how costs of equipment are brought to the project's money and year; the first edit begins it."""
    prices = _prices(project)
    entry = prices.building or BuildingEntry()
    for name in BUILDING:
        value = getattr(form, name)
        if value is None:
            continue
        if name == "material":
            entry.material = value or entry.material
        elif name in MEASURED:
            full = typed(project, f"building.{name}", value, MEASURED[name])
            if not parse(full, MEASURED[name]) > 0.0:
                raise EditError("Type a number above zero.")
            setattr(entry, name, full)
        else:
            text = price_text(value)
            if text is None and name not in MAY_BE_LEFT_OUT:
                raise EditError("Type a number: nothing can be brought to a year or to money without it.")
            if text is not None and not float(text) > 0.0:
                raise EditError("Type a number above zero.")
            setattr(entry, name, text)
    prices.building = entry
    return Done("Change what building costs", "worth")


@action("building-own", whole=True, id=Key(), cost=Part())
def own_cost(project: Project, form: Values) -> Done:
    """The purchase cost of one unit, as known better; nothing typed goes by the correlations again."""
    entry = _prices(project).building
    if entry is None or project.unit(form.id) is None:
        raise EditError("The unit is gone: reload the page.")
    text = price_text(form.cost or "")
    entry.own = {k: v for k, v in entry.own.items() if k != form.id} | ({form.id: text} if text else {})
    return Done(f"Cost of {form.id}", "worth")


@action("building-remove", whole=True)
def forget_building(project: Project, form: Values) -> Done:
    _prices(project).building = None
    return Done("Ask no more what building costs", "worth")


@action("heat-price-add", whole=True, use=Key())
def add_heat(project: Project, form: Values) -> Done:
    """A heating or cooling medium."""
    prices = _prices(project)
    if len(prices.heat) >= MOST_LEVELS:
        raise EditError(f"{MOST_LEVELS} media are the most: remove one first.")
    cooling = form.use == "cooling"
    entry = HeatPriceEntry(name="cooling medium" if cooling else "heating medium", reaches="30 degC" if cooling else "180 degC")
    entry.use = "cooling" if cooling else "heating"
    prices.heat = [*prices.heat, entry]
    return Done(f"Add a {entry.name}", "worth")


def _medium(project: Project, form: Values) -> tuple:
    prices = _prices(project)
    if form.at is None or form.at >= len(prices.heat):
        raise EditError(GONE.replace("search", "medium"))
    return prices, prices.heat[form.at]


@action("heat-price-edit", whole=True, at=Whole("media", 0, MOST_LEVELS), name=Part(40), reaches=Part(), price=Part(), per=Part())
def edit_heat(project: Project, form: Values) -> Done:
    """Change a medium: its name, to which temperature it reaches, its price."""
    _, entry = _medium(project, form)
    if form.name:
        entry.name = form.name
    if form.reaches:
        text = typed(project, "prices.reaches", form.reaches, "temperature")
        try:
            parse(text, "temperature")
        except QuantityError as error:
            raise EditError(str(error)) from None
        entry.reaches = text
    if form.price is not None:
        entry.price = price_text(form.price)
    entry.per = form.per or entry.per
    return Done(f"Change {entry.name}", "worth")


@action("heat-price-remove", whole=True, at=Whole("media", 0, MOST_LEVELS))
def remove_heat(project: Project, form: Values) -> Done:
    """Remove a medium."""
    prices, entry = _medium(project, form)
    prices.heat = [h for h in prices.heat if h is not entry]
    return Done(f"Remove {entry.name}", "worth")
