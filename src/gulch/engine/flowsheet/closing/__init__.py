"""Closing one group: torn streams, ties that run in a circle through results, and targets, as one system.

A pass computes every node once and says what each unknown should have been. For a knob that is a Newton step with the
sensitivity of the gauges found beforehand, so that one search closes all.
"""

from gulch.engine.flowsheet.closing.outcome import close

__all__ = ["close"]
