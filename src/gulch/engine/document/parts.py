"""What every part of a document is made of."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from gulch.engine.references import OnLoss, Ref, Thing

FORMAT, VERSION = "gulch-project", 1
MAX_BYTES = 2_000_000
MOST_NESTED = 40
_ID = r"^[A-Za-z][A-Za-z0-9_\-]{0,39}$"
Id = Annotated[str, Field(pattern=_ID, description="letters, digits, _ and -, beginning with a letter")]
Points = Annotated[str, Field(max_length=2000)]
SpeciesId = Annotated[str, Ref(Thing.SPECIES)]
SpeciesNamed = Annotated[str, Ref(Thing.SPECIES, OnLoss.KEEP)]  # where a species that is gone has to be named
ReactionId = Annotated[str, Ref(Thing.REACTION)]
Quantity = Annotated[str, Field(max_length=80, description='a number with its unit as typed, for example "2.4 bar"')]


class DocumentError(ValueError):
    """A file or text that is no project; the message is a sentence for the user."""


class Part(BaseModel):
    model_config = ConfigDict(extra="forbid", validate_assignment=True, populate_by_name=True, defer_build=True)


Bare = Annotated[str, Field(max_length=40)]
