"""Parameters of pairs of species: sources, each with its name, its paper and its range, asked in order."""

from gulch.engine.phases.pairs.cubic import CUBIC
from gulch.engine.phases.pairs.dissolved import DISSOLVED
from gulch.engine.phases.pairs.liquids import LIQUIDS
from gulch.engine.phases.pairs.source import Pair, Source, asked

SOURCES = {"k_ij of cubic equations": CUBIC, "Henry's constants": DISSOLVED, "NRTL and Wilson": LIQUIDS}

__all__ = ["CUBIC", "DISSOLVED", "LIQUIDS", "SOURCES", "Pair", "Source", "asked"]
