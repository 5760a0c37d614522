"""Species and their data."""

from __future__ import annotations

import re

from gulch.engine.chemistry import UnknownSpecies, parse_equation
from gulch.engine.chemistry.equations import find_in_project
from gulch.engine.document import Project, SpeciesData, SpeciesEntry
from gulch.engine.project.edit.lumps import fraction_formula
from gulch.engine.project.edit.whole import EditError, forget, fresh, slug
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.databank import known
from gulch.engine.species.own import atoms_of


def add_species(project: Project, cas: str, name: str | None = None) -> str:
    """Add a species by CAS number under a name; returns its id. Raises EditError."""
    if any(s.cas == cas for s in project.species):
        raise EditError(f"{name or cas} is in the project already.")
    try:
        shown = name or known(cas)["name"]  # what it lacks is said by the checks, and can be typed
    except SpeciesError as error:
        raise EditError(str(error)) from None
    id_ = slug(shown, "s")
    used = {s.id for s in project.species}
    if id_ in used:
        id_ = fresh(id_[:36], used)
    project.species.append(SpeciesEntry(id=id_, cas=cas, name=shown if shown != id_ else None))
    return id_


# Dry air without its traces, US Standard Atmosphere 1976: (CAS number, name, mole fraction)
AIR = (("7727-37-9", "nitrogen", 0.7809), ("7782-44-7", "oxygen", 0.2095), ("7440-37-1", "argon", 0.0093))


def add_air(project: Project) -> list[str]:
    """Add the species of air that the project lacks; returns their ids."""
    present = {s.cas for s in project.species}
    return [add_species(project, cas, name) for cas, name, _ in AIR if cas not in present]


def add_own_species(project: Project, name: str, formula: str, cas: str | None = None, non_volatile: bool = False) -> str:
    """Add a species that the user knows better than the databank; returns its id. Raises EditError."""
    name, formula = name.strip()[:80], formula.strip()[:60]
    if not name:
        raise EditError("The species has no name: type one.")
    if cas and not re.fullmatch(r"\d{2,7}-\d{2}-\d", cas):
        raise EditError(f"“{cas}” is not a CAS number: write it like 64-17-5, or leave it out.")
    if cas and any(s.cas == cas for s in project.species):
        raise EditError(f"{cas} is in the project already.")
    data = SpeciesData(formula=formula, non_volatile=non_volatile)
    try:
        atoms_of(formula)
    except SpeciesError as error:
        raise EditError(str(error)) from None
    id_ = slug(name, "s")
    used = {s.id for s in project.species}
    id_ = fresh(id_[:36], used) if id_ in used else id_
    project.species.append(SpeciesEntry(id=id_, cas=cas or None, name=name if name != id_ else None, data=data))
    return id_


def set_species_datum(project: Project, id_: str, field: str, text: str) -> None:
    """Type, replace or (with an empty text) take back one datum of a species. Raises EditError."""
    entry = next((s for s in project.species if s.id == id_), None)
    if entry is None or field not in SpeciesData.model_fields:
        raise EditError("The species is gone: reload the page.")
    data = entry.data or SpeciesData()
    if field == "non_volatile":
        data.non_volatile = bool(text)
        entry.boils = not text  # said, so that nobody asks again
    elif field == "formula" and not text:
        raise EditError("A species of your own needs a formula.")
    elif field == "solvent" and text not in ("", "water", "none"):
        raise EditError("It dissolves in water, or in nothing.")
    else:
        setattr(data, field, text or None)
        if data.fraction and field in ("boiling_point", "liquid_density"):
            data.formula = fraction_formula(entry.shown, data.boiling_point or "", data.liquid_density or "")
    if text:
        data.sources = {k: v for k, v in data.sources.items() if k != field}
    entry.data = data if data != SpeciesData() else None


def choose_source(project: Project, id_: str, field: str, source: str) -> None:
    """Take a datum from another source of the databank; an empty one leaves the choice to Gulch. Raises EditError."""
    entry = next((s for s in project.species if s.id == id_), None)
    if entry is None:
        raise EditError("The species is gone: reload the page.")
    data = entry.data or SpeciesData()
    data.sources = {k: v for k, v in data.sources.items() if k != field} | ({field: source} if source else {})
    if source:
        setattr(data, field, None)
    entry.data = data if data != SpeciesData() else None


def remove_species(project: Project, id_: str) -> None:
    """Take a species out of the list and of all that is given by species; reactions that use it are left, and the checks name them."""
    project.species = [s for s in project.species if s.id != id_]
    forget(project)


def move_species(project: Project, id_: str, by: int) -> None:
    """Move a species up (-1) or down (+1) in the list. Raises EditError."""
    at = next((i for i, s in enumerate(project.species) if s.id == id_), None)
    if at is None:
        raise EditError(f"There is no species {id_}.")
    to = min(max(at + by, 0), len(project.species) - 1)
    species = list(project.species)
    species.insert(to, species.pop(at))
    project.species = species


def order_by_boiling_point(project: Project) -> None:
    """Order species by normal boiling point, lightest first; unknown ones last."""

    def key(entry: SpeciesEntry) -> float:
        try:
            point = lookup(*entry.key).boiling_point
        except SpeciesError:
            point = None
        return point.value if point else 1e9

    project.species = sorted(project.species, key=key)


def add_species_of(project: Project, equation: str) -> None:
    """Add the species that an equation names and the project lacks, where the databank is sure of them. Raises EquationError, EditError."""
    left, right = parse_equation(equation)
    for term in (*left, *right):
        try:
            find_in_project(term.name, tuple(project.entries()))
        except UnknownSpecies as error:
            if len(error.matches) != 1:
                raise
            add_species(project, error.matches[0].cas, error.matches[0].name)
