"""What the parts of the chemistry page have in common."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gulch.web.chemistry.presenter import ChemistryPage


class Part:
    """A part of the page. What the ChemistryPage knows it knows too; what other parts do it asks for by their name."""

    def __init__(self, page: ChemistryPage) -> None:
        self.page = page

    def __getattr__(self, name: Any) -> Any:
        return getattr(self.page, name)
