"""What is known of an input: its address, its kind of quantity, its bounds, and what is typed there."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from gulch.engine.project.places import About, Place


class Address(NamedTuple):
    """An input that can be read and written: its dimension, words for it, and bounds in SI.

    text: as typed, or what is assumed in its place; None where there is neither. assumed: nobody typed it; context:
    where the value comes from, in words, when it is taken from what enters.
    """

    address: str
    dimension: str
    label: str
    low: float = -np.inf
    high: float = np.inf
    text: str | None = None
    knob: bool = True  # may be turned
    material: bool = True  # a temperature that material has
    assumed: bool = False
    context: str = ""
    counted: bool = True  # among the assumed ones, if it is one
    about: About = About.UNIT  # whose input it is: a feed's, a unit's, a reaction's or the project's own

    @property
    def place(self) -> Place:
        """The Place at which messages about it stand."""
        return Place.read(self.address, self.about)
