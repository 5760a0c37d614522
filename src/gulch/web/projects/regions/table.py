"""The ledger under the map."""

from __future__ import annotations

from typing import Any

from gulch.engine.exchange import COLUMNS, ledger
from gulch.web.projects.regions.region import Region
from gulch.web.projects.words import (
    cell_text,
    show_unit,
)


class Table(Region):
    """The ledger under the map."""

    def ledger(self) -> dict[str, Any]:
        columns, rows = ledger(self.document, self.solution)
        for row in rows:
            row["text"] = [cell_text(c, col["dimension"]) for c, col in zip(row["cells"], columns, strict=True)]
            row["here"] = row["id"] == self.select
        across = [c | {"text": [r["text"][k] for r in rows]} for k, c in enumerate(columns)] if self.document.ledger.across else []
        return {"columns": columns, "rows": rows, "across": across}

    def feed_heads(self) -> str:
        """The head row of a table of feeds, as it can be pasted."""
        units = [show_unit(d, self.display) for d in ("temperature", "pressure", "molar flow")]
        return "\t".join([f"T [{units[0]}]", f"p [{units[1]}]", *(f"{s.shown} [{units[2]}]" for s in self.document.species[:3])])

    def ledger_choices(self) -> list[tuple]:
        chosen = self.document.ledger.columns
        return [(name, words, name in chosen) for name, words in COLUMNS.items()]
