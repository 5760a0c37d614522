"""Variants: the base and its differences side by side."""

from gulch.engine.project.places import About
from gulch.web.projects.stages import Stage
from gulch.web.variants import actions  # noqa: F401  (registers the edits)
from gulch.web.variants.answers import solved_variants
from gulch.web.variants.presenter import VariantsPage


class Variants(Stage):
    name, label, template = "variants", "Variants", "workspace/_variants.html"
    about = frozenset({About.VARIANT})
    styles = ("variants",)

    def ask(self, space):
        return solved_variants(space)

    def context(self, space, session, answers):
        return {"page": VariantsPage(space, answers, session.get(f"compare-{space.row.pk}", ""))}


STAGE = Variants()
