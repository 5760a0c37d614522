"""Measurements: tables as pasted, read into runs of the vessels that they were taken in."""

from gulch.engine.measured.runs import Reading, Run, SheetTrouble, runs_of
from gulch.engine.measured.sheets import Column, Table, table_of
from gulch.engine.measured.what import WHAT, What

__all__ = ["WHAT", "Column", "Reading", "Run", "SheetTrouble", "Table", "What", "runs_of", "table_of"]
