"""Scans: the process over ranges of knobs, gauges recorded; windows, edges and peaks."""

from gulch.engine.scans.answer import Answer, answer_of
from gulch.engine.scans.grid import Grid, Listed, ScanError, gauge_rows, gauges_of, grid_of, points_or_step
from gulch.engine.scans.points import rest_on, touched
from gulch.engine.scans.question import answered, blank_answer, most_solves
from gulch.engine.scans.record import Recall
from gulch.engine.scans.refine import bends, refined, row_edges
from gulch.engine.scans.scan import ScanResult, blank, blocks, mends, ready_plan, run_scan, walk
from gulch.engine.scans.search import Aim, Point
from gulch.engine.scans.sure import Sure, by_sources, sure
from gulch.engine.scans.swings import Swing, Swings, movable, swings
from gulch.engine.scans.windows import limit_broken, windows

__all__ = [
    "Aim",
    "Answer",
    "Grid",
    "Listed",
    "Point",
    "Recall",
    "ScanError",
    "ScanResult",
    "Sure",
    "Swing",
    "Swings",
    "answer_of",
    "answered",
    "bends",
    "blank",
    "blank_answer",
    "blocks",
    "by_sources",
    "gauge_rows",
    "gauges_of",
    "grid_of",
    "limit_broken",
    "mends",
    "most_solves",
    "movable",
    "points_or_step",
    "ready_plan",
    "refined",
    "rest_on",
    "row_edges",
    "run_scan",
    "sure",
    "swings",
    "touched",
    "walk",
    "windows",
]
