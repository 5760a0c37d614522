"""The process as a graph: inputs and results by address, checks, tears, loops, solving."""

from gulch.engine.flowsheet.checks import check
from gulch.engine.flowsheet.solution import Message, Solution
from gulch.engine.flowsheet.solve import Plan, solve

__all__ = ["Message", "Plan", "Solution", "check", "solve"]
