"""Scans: the process over a range of a knob, gauges recorded."""

from gulch.engine.scans.scan import ScanError, ScanResult, run_scan, settings, windows

__all__ = ["ScanError", "ScanResult", "run_scan", "settings", "windows"]
