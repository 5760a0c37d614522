"""Compiled chapters of units without reactions."""
