"""A whole project as an XLSX workbook: what was given, what came of it, and its scans."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.exchange.ledger import scan_table
from gulch.engine.exchange.workbook import workbook
from gulch.engine.explain.origin import givers
from gulch.engine.explain.rate_words import rate_words
from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import addresses
from gulch.engine.project.results import SPECIES_RESULTS, molar_masses, stream_results, value
from gulch.engine.project.variants import worked
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, pretty_unit, to_unit
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from collections.abc import Iterable

    from gulch.engine.document import Project
    from gulch.engine.flowsheet.solution import Solution


class NotSolved(ValueError):
    """A file was asked for of figures that are not there."""


def project_xlsx(project: Project, solution: Solution | None, scans: Iterable[tuple[str, dict[str, Any]]] = ()) -> bytes:
    """The tables of `project_tables` as a workbook. Raises NotSolved with a sentence where the process has no figures."""
    return workbook({title: rows for title, rows in project_tables(project, solution, scans).items() if len(rows) > 1})


def project_tables(
    project: Project, solution: Solution | None, scans: Iterable[tuple[str, dict[str, Any]]] = ()
) -> dict[str, list[list[Any]]]:
    """{title: rows} of Streams, Units, Inputs, Reactions, Gauges, Balances and one for each scan, in the project's units.

    The first row is the head. scans: (name, ScanResult as plain data). Numbers are numbers in full precision, units stand beside them
    or in the head. Raises NotSolved with a sentence where the process has no figures.
    """
    if solution is None or not solution.streams:
        todo = "mend what stands in the to-do list, or take the project as JSON."
        raise NotSolved(f"The process is not solved, so there are no figures for a workbook: {todo}")
    project = worked(project)
    book = _Book(project, solution)
    sheets = {
        "Streams": book.streams(),
        "Units": book.units(),
        "Inputs": book.inputs(),
        "Reactions": book.reactions(),
        "Gauges": book.gauges(),
        "Balances": book.balances(),
    }
    for name, result in scans:
        title, n = f"Scan {name}"[:28], 2
        while title in sheets:
            title, n = f"Scan {name}"[:24] + f" {n}", n + 1
        sheets[title] = scan_table(result, project.display)
    return sheets


class _Book:
    def __init__(self, project: Project, solution: Solution) -> None:
        self.project, self.solution = project, solution
        self.display = DISPLAY_SETS[project.display]
        self.known = readings(project)
        self.molar_mass = molar_masses(project)

    def unit(self, dimension: str) -> str:
        return pretty_unit(self.display.unit(dimension))

    def shown(self, number: float | None, dimension: str) -> float | None:
        return None if number is None else to_unit(number, self.display.unit(dimension), dimension)

    def read(self, address: str, dimension: str) -> float | None:
        return self.shown(value(self.solution, address, self.molar_mass), dimension)

    def head(self, words: str, dimension: str) -> str:
        unit = self.unit(dimension)
        return f"{words} [{unit}]" if unit else words

    def streams(self) -> list:
        columns = [(name, dimension, words) for name, (dimension, words, _) in stream_results(self.project).items()]
        columns += [
            (f"{name}.{s.id}", dimension, f"{words} of {s.shown}")
            for name, (dimension, words, _) in SPECIES_RESULTS.items()
            for s in self.project.species
        ]
        rows: list[list] = [["Stream", "From", "To", *(self.head(words, dimension) for _, dimension, words in columns)]]
        for s in self.project.streams:
            ends = [s.source or "feed", s.to or "product"]
            rows.append([s.id, *ends, *(self.read(f"{s.id}.{name}", dimension) for name, dimension, _ in columns)])
        return rows

    def units(self) -> list:
        rows: list[list] = [["Unit", "Kind", "Result", "Value", "Unit of value"]]
        for u in self.project.units:
            for address, found in self.known.items():
                number = self.read(address, found.dimension) if address.startswith(u.id + ".") else None
                if number is not None and not (number < 0.0 and address.startswith(f"{u.id}.conversion.")):  # what is made is not converted
                    words = found.label.removesuffix(f" of {u.id}").removesuffix(f" in {u.id}")
                    rows.append([u.id, KINDS[u.kind].label, words, number, self.unit(found.dimension)])
        return rows

    def inputs(self) -> list:
        rows: list[list] = [["Input", "Meaning", "Value", "Unit of value", "As typed", "Given by"]]
        by = givers(self.project)
        for a in addresses(self.project).values():
            if a.text is None and a.address not in by:
                continue
            number = self.solution.found.get(a.address)
            if number is None and a.text:
                try:
                    number = parse(a.text, a.dimension)
                except QuantityError:
                    number = None
            giver = by.get(a.address, "assumed" if a.assumed else "typed")
            rows.append([a.address, a.label, self.shown(number, a.dimension), self.unit(a.dimension), a.text or "", giver])
        return rows

    def reactions(self) -> list:
        rows: list[list] = [["Reaction", "Equation", "Rate law", "Unit", "Extent", "Unit of extent"]]
        for r in self.project.reactions:
            extents = [(u.id, f"{u.id}.extent.{r.id}") for u in self.project.units if f"{u.id}.extent.{r.id}" in self.known]
            found = [(u, self.known[a], self.read(a, self.known[a].dimension)) for u, a in extents]
            law = [r.id, r.equation, rate_words(r, self.project)]
            there = [[*law, u, number, self.unit(k.dimension)] for u, k, number in found if number is not None]
            rows += there or [[*law, "", None, ""]]
        return rows

    def gauges(self) -> list:
        rows: list[list] = [["Gauge", "Reads", "Value", "Unit", "At least", "At most"]]
        for g in self.project.gauges:
            number, found = self.solution.gauges.get(g.id), self.known.get(g.reads)
            if found is not None:
                shown, unit = self.shown(number, found.dimension), self.unit(found.dimension)
                rows.append([g.label or g.id, g.formula or g.reads, shown, unit, g.at_least, g.at_most])
        return rows

    def balances(self) -> list:
        rows: list[list] = [["Unit", "Balance", "Relative error"]]
        for id_, outcome in self.solution.units.items():
            for name, error in outcome.balances.items():
                for what, number in error.items() if isinstance(error, dict) else ((name, error),):
                    rows.append([id_, what, number])
        return rows
