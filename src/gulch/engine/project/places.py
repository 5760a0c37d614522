"""Where a message stands: what kind of thing it is about, which one, and which of its fields."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property, partial
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from gulch.engine.document import Project


class About(StrEnum):
    """What a message is about."""

    PROJECT = ""
    STREAM = "stream"
    UNIT = "unit"
    REACTION = "reaction"
    SET = "set"
    NUMBER = "number"
    SPECIES = "species"
    KNOB = "knob"
    GAUGE = "gauge"
    TIE = "tie"  # its id is the address that it sets
    TARGET = "target"
    TEAR = "open"  # its id is the stream's
    LOOP = "loop"  # its id is its number
    SCAN = "scan"
    SEARCH = "search"
    VARIANT = "variant"
    CHEMISTRY = "chemistry"
    PHASE_MODEL = "phase_model"
    MEASURES = "measures"
    PROCESS = "process"
    CLOSING = "closing"
    SIZING = "sizing"
    PRICES = "prices"


PLAIN = (About.STREAM, About.UNIT, About.REACTION, About.SET, About.NUMBER)  # written by their ids alone


@dataclass(frozen=True)
class Place:
    """Where a message stands. As text it is an address: `R1.temperature`, `gauge.purity`, `tie.feed.flow.water`."""

    about: About
    id: str = ""
    field: str = ""

    def __str__(self) -> str:
        """The address.

        >>> str(Place(About.UNIT, "R1", "temperature")), str(Place(About.GAUGE, "purity"))
        ('R1.temperature', 'gauge.purity')
        """
        return self._text

    @cached_property
    def _text(self) -> str:
        return ".".join(part for part in ("" if self.about in PLAIN else self.about.value, self.id, self.field) if part)

    @classmethod
    def read(cls, text: str, about: About) -> Place:
        """The Place that an address is the text of, of something that is known.

        >>> Place.read("feed.flow.water", About.STREAM).field
        'flow.water'
        """
        if about not in PLAIN:
            text = text.removeprefix(about.value).removeprefix(".")
        if about in (About.TIE, About.PROJECT):
            return cls(about, text)
        if about in (About.CLOSING, About.SIZING, About.PRICES):
            return cls(about, "", text)
        id_, _, field = text.partition(".")
        return cls(about, id_, field)

    @classmethod
    def of(cls, project: Project, text: str) -> Place:
        """The Place that an address is the text of in a document; the project itself where nothing answers to it."""
        head = text.partition(".")[0]
        for about, found in (
            (About.STREAM, project.stream),
            (About.UNIT, project.unit),
            (About.REACTION, project.reaction),
            (About.NUMBER, project.number),
        ):
            if found(head) is not None:
                return cls.read(text, about)
        return cls.read(text, _by_prefix(head))


def _by_prefix(head: str) -> About:
    return next((a for a in About if a not in PLAIN and a.value == head), About.PROJECT)


def stored(text: str, about: str | None) -> Place:
    """The Place of a stored message; `about` is None in older ones, which did not say it and wrote a loop as "loop-1"."""
    if about is None:
        text = re.sub(r"^loop-", "loop.", text)
        about = _by_prefix(text.partition(".")[0]) or (About.UNIT if text else About.PROJECT)
    return Place.read(text, About(about))


WHOLE = Place(About.PROJECT)
PRICES = Place(About.PRICES)
at_stream, at_unit, at_reaction, at_set, at_number, at_species, at_knob, at_gauge, at_tie, at_target, at_tear, at_loop, at_variant = (
    partial(Place, about)
    for about in (
        About.STREAM,
        About.UNIT,
        About.REACTION,
        About.SET,
        About.NUMBER,
        About.SPECIES,
        About.KNOB,
        About.GAUGE,
        About.TIE,
        About.TARGET,
        About.TEAR,
        About.LOOP,
        About.VARIANT,
    )
)
