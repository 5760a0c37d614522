"""Files out: the ledger as a table, CSV."""

from gulch.engine.exchange.ledger import COLUMNS, csv_text, ledger, safe, scan_csv

__all__ = ["COLUMNS", "csv_text", "ledger", "safe", "scan_csv"]
