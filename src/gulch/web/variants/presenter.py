"""The comparison of variants: gauges and ledger figures side by side, and what differs in the inputs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.project.couplings import readings
from gulch.engine.project.reading import model_of
from gulch.engine.project.results import value
from gulch.engine.project.variants import lost, words
from gulch.engine.quantities import DISPLAY_SETS, difference_of, format_number, pretty_unit, show, to_unit

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.workspace import Workspace
    from gulch.web.variants.answers import VariantAnswer


WAYS = (
    ("absolute", "as they are"),
    ("difference", "less the base"),
    ("per-cent", "per cent of the base"),
    ("per-year", "per year"),
    ("difference-per-year", "per year, less the base"),
)
# what a flow is called over a year: dimension -> {flow unit: (factor per hour of operation, unit)}
YEARLY = {
    "molar flow": {"kmol/h": (1.0, "kmol"), "lbmol/h": (1.0, "lbmol"), "mol/s": (3.6, "kmol")},
    "mass flow": {"kg/h": (1e-3, "t"), "lb/h": (1e-3, "1000 lb"), "kg/s": (3.6, "t")},
    "power": {
        "kW": (1e-3, "MWh"),
        "MW": (1.0, "MWh"),
        "Btu/h": (1e-6, "MMBtu"),
        "MMBtu/h": (1.0, "MMBtu"),
        "W": (1e-6, "MWh"),
    },
    "money rate": {"1/hr": (1e-6, "million")},
    "volume flow": {"m3/h": (1.0, "m³"), "ft3/h": (1.0, "ft³"), "m3/s": (3600.0, "m³")},
}


@dataclass
class Column:
    """A variant solved: its name, its values, and what is wrong with it."""

    id: str
    name: str
    here: bool
    trouble: str
    document: Project | None
    solution: Any
    values: dict[str, float | None]
    edits: int
    lost: list


@dataclass
class Row:
    """A figure of all variants."""

    label: str
    address: str
    unit: str
    cells: list


def _difference(value: float, base: float | None) -> str:
    """A signed difference as text; 0 where the two agree to rounding."""
    if base is None:
        return "–"
    if abs(value - base) <= 1e-9 * max(abs(value), abs(base)):
        return "0"
    return ("+ " if value > base else "− ") + format_number(abs(value - base))


class VariantsPage:
    """Base and variants solved, as columns."""

    def __init__(self, space: Workspace, answers: dict[str, VariantAnswer], way: str = "absolute") -> None:
        self.space, self.project = space, space.whole
        self.display = space.display
        self.way = way if way in dict(WAYS) else "absolute"
        self.ways = [(name, label, name == self.way) for name, label in WAYS]
        self.pending = any(a.pending for a in answers.values())
        self.columns = [self.column(a, id_) for id_, a in answers.items()]

    @property
    def yearly(self) -> bool:
        return self.way.endswith("per-year")

    def column(self, answer: VariantAnswer, id_: str) -> Column:
        """A VariantAnswer with its name, its values, and what is wrong with it."""
        variant, solution = self.project.variant(id_) if id_ else None, answer.solution
        out = Column(
            id=id_,
            name=variant.name if variant else "base",
            here=(self.project.working or "") == id_,
            trouble=f"It does not fit the base any more. {answer.misfit}" if answer.misfit else "",
            document=answer.document,
            solution=solution,
            values={},
            edits=len(variant.edits) if variant else 0,
            lost=[edit.at.replace("/", " ") for edit in lost(self.project, variant)] if variant and answer.document else [],
        )
        if solution is None:
            return out
        errors = [m for m in solution.messages if m.level == "error"]
        if solution.solved:
            out.values = self.values(answer.document, solution)
            out.trouble = errors[0].what if errors else ""
        else:
            out.trouble = f"It does not solve. {errors[0].what} {errors[0].todo}" if errors else "It does not solve."
        return out

    def values(self, document: Any, solution: Any) -> dict[str, float | None]:
        """{address: SI value} of the figures compared."""
        masses = dict(zip([s.id for s in document.species], model_of(document).molar_mass.tolist(), strict=True))
        return {
            a: solution.gauges.get(a[6:]) if a.startswith("gauge.") else value(solution, a, masses) for a in set(self.addresses(document))
        }

    def addresses(self, document: Project | None) -> list[str]:
        """Addresses of the figures to compare in one variant."""
        found = [g.reads for g in document.gauges]
        for s in document.streams:
            if s.is_feed or s.to is None:
                found += [f"{s.id}.flow", f"{s.id}.mass_flow"]
        known = readings(document)
        for u in document.units:
            found += [a for a in (f"{u.id}.duty", f"{u.id}.work") if a in known]
        return found

    # Rows

    def tables(self) -> list[tuple]:
        """[(title, rows)]: gauges, then what goes in and out, then heat and work."""
        documents = [c.document for c in self.columns if c.document is not None]
        gauges, streams, powers, labels = [], [], [], {}
        for d in documents:
            known = readings(d)
            gauge_names = {g.reads: g.label or (known[g.reads].label if g.reads in known else g.id) for g in d.gauges}
            for address in self.addresses(d):
                if address not in known:
                    continue
                labels.setdefault(address, (gauge_names.get(address) or known[address].label, known[address].dimension))
                where = gauges if address in gauge_names else (powers if known[address].dimension == "power" else streams)
                if address not in gauges + streams + powers:
                    where.append(address)
        out = []
        for title, some in (("Gauges", gauges), ("Feeds and products", streams), ("Heat and work", powers)):
            rows = [row for a in some if (row := self.row(a, *labels[a]))]
            if rows:
                out.append((title, rows))
        return out

    def row(self, address: str, label: str, dimension: str) -> Row | None:
        values = [c.values.get(address) for c in self.columns]
        if all(v is None for v in values):
            return None
        cells, unit = [], DISPLAY_SETS[self.display].unit(dimension)
        if self.way.endswith("per-year"):
            if dimension not in YEARLY:
                return None
            factor, unit = YEARLY[dimension][unit]
            factor *= float(self.project.operating_hours)
            scaled = DISPLAY_SETS[self.display].unit(dimension)
            yearly = [None if v is None else to_unit(v, scaled, dimension) * factor for v in values]
            cells = [
                "–" if v is None else format_number(v) if self.way == "per-year" or k == 0 else _difference(v, yearly[0])
                for k, v in enumerate(yearly)
            ]
        elif self.way == "absolute":
            cells = ["–" if v is None else show(v, dimension, self.display, unit=False) for v in values]
        else:
            base = values[0]
            for k, v in enumerate(values):
                if v is None or base is None:
                    cells.append("–")
                elif self.way == "per-cent":
                    cells.append(f"{100 * v / base:.4g}" if abs(base) > 1e-12 and dimension != "temperature" else "–")
                elif k == 0:
                    cells.append(show(v, dimension, self.display, unit=False))
                else:
                    text = show(abs(v - base), difference_of(dimension), self.display, unit=False)
                    cells.append("0" if abs(v - base) <= 1e-9 * max(abs(v), abs(base)) else ("+ " if v > base else "− ") + text)
        if self.way == "per-cent":
            unit = "%"
        elif self.way == "difference" and dimension == "fraction":
            unit = "%, then points"
        return Row(
            label=label,
            address=address,
            unit=pretty_unit(unit),
            cells=list(zip(cells, [c.here for c in self.columns], strict=True)),
        )

    def inputs(self) -> list[tuple]:
        """[(where, what the base has, [what each variant has])] of all inputs that differ."""
        rows = {}
        for k, v in enumerate(self.project.variants):
            for edit in v.edits:
                where, base, there = words(self.project, edit)
                row = rows.setdefault(where, [base, ["" for _ in self.project.variants]])
                row[1][k] = there
        return [(where, base, there) for where, (base, there) in rows.items()]
