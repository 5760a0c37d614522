"""Reactor kinds, one file each."""
