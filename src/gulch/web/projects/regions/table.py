"""The ledger under the map."""

from __future__ import annotations

from dataclasses import dataclass, field

from gulch.engine.exchange import columns_of, ledger
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    cell_text,
    show_unit,
)


@dataclass
class LedgerColumn:
    """A column of the ledger; text: its figures by stream, where the ledger is turned round."""

    key: str
    label: str
    unit: str
    text: list[str] = field(default_factory=list)


@dataclass
class LedgerRow:
    """A stream of the ledger, its figures as text."""

    id: str
    role: str
    pinned: bool
    here: bool
    text: list[str]


@dataclass
class Ledger:
    """The ledger: columns and rows; across: whether it is turned round."""

    columns: list[LedgerColumn]
    rows: list[LedgerRow]
    across: bool


class Table(Region):
    """The ledger under the map."""

    def ledger(self) -> Ledger:
        columns, rows = ledger(self.document, self.solution)
        heads = [LedgerColumn(c["key"], c["label"], c["unit"]) for c in columns]
        lines = [
            LedgerRow(
                row["id"],
                row["role"],
                row["pinned"],
                row["id"] == self.select,
                [cell_text(c, col["dimension"]) for c, col in zip(row["cells"], columns, strict=True)],
            )
            for row in rows
        ]
        if self.document.ledger.across:
            for k, head in enumerate(heads):
                head.text = [line.text[k] for line in lines]
        return Ledger(heads, lines, self.document.ledger.across)

    def feed_heads(self) -> str:
        """The head row of a table of feeds, as it can be pasted."""
        units = [show_unit(d, self.display) for d in ("temperature", "pressure", "molar flow")]
        return "\t".join([f"T [{units[0]}]", f"p [{units[1]}]", *(f"{s.shown} [{units[2]}]" for s in self.document.species[:3])])

    def ledger_choices(self) -> list[tuple]:
        chosen = self.document.ledger.columns
        return [(name, words, name in chosen) for name, words in columns_of(self.document).items()]
