"""Species: what the databank knows of them, and where each datum comes from."""

from gulch.engine.species.databank import SpeciesError
from gulch.engine.species.own import lacking, lookup, shortcomings, told_shortcomings
from gulch.engine.species.records import Datum, Species
from gulch.engine.species.search import find, resolve_name

__all__ = ["Datum", "Species", "SpeciesError", "find", "lacking", "lookup", "resolve_name", "shortcomings", "told_shortcomings"]
