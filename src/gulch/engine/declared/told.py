"""What units say: troubles, notes with their cures, doubts with how far they are."""

from __future__ import annotations

from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from gulch.engine.quantities import Worded


class UnitTrouble(ValueError):
    """A unit that cannot be computed: `what` (text, or Worded) is wrong and what to do, as sentences; `field` to mend."""

    def __init__(self, what: Worded | str, todo: str = "", field: str = "") -> None:
        super().__init__(str(what))
        self.what, self.todo, self.field = what, todo, field


class Code(StrEnum):
    """What a message is about, where something else hangs on it; most are doubts about the figures."""

    NONE = ""
    BEYOND_DATA = "beyond-data"  # a temperature outside the heat-capacity data
    BEYOND_BELIEF = "beyond-belief"  # a constant outside the temperatures at which it is believed
    WRONG_PHASE = "wrong-phase"  # a reactor that is counted as one phase holds another
    FURTHER_PHASE = "further-phase"  # more phases than were found
    NEAR_CRITICAL = "near-critical"  # a liquid that hardly differs from its vapour, or whose species are near their critical points
    UPHILL = "uphill"  # a pressure that nothing brings about


class Cure(NamedTuple):
    """One press that mends what is doubted of a unit. words: on its button; way: an edit of `project/cures`.

    kind: of the unit that is put in; field: the input whose text says its outlet pressure.
    """

    words: str
    way: str
    kind: str
    field: str


class Note(NamedTuple):
    """What a unit's solve remarks: level as of a message, a sentence, what to do, what it is about, and what would mend it."""

    level: str
    what: str
    todo: str
    code: Code = Code.NONE
    cure: Cure | None = None


class Room(NamedTuple):
    """How far a result is from a doubt: the distance is negative under it and smooth where it is zero, so that searches can go along it.

    holds: what is true while there is room, as words: “gas in the reactor”.
    """

    code: Code
    holds: str
    distance: float
    dimension: str = "temperature difference"
