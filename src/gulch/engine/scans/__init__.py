"""Scans: the process over a range of a knob, gauges recorded."""

from gulch.engine.scans.scan import (
    ScanError,
    ScanResult,
    blank,
    blocks,
    mends,
    ready_plan,
    run_scan,
    settings,
    walk,
    windows,
)

__all__ = [
    "ScanError",
    "ScanResult",
    "blank",
    "blocks",
    "mends",
    "ready_plan",
    "run_scan",
    "settings",
    "walk",
    "windows",
]
