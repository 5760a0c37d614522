"""Variants: the base and its differences side by side."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.project.places import About
from gulch.web.projects.stages import Stage
from gulch.web.variants import actions  # noqa: F401  (registers the edits)
from gulch.web.variants.answers import solved_variants
from gulch.web.variants.presenter import VariantsPage

if TYPE_CHECKING:
    from gulch.web.projects.workspace import Workspace
    from gulch.web.sessions import SessionStore
    from gulch.web.variants.answers import VariantAnswer


class Variants(Stage):
    name, label, template = "variants", "Variants", "workspace/_variants.html"
    about = frozenset({About.VARIANT})
    styles = ("variants",)

    def ask(self, space: Workspace) -> dict[str, VariantAnswer]:
        return solved_variants(space)

    def context(self, space: Workspace, session: SessionStore, answers: dict[str, VariantAnswer]) -> dict[str, VariantsPage]:
        return {"page": VariantsPage(space, answers, session.get(f"compare-{space.row.pk}", ""))}


STAGE = Variants()
