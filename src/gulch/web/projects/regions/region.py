"""What all regions have in common."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace


class Region:
    """A region of the page. What the Workspace knows it knows too; what other regions do it asks for by their name."""

    def __init__(self, space: Workspace) -> None:
        self.space = space

    def __getattr__(self, name: Any) -> Any:
        return getattr(self.space, name)
