"""Gulch: chemistry, reactors, recycle loops and scans for reaction engineers."""

__version__ = "0.1.0"
