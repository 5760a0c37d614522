"""Results of units as rows of text."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.quantities import (
    show,
)
from gulch.engine.units import KINDS
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    power_text,
    show_unit,
)

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.flowsheet.solution import UnitOutcome


@dataclass
class ResultRow:
    """A result with its text, its meaning and the gauge that reads it."""

    address: str
    label: str
    text: str
    meaning: str
    help: str
    gauge: str | None
    more: str


@dataclass
class Account:
    """The stoichiometric table of a reactor."""

    unit: str
    heads: list
    rows: list[tuple]
    total: list


@dataclass
class ReactionRow:
    """A reaction's conversion asked for and achieved, and what limited it."""

    reaction: str
    key: str
    limited_by: str
    asked: str
    achieved: str
    extent: str
    watch: ResultRow


@dataclass
class EquilibriumRow:
    """A reaction at its equilibrium, or held."""

    reaction: str
    k: str
    q: str
    extent: str
    basis: str
    gone: str | None = None


class Accounts(Region):
    """Results of units as rows of text."""

    def result_row(self, address: str, label: str, text: str, meaning: str = "", more: str = "") -> ResultRow:
        gauge = next((g.id for g in self.document.gauges if g.reads == address), None)
        return ResultRow(
            address=address,
            label=label,
            text=text,
            meaning=meaning,
            help=self.space.fields.help_of(address),
            gauge=gauge,
            more=more,
        )

    def open_words(self, pair: list[float] | None, dimension: str, held: bool = False) -> str:
        """What the sources of the data leave open of a value, as a line below it, or ''; held: whether its feed would follow."""
        if pair is None or pair[1] - pair[0] <= 0.01 * abs(pair[1]):
            return ""
        low, high = (show(v, dimension, self.display, 3) for v in pair)
        return f"sources: {low} to {high}{', with what enters held' if held else ''}"

    def unit_results(self, unit: Any, outcome: UnitOutcome) -> Iterator:
        for r in KINDS[unit.kind].results():
            value = outcome.values.get(r.key)
            if r.per is None:
                if f"{unit.id}.{r.key}" not in self.outputs or r.spare and value is None:
                    continue
                label = f"{r.label} {outcome.values[r.words]}" if r.words and outcome.values.get(r.words) else r.label
                yield self.result_row(f"{unit.id}.{r.key}", label, show(value, r.dimension, self.display), r.meaning)
            elif r.per == "species" and isinstance(value, dict):
                in_loop = self.latest is not None and any(unit.id in lo.units for lo in self.latest.loops)
                between = (outcome.values.get("between") or {}).get(r.name, {})
                for s in self.document.species:
                    if value.get(s.id, 0.0) > 1e-9:
                        text, more = show(value[s.id], r.dimension, self.display), self.open_words(between.get(s.id), r.dimension, in_loop)
                        yield self.result_row(f"{unit.id}.{r.key}.{s.id}", f"{r.label} of {s.shown}", text, r.meaning, more)
            elif r.per in ("element", "stage") and isinstance(value, dict):
                for e, number in value.items():
                    label = f"{r.label}, stage {e}" if r.per == "stage" else f"{r.label} of {e}"
                    yield self.result_row(f"{unit.id}.{r.key}.{e}", label, show(number, r.dimension, self.display), r.meaning)

    def account(self, outcome: UnitOutcome) -> Account:
        """The stoichiometric table: in, change by each reaction, out."""
        rows = []
        for s in self.document.species:
            cells = [
                outcome.inlet.get(s.id, 0.0),
                *(c[1].get(s.id, 0.0) for c in outcome.changes),
                outcome.outlet.get(s.id, 0.0),
            ]
            if any(cells):
                texts = [self.flow_text(cells[0])]
                texts += ["" if v == 0.0 else ("+ " if v > 0 else "− ") + self.flow_text(abs(v)) for v in cells[1:-1]]
                rows.append((s.shown, [*texts, self.flow_text(cells[-1])]))
        totals = [
            sum(outcome.inlet.values()),
            *(sum(c[1].values()) for c in outcome.changes),
            sum(outcome.outlet.values()),
        ]
        texts = [self.flow_text(totals[0])]
        texts += [("+ " if v > 0 else "− ") + self.flow_text(abs(v)) if abs(v) > 1e-12 else "" for v in totals[1:-1]]
        return Account(
            unit=show_unit("molar flow", self.display),
            heads=[c[0] for c in outcome.changes],
            rows=rows,
            total=[*texts, self.flow_text(totals[-1])],
        )

    def flow_text(self, value: float) -> str:
        return show(value, "molar flow", self.display, unit=False)

    def reaction_rows(self, unit: Any, outcome: UnitOutcome) -> Iterator[ReactionRow]:
        for r in outcome.reactions:
            if "achieved" not in r:
                continue
            names = {s.id: s.shown for s in self.document.species}
            yield ReactionRow(
                reaction=r["reaction"],
                key=names.get(r["key"], r["key"]),
                limited_by=names.get(r["limited_by"], r["limited_by"]),
                asked=show(r["asked"], "fraction", self.display, unit=False),
                achieved=show(r["achieved"], "fraction", self.display, unit=False),
                extent=show(r["extent"], "molar flow", self.display, unit=False),
                watch=self.result_row(f"{unit.id}.achieved.{r['reaction']}", f"achieved conversion by {r['reaction']}", ""),
            )

    def equilibrium_rows(self, outcome: UnitOutcome) -> Iterator[EquilibriumRow]:
        for r in outcome.reactions:
            if "ln_k" in r:
                yield EquilibriumRow(
                    reaction=r["reaction"],
                    k=power_text(r["ln_k"]),
                    q="–" if r.get("gone") else power_text(r["ln_q"]),
                    gone=r.get("gone"),
                    extent=self.flow_text(r["extent"]),
                    basis=r.get("basis", ""),
                )
            elif "held" in r:
                asked = show(r["asked"], "fraction", self.display) if r["asked"] is not None else "an extent"
                yield EquilibriumRow(
                    reaction=r["reaction"],
                    k="held",
                    q=asked,
                    extent=self.flow_text(r["extent"]),
                    basis="",
                )

    def net_reactions(self, outcome: UnitOutcome) -> list[tuple]:
        """Independent reactions that describe a Gibbs reactor's change."""
        return [(r["equation"], self.flow_text(r["extent"])) for r in outcome.reactions if "equation" in r]

    def balance_rows(self, balances: dict[str, Any]) -> list[tuple]:
        rows = [("mass", balances["mass"])]
        rows += [(element, value) for element, value in balances["elements"].items()]
        rows.append(("energy", balances["energy"]))
        return [(name, f"{value:+.0e}" if abs(value) >= 1e-15 else "0", abs(value) < 1e-6) for name, value in rows]
