"""The piece of the notebook about chemistry: phase model, species, reactions, where data come from and how unsure they are."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.explain.rate_words import rate_words
from gulch.engine.phases import PHASE_MODELS
from gulch.engine.quantities import show
from gulch.engine.species import SpeciesError, lookup
from gulch.web.chemistry.presenter import ChemistryPage
from gulch.web.projects.words import pretty_text

if TYPE_CHECKING:
    from gulch.web.notebook.parts import Section
    from gulch.web.projects.workspace import Workspace


DATA = (("formation_enthalpy", "molar energy"), ("entropy", "molar entropy"))
WORDS = {"formation_enthalpy": "enthalpy of formation", "entropy": "entropy"}
SPREADS = {"constant": "equilibrium constant of", "rate": "rate of", "bought": "price bought of", "sold": "price sold of"}


def chemistry(section: Section, space: Workspace, _: str) -> None:
    """Phase model, species with their data, reactions with what follows, and what is unsure."""
    page = ChemistryPage(space)
    section.empty = "No species yet."
    if not space.document.species:
        return
    section.say(f"Phase model: {PHASE_MODELS[space.document.phase_model.kind][0]}, {page.species.model_meaning()}.")
    _reactions(section, page)
    _species(section, page)
    _sources(section, space)
    _spreads(section, space)


def _reactions(section: Section, page: ChemistryPage) -> None:
    rows, said, entries = [], [], {r.id: r for r in page.document.reactions}
    for c in page.cards.reaction_cards():
        if c.problem:
            rows.append([c.id, f"{c.equation}: {c.problem}", "–", "–", "–", "–"])
            continue
        given = f"{c.value} of {c.key}" if c.value else "–"
        p = c.properties
        rows.append([c.id, c.balanced, p.dh or "–", p.dg or "–", p.own_k or p.k or "–", pretty_text(given)])
        law = rate_words(entries[c.id], page.document)
        said += [f"{c.id}: {text}" for text in (p.no_data, p.own_words, p.sure, law) if text]
    heads = ("Reaction", "equation", "ΔH", "ΔG", "K", "conversion")
    section.table(heads, rows, worded=(1, 5), name="reactions")
    if rows:
        section.say(f"ΔH, ΔG and K at {page.at_shown}, of ideal gases at 1 bar.")
    for text in said:
        section.say(text)


def _species(section: Section, page: ChemistryPage) -> None:
    units, rows = page.species.species_units(), []
    for s in page.species.species_rows():
        if s.problem:
            rows.append([s.shown, s.problem, *["–"] * 7])
        else:
            rows.append([s.shown, s.formula, s.mass, s.tc, s.pc, s.omega, s.tb, s.hf, s.s])
    section.table(
        (
            "Species",
            "formula",
            ("M", units["m"]),
            ("critical T", units["t"]),
            ("critical p", units["p"]),
            "acentric factor",
            ("boils at", units["t"]),
            ("ΔfH°", units["h"]),
            ("S°", units["s"]),
        ),
        rows,
        worded=(1,),
        name="species",
    )


def _sources(section: Section, space: Workspace) -> None:
    """Where the data that heats and constants rest on come from, and between what their sources lie."""
    rows = []
    for s in space.document.species:
        try:
            found = lookup(*s.key)
        except SpeciesError:
            continue
        for field, dimension in DATA:
            datum = getattr(found, field)
            if datum is not None:
                values = [datum.value, *datum.others.values()]
                between = [show(v, dimension, space.display, 5) for v in (min(values), max(values))]
                said = f"{between[0]} to {between[1]}" if between[0] != between[1] else "–"
                rows.append([s.shown, WORDS[field], show(datum.value, dimension, space.display, 5), datum.source, said])
    section.table(("Datum of", "", "value", "source", "sources lie between"), rows, worded=(1, 3, 4), name="sources")
    remarks = [f"{s.shown}: {s.data.remark}" for s in space.document.species if s.data and s.data.remark]
    for text in remarks:
        section.say(text)


def _spreads(section: Section, space: Workspace) -> None:
    rows = []
    for e in space.document.spreads:
        found = space.inputs.get(e.input) if e.input else None
        what = found.label if found else f"{SPREADS.get(e.what, 'input')} {e.reaction or e.species or e.input}"
        rows.append([what, f"± {pretty_text(e.by)}", f"{e.cause}, r {e.correlation:g}" if e.cause else "by itself"])
    section.table(("Not sure", "within", "moves"), rows, worded=(1, 2), name="spreads")
