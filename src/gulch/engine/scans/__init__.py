"""Scans: the process over ranges of knobs, gauges recorded; windows, edges and peaks."""

from gulch.engine.scans.answer import Answer, answer_of
from gulch.engine.scans.grid import Grid, ScanError, gauge_rows, gauges_of, grid_of, points_or_step
from gulch.engine.scans.record import Recall
from gulch.engine.scans.refine import refined
from gulch.engine.scans.scan import ScanResult, blank, blocks, mends, ready_plan, run_scan, walk
from gulch.engine.scans.swings import Swing, Swings, swings
from gulch.engine.scans.windows import limit_broken, windows

__all__ = [
    "Answer",
    "Grid",
    "Recall",
    "ScanError",
    "ScanResult",
    "Swing",
    "Swings",
    "answer_of",
    "blank",
    "blocks",
    "gauge_rows",
    "gauges_of",
    "grid_of",
    "limit_broken",
    "mends",
    "points_or_step",
    "ready_plan",
    "refined",
    "run_scan",
    "swings",
    "walk",
    "windows",
]
