"""The process as a graph: inputs and results by address, checks, tears, loops, solving."""

from gulch.engine.flowsheet.checks import check
from gulch.engine.flowsheet.plan import Plan, solve
from gulch.engine.flowsheet.solution import Message, Solution

__all__ = ["Message", "Plan", "Solution", "check", "solve"]
