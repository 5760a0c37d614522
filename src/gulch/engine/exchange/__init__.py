"""Files out: the ledger as a table, CSV, the best in words."""

from gulch.engine.exchange.best import (
    DOUBTS,
    best_text,
    end_words,
    flat_words,
    hidden_words,
    in_sentence,
    jump_words,
    limit_words,
    rests_on,
    worth_words,
)
from gulch.engine.exchange.branches import on_branches
from gulch.engine.exchange.frames import project_frames, scan_frame
from gulch.engine.exchange.ledger import columns_of, csv_text, ledger, safe, scan_csv, scan_table
from gulch.engine.exchange.project_book import NotSolved, project_tables, project_xlsx
from gulch.engine.exchange.sentence import Sentence
from gulch.engine.exchange.workbook import scan_xlsx, workbook

__all__ = [
    "columns_of",
    "DOUBTS",
    "NotSolved",
    "Sentence",
    "best_text",
    "end_words",
    "flat_words",
    "hidden_words",
    "in_sentence",
    "jump_words",
    "limit_words",
    "csv_text",
    "ledger",
    "on_branches",
    "project_frames",
    "project_tables",
    "project_xlsx",
    "rests_on",
    "safe",
    "scan_csv",
    "scan_frame",
    "scan_table",
    "scan_xlsx",
    "workbook",
    "worth_words",
]
