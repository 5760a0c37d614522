"""Gathers and keeps all that is known of species: a process of its own, which ends and takes the databank's tables with it.

`python -m gulch.engine.phases.gathering CAS ...`.
"""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterable

from gulch.engine.compiling import taking
from gulch.engine.phases.known_liquids import known_density
from gulch.engine.phases.model import PhaseModel
from gulch.engine.phases.pairs.by_kij_groups import interactions
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.databank import condensed, known
from gulch.engine.species.kept import UNKNOWN, kept_under

KINDS = ("ideal", "peng-robinson", "unifac", "modified-unifac", "predictive-srk")  # between them they ask for everything


def gather(species: Iterable[str]) -> None:
    """Ask for what projects may ask of species of the databank, by their CAS numbers."""
    interactions()
    for cas in species:
        try:
            known(cas)
        except SpeciesError:
            kept_under(cas, UNKNOWN, lambda: True)
            continue
        for kind in KINDS:
            with contextlib.suppress(SpeciesError):
                PhaseModel(kind, (lookup(cas),))
        with contextlib.suppress(SpeciesError):
            known_density(lookup(cas))
            condensed(cas)


if __name__ == "__main__":
    sys.modules.setdefault("CoolProp", None)  # type: ignore[arg-type]  # what no value is taken from takes 5 s to load where it is installed
    taking.stay_plain()
    gather(sys.argv[1:])
