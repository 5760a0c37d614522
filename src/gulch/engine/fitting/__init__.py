"""Numbers of rate laws found from measurements: least squares on the vessels' own equations, and how sure the answer is."""

from gulch.engine.fitting.fit import Least, fitted
from gulch.engine.fitting.numbers import FitTrouble

__all__ = ["FitTrouble", "Least", "fitted"]
