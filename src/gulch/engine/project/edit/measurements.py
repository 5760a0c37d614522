"""Measurements and fits."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.document import ColumnEntry, FitEntry, RivalEntry, SheetEntry
from gulch.engine.document.measured import LONGEST_TABLE
from gulch.engine.project.edit.whole import EditError, forget, fresh
from gulch.engine.project.rate_numbers import orders_typed
from gulch.engine.quantities import QuantityError, parse

if TYPE_CHECKING:
    from gulch.engine.document import Project

SHEET_FIELDS = {
    "name": "",
    "vessel": "",
    "phase": "",
    "reaction": "",
    "course": "",
    "remark": "",
    "temperature": "temperature",
    "pressure": "pressure",
    "catalyst": "density",
    "surface": "area per volume",
    "void": "fraction",
}
CHARGED = ("molar concentration", "fraction", "pressure", "molar flow")
MOST_SHEETS, MOST_FITS, MOST_RIVALS = 40, 20, 6


def need_sheet(project: Project, id_: str) -> SheetEntry:
    """The sheet of that id. Raises EditError where there is none."""
    found = project.sheet(id_)
    if found is None:
        raise EditError("The measurements are gone: reload the page.")
    return found


def need_fit(project: Project, id_: str) -> FitEntry:
    """The fit of that id. Raises EditError where there is none."""
    found = project.fit(id_)
    if found is None:
        raise EditError("The fit is gone: reload the page.")
    return found


def add_sheet(project: Project, table: str) -> str:
    """Keep a pasted table as new measurements; returns their id. Raises EditError where it is too long."""
    if len(project.measurements) >= MOST_SHEETS:
        raise EditError(f"A project keeps {MOST_SHEETS} sheets of measurements: remove one first.")
    id_ = fresh("m", {s.id for s in project.measurements})
    project.measurements = [*project.measurements, SheetEntry(id=id_, name=f"measurements {len(project.measurements) + 1}")]
    set_table(project, id_, table)
    for fit in project.fits:
        if len(project.measurements) == 1:
            fit.sheets = [id_]
    return id_


def set_table(project: Project, id_: str, table: str) -> None:
    """Put another table in place of what was pasted; what was said of its columns and rows goes with the old one.

    Raises EditError where it is empty or too long.
    """
    sheet = need_sheet(project, id_)
    if len(table) > LONGEST_TABLE:
        raise EditError(f"The table has {len(table):,} characters: paste at most {LONGEST_TABLE:,}, as by leaving every second row out.")
    if not table.strip():
        raise EditError("Nothing is pasted yet: copy cells of a spreadsheet, head row included, and paste them here.")
    sheet.table, sheet.columns, sheet.left_out = table, {}, {}


def set_sheet(project: Project, id_: str, field: str, text: str) -> None:
    """Write one field of measurements. Raises EditError with a sentence."""
    sheet = need_sheet(project, id_)
    if field not in SHEET_FIELDS:
        raise EditError("Measurements have no such field: reload the page.")
    if SHEET_FIELDS[field] and text:
        try:
            parse(text, SHEET_FIELDS[field])
        except QuantityError as error:
            raise EditError(str(error)) from None
    if field == "reaction" and text and project.reaction(text) is None:
        raise EditError(f"There is no reaction {text}.")
    setattr(sheet, field, text if field in ("name", "vessel", "phase") else text or None)


def set_charge(project: Project, id_: str, species: str, text: str) -> None:
    """Say how much of a species is charged or fed; nothing takes it out. Raises EditError."""
    sheet = need_sheet(project, id_)
    charge = {s: t for s, t in sheet.charge.items() if s != species}
    if text:
        for dimension in CHARGED:
            try:
                parse(text, dimension)
                break
            except QuantityError:
                continue
        else:
            raise EditError(f"“{text[:40]}” is no concentration, fraction, pressure or flow: type for example 2 mol/L, 30 % or 0.5 bar.")
        charge[species] = text
    sheet.charge = charge


def set_column(project: Project, id_: str, number: int, field: str, text: str) -> None:
    """Say what a column holds, of which species, or in which unit. Raises EditError."""
    sheet = need_sheet(project, id_)
    if field not in ("what", "species", "unit"):
        raise EditError("A column has no such field: reload the page.")
    entry = sheet.columns.get(str(number)) or ColumnEntry()
    setattr(entry, field, text or None if field == "species" else text)
    sheet.columns = sheet.columns | {str(number): entry}


def leave_out(project: Project, id_: str, row: int, reason: str | None) -> None:
    """Leave a row out with a reason, or take it back where the reason is None. Raises EditError."""
    sheet = need_sheet(project, id_)
    kept = {n: why for n, why in sheet.left_out.items() if n != str(row)}
    sheet.left_out = kept if reason is None else kept | {str(row): reason or "left out"}


def remove_sheet(project: Project, id_: str) -> None:
    """Take measurements away; fits go on without them. Raises EditError."""
    need_sheet(project, id_)
    project.measurements = [s for s in project.measurements if s.id != id_]
    forget(project)


def add_fit(project: Project) -> str:
    """Ask what the measurements say: all sheets, the first set whose reactions all have rate laws, k and energies. Returns its id.

    Raises EditError where there is no rate law.
    """
    if len(project.fits) >= MOST_FITS:
        raise EditError(f"A project keeps {MOST_FITS} fits: remove one first.")
    laws = {r.id for r in project.reactions if r.rate is not None or (r.equilibrium is not None and r.equilibrium.source == "formula")}
    sets = [s for s in project.reaction_sets if any(s.steps) and all(i in laws for step in s.steps for i in step)]
    if not sets:
        raise EditError("No reaction set has rate laws yet: give each reaction of a set one in Chemistry; its constants may stay empty.")
    id_ = fresh("f", {f.id for f in project.fits})
    entry = FitEntry(id=id_, set=sets[0].id, sheets=[s.id for s in project.measurements])
    entry.free = [a for a, _ in seekable(project, entry) if a.endswith(".k") or ".number." in a]
    entry.free = entry.free or [a for a, _ in seekable(project, entry)]
    project.fits = [*project.fits, entry]
    return id_


def seekable(project: Project, fit: FitEntry) -> list[tuple[str, str]]:
    """[(address, words)] of the numbers of its laws that a fit may seek."""
    chosen = project.set(fit.set)
    out: list[tuple[str, str]] = []
    reactions = [i for step in chosen.steps for i in step] if chosen is not None else []
    for id_ in reactions:
        reaction = project.reaction(id_)
        law = reaction.rate if reaction is not None else None
        of = f" of {id_}" if len(reactions) > 1 else ""
        if reaction is not None and reaction.equilibrium is not None and reaction.equilibrium.source == "formula":
            out += [(f"{id_}.lnK_A", f"K{of}"), (f"{id_}.lnK_B", f"heat of K{of}")]
        if law is not None and law.law == "formula":
            out += [(f"{id_}.number.{name}", f"{name}{of}") for name in law.numbers]
        if reaction is None or law is None or law.law != "power":
            continue
        for back in (False, True) if law.reverse == "own" and law.backward is not None else (False,):
            before, dash = ("back_", "′") if back else ("", "")
            out += [(f"{id_}.{before}k", f"k{dash}{of}"), (f"{id_}.{before}energy", f"E{dash}{of}")]
            out += [(f"{id_}.{before}order.{s}", f"order{dash} in {s}{of}") for s in orders_typed(project, reaction, back)]
        named = [a.species for a in law.adsorption]
        for a in law.adsorption:
            if named.count(a.species) == 1:
                out += [(f"{id_}.adsorption.{a.species}", f"K({a.species}){of}")]
                out += [(f"{id_}.adsorption_heat.{a.species}", f"ΔH({a.species}){of}")]
        if law.adsorption:
            out.append((f"{id_}.exponent", f"exponent{of}"))
    return out


def set_fit(
    project: Project, id_: str, sheets: list[str], free: list[str], set_: str | None = None, errors: dict[str, str] | None = None
) -> None:
    """Say on which measurements a fit counts, and which numbers it seeks. Raises EditError."""
    fit = need_fit(project, id_)
    fit.sheets = [s.id for s in project.measurements if s.id in sheets]
    if set_ is not None and set_ != fit.set:
        fit.set = set_
        fit.free = [a for a, _ in seekable(project, fit) if a.endswith(".k")]
    else:
        known = [a for a, _ in seekable(project, fit)]
        fit.free = [a for a in known if a in free]
    if errors is not None:
        fit.errors = {k: v for k, v in errors.items() if v}


def set_bound(project: Project, id_: str, address: str, side: str, text: str) -> None:
    """Type a bound of a number that is sought, in the unit in which it is told; nothing takes it away. Raises EditError."""
    fit = need_fit(project, id_)
    if side not in ("low", "high"):
        raise EditError("A bound is low or high: reload the page.")
    bounds = {a: t for a, t in getattr(fit, side).items() if a != address}
    if text:
        try:
            float(text.split(" ")[0])
        except ValueError:
            raise EditError(f"“{text[:30]}” is no number: type a bound in the unit in which the number is told.") from None
        bounds[address] = text
    setattr(fit, side, bounds)


def add_rival(project: Project, id_: str, name: str) -> None:
    """Keep the laws as they are now, and what is sought of them, as a rival of what they will be. Raises EditError."""
    fit = need_fit(project, id_)
    if len(fit.rivals) >= MOST_RIVALS:
        raise EditError(f"A fit compares {MOST_RIVALS} rivals: remove one first.")
    chosen = project.set(fit.set)
    laws = {}
    for i in [i for step in chosen.steps for i in step] if chosen is not None else []:
        reaction = project.reaction(i)
        if reaction is not None and reaction.rate is not None:
            laws[i] = reaction.rate.model_copy(deep=True)
    name = name or f"law {len(fit.rivals) + 1}"
    if any(r.name == name for r in fit.rivals):
        raise EditError(f"There is a rival “{name}” already: call this one otherwise.")
    fit.rivals = [*fit.rivals, RivalEntry(name=name, laws=laws, free=list(fit.free))]


def remove_rival(project: Project, id_: str, name: str) -> None:
    """Take a rival away. Raises EditError."""
    fit = need_fit(project, id_)
    fit.rivals = [r for r in fit.rivals if r.name != name]


def take_rival(project: Project, id_: str, name: str) -> None:
    """Make a rival's laws the project's own, and keep those of now in its place. Raises EditError."""
    fit = need_fit(project, id_)
    at = next((i for i, r in enumerate(fit.rivals) if r.name == name), None)
    if at is None:
        raise EditError("The rival is gone: reload the page.")
    rival = fit.rivals[at]
    before = {i: r.rate.model_copy(deep=True) for i in rival.laws if (r := project.reaction(i)) is not None and r.rate is not None}
    for i, law in rival.laws.items():
        reaction = project.reaction(i)
        if reaction is not None:
            reaction.rate = law.model_copy(deep=True)
    others = [r for i, r in enumerate(fit.rivals) if i != at]
    kept = fresh("law ", {r.name for r in others})
    fit.rivals = [*others, RivalEntry(name=kept, laws=before, free=list(fit.free))]
    fit.free = list(rival.free)


def remove_fit(project: Project, id_: str) -> None:
    """Take a fit away. Raises EditError."""
    need_fit(project, id_)
    project.fits = [f for f in project.fits if f.id != id_]
