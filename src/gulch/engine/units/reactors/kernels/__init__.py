"""Compiled chapters of the reactors that run by rates."""
