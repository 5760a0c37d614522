"""Compiled chapters of chemistry: equilibrium and rates."""
