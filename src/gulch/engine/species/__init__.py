"""Species: what the databank knows of them, and where each datum comes from."""

from gulch.engine.species.databank import SpeciesError, lookup
from gulch.engine.species.records import Datum, Species
from gulch.engine.species.search import find, resolve_name

__all__ = ["Datum", "Species", "SpeciesError", "find", "lookup", "resolve_name"]
