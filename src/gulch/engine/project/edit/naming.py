"""Inputs and results by the words one types for them: a knob or gauge that does not exist yet is made of what they name."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from gulch.engine.project.couplings import readings
from gulch.engine.project.edit.watching import gauge_on, gauge_on_formula, knob_on
from gulch.engine.project.edit.whole import EditError
from gulch.engine.project.inputs import addresses, in_other_measures
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, to_unit

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from gulch.engine.document import GaugeEntry, KnobEntry, Project
    from gulch.engine.project.inputs import Address


LITTLE = {"of", "the", "in", "at", "a", "an"}
MOST_TOLD = 4  # names that a sentence offers


def matching(what: str, entries: Iterable[tuple[str, str, str]]) -> list[tuple[str, str]]:
    """[(address, words)] of entries whose words hold all that is typed, those of knobs and gauges first, then the shortest.

    entries: (address, words, the id of its knob or gauge, or "").
    """
    typed = re.findall(r"\S+", what.lower())
    wanted = [t for t in typed if t not in LITTLE] or typed
    hits = [(a, w, mine) for a, w, mine in entries if all(t in f"{w} {a} {mine}".lower() for t in wanted)]
    return [(a, w) for a, w, _ in sorted(hits, key=lambda h: (not h[2], len(h[1])))]


def turnable(document: Project, what: str = "mass mol") -> dict[str, Address]:
    """{address: Address} of every input; of feeds' flows in their other measure only where words ask for masses or moles."""
    asked = re.search(r"mass|mol", what.lower())
    return addresses(document) | (in_other_measures(document) if asked else {})


def input_entries(document: Project, known: dict[str, Address]) -> Iterator[tuple[str, str, str]]:
    """(address, words, id of its knob or "") of every input. known: `turnable` of the document."""
    knobs = {k.input: k for k in document.knobs}
    for a in known.values():
        knob = knobs.get(a.address)
        yield a.address, f"{knob.label} ({a.label})" if knob and knob.label else a.label, knob.id if knob else ""


def result_entries(document: Project, known: Any) -> Iterator[tuple[str, str, str]]:
    """(address, words, id of its gauge or "") of every result. known: `readings` of the document."""
    gauges = {g.reads: g for g in document.gauges}
    for r in known.values():
        gauge = gauges.get(r.address)
        yield r.address, f"{gauge.label} ({r.label})" if gauge and gauge.label else r.label, gauge.id if gauge else ""


def knob_named(document: Project, what: str) -> KnobEntry:
    """The knob that some words name, by its id, its label, or the words for its input; made where the input is none yet.

    Raises EditError where they name nothing that can be turned, or several things.
    """
    known = turnable(document, what)
    own = [k for k in document.knobs if what in (k.id, k.input) or what.lower() == name_of_knob(k, known).lower()]
    if own:
        return own[0]
    return knob_for(document, known[_only(what, ((a, w, k) for a, w, k in input_entries(document, known) if known[a].knob), "input")])


def is_formula(what: str) -> bool:
    """Whether words are a formula over addresses rather than a name."""
    return bool(re.search(r"[*/+^(]|\s-\s|\d\s*-|-\s*\d", what)) and bool(re.search(r"[\w-]\.[A-Za-z]", what))


def gauge_named(document: Project, what: str) -> GaugeEntry:
    """The gauge that some words name, by its id, its label, or the words for its result; made where the result is none yet.

    A formula over addresses is watched as well. Raises EditError where they name no result, or several.
    """
    known = readings(document)
    own = [g for g in document.gauges if what in (g.id, g.reads) or what.lower() == name_of_gauge(g, known).lower()]
    if not own and is_formula(what):
        return gauge_on_formula(document, what)
    return own[0] if own else gauge_on(document, _only(what, result_entries(document, known), "result"))


def _only(what: str, entries: Iterable[tuple[str, str, str]], kind: str) -> str:
    """The address of the one thing that words name. Raises EditError."""
    rows = list(entries)
    exact = [a for a, w, _ in rows if what.lower() in (w.lower(), a.lower())]
    hits = exact or [a for a, _ in matching(what, rows)] if what.strip() else []
    mine = [a for a in hits if any(a == b and m for b, _, m in rows)]
    for sure in (hits, mine):  # of several things the one that is a knob or gauge already
        if len(sure) == 1:
            return sure[0]
    words = {a: w for a, w, _ in rows}
    if not hits:
        raise EditError(f"“{what[:60]}” names no {kind} of this process: type a part of its name, for example “{_example(rows)}”.")
    told = "; ".join(words[a] for a in hits[:MOST_TOLD])
    more = f" and {len(hits) - MOST_TOLD} more" if len(hits) > MOST_TOLD else ""
    raise EditError(f"“{what[:60]}” may be {told}{more}: type more of its name.")


def _example(rows: list[tuple[str, str, str]]) -> str:
    return min((w for _, w, _ in rows), key=len, default="temperature")


def name_of_knob(knob: KnobEntry, known: dict[str, Address]) -> str:
    """What a knob is called: its label, else its input's words."""
    found = known.get(knob.input)
    return knob.label or (found.label[:1].lower() + found.label[1:] if found else knob.input)


def name_of_gauge(gauge: GaugeEntry, known: Any) -> str:
    """What a gauge is called: its label, else its result's words."""
    return gauge.label or (known[gauge.reads].label if gauge.reads in known else gauge.reads)


def knob_for(document: Project, found: Address) -> KnobEntry:
    """The knob that turns an input, made with a range around its value where there is none. Raises EditError."""
    if not found.knob:
        raise EditError(f"{found.label} cannot be turned.")
    if not found.text:
        raise EditError(f"{found.label} is empty, so there is nothing to turn yet: type a value first, then make it a knob.")
    try:
        now = parse(found.text, found.dimension)
    except QuantityError as error:
        raise EditError(f"Mend the value of {found.label} first. {error}") from None
    unit = DISPLAY_SETS[document.display].unit(found.dimension)
    if found.dimension == "temperature":
        low, high = now - 50.0, now + 50.0
    elif now == 0.0:
        low, high = 0.0, 1.0 if found.high == 1.0 else 100.0
    else:
        low, high = min(0.5 * now, 1.5 * now), max(0.5 * now, 1.5 * now)
    low, high = max(low, found.low), min(high, found.high)
    texts = [f"{to_unit(v, unit, found.dimension):.4g}" + ("" if unit == "1" else f" {unit}") for v in (low, high)]
    return knob_on(document, found.address, *texts)
