"""What is said of a process: checks, doubts, diagnosis, advice, where numbers come from, help. Solving with all of it begins here."""

from gulch.engine.explain.solving import Plan, solve

__all__ = ["Plan", "solve"]
