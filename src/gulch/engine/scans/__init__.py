"""Scans: the process over ranges of knobs, gauges recorded; windows, edges and peaks."""

from gulch.engine.scans.answer import Answer, answer_of
from gulch.engine.scans.branches import branched
from gulch.engine.scans.grid import Grid, Listed, ScanError, gauge_rows, gauges_of, grid_of, points_or_step
from gulch.engine.scans.points import rest_on, touched
from gulch.engine.scans.question import answered, blank_answer, most_solves
from gulch.engine.scans.record import Recall
from gulch.engine.scans.scan import ScanResult, between, blank, blocks, mends, noted, ready_plan, run_scan, walk
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
    "between",
    "blank",
    "blank_answer",
    "blocks",
    "branched",
    "by_sources",
    "gauge_rows",
    "gauges_of",
    "grid_of",
    "limit_broken",
    "mends",
    "most_solves",
    "movable",
    "noted",
    "points_or_step",
    "ready_plan",
    "rest_on",
    "run_scan",
    "sure",
    "swings",
    "touched",
    "walk",
    "windows",
]
