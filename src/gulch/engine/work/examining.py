"""Whether a project file can be read and shown."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from gulch.engine.document import DocumentError, Project, loads
from gulch.engine.explain.checks import check
from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import addresses
from gulch.engine.project.variants import applied

log = logging.getLogger("gulch")


def look_at(project: Project) -> None:
    """Read of a Project, for its own sake, what every page reads of it: whatever cannot be read raises here."""
    addresses(project)
    readings(project)
    check(project)


def examined(project: Project) -> Project:
    """A Project that pages can show in all its variants. Raises DocumentError with the reason where they cannot."""
    for variant in (None, *project.variants):
        where = f"The variant “{variant.name}”: " if variant else ""
        try:
            look_at(applied(project, variant) if variant else project)
        except DocumentError as error:
            raise DocumentError(f"{where}{error}") from None
        except Exception as error:
            log.exception("a document cannot be shown")
            raise DocumentError(f"{where}Gulch can read this file but not show it ({type(error).__name__}).") from None
    if project.working and project.variant(project.working) is None:
        raise DocumentError(f"It works on the variant {project.working}, which it does not hold.")
    return project


@dataclass(frozen=True)
class Examine:
    """Read a project file and examine it: what one file may hold takes seconds. Answers (True, "") or (False, a sentence)."""

    text: bytes

    @property
    def digest(self) -> str:
        """Names the file."""
        return sha256(self.text).hexdigest()

    def perform(self, watch: Any, shelf: Any) -> tuple[bool, str]:
        """Read it."""
        try:
            examined(loads(self.text))
        except DocumentError as error:
            return False, str(error)
        return True, ""
