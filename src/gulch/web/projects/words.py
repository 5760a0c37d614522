"""Numbers and texts as pages show them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.declarations import ReactionSet
from gulch.engine.document import value_of
from gulch.engine.project.inputs import addresses
from gulch.engine.quantities import (
    DISPLAY_SETS,
    QuantityError,
    format_number,
    parse,
    pretty_unit,
    show,
    split_text,
    to_unit,
)
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.engine.flowsheet.solution import LoopOutcome
    from gulch.engine.project.inputs import Address


SLIDER_STEPS = 1000


def is_held(key: tuple) -> bool:
    """Whether a species stays in the liquid, whatever it is heated to."""
    try:
        return lookup(*key).non_volatile
    except SpeciesError:
        return False


def brief(text: str, letters: int) -> str:
    """A name in so many letters, cut between its words; a word that is longer stays whole."""
    words = text.split()
    if len(text) <= letters or len(words) < 2:
        return text
    kept = words[:1]
    for word in words[1:]:
        if len(" ".join([*kept, word])) + 2 > letters:
            break
        kept.append(word)
    while len(kept) > 1 and kept[-1].lower() in LITTLE:
        kept.pop()
    return " ".join(kept) + " …"


LITTLE = ("of", "in", "the", "a", "at", "to", "and")  # no name ends with them


def sentence(text: str) -> str:
    return text[:1].upper() + text[1:] + "."


def set_reading(document: Project, set_id: str) -> str:
    """A reaction set in words."""
    chosen = document.set(set_id)
    if chosen is None or not chosen.steps:
        return "No reaction runs."
    parts = []
    for i, step in enumerate(chosen.steps):
        names = " and ".join(step) if len(step) < 3 else ", ".join(step[:-1]) + " and " + step[-1]
        on = "on what enters" if i == 0 else "on what is left"
        who = f"reaction{'s' if len(step) > 1 else ''} {names}"
        parts.append(f"{who} {'act together' if len(step) > 1 else 'acts'} {on}")
    return sentence(", then ".join(parts))


def unit_reading(document: Project, unit: Any) -> str:
    """How a reactor runs its set, in words; '' where it has none."""
    for d in KINDS[unit.kind].inputs():
        if isinstance(d, ReactionSet) and value_of(unit, d) and not d.optional:
            whole = "All reactions of the set act together, whatever their steps."
            return set_reading(document, value_of(unit, d)) if d.steps else whole
    return ""


def gain_words(loop: LoopOutcome) -> str:
    """The loop gain in words."""
    if loop.gain is None:
        return "Nothing of a disturbance comes back, so one pass is enough."
    g = loop.gain
    if abs(g) >= 1.0:
        return (
            f"{100 * abs(g):.4g} % of a disturbance comes back after one pass: by itself the loop cannot settle."
            if not loop.settled
            else f"{100 * abs(g):.4g} % of a disturbance comes back after one pass: only acceleration holds it."
        )
    plain = math.ceil(math.log(1e-9) / math.log(max(abs(g), 1e-9))) if abs(g) > 0 else 1
    return (
        f"{100 * abs(g):.3g} % of a disturbance comes back after one pass; "
        f"passing by itself would take {f'about {max(plain, 1)}' if plain < 10_000 else 'more than 10 000'} passes, "
        f"this took {loop.passes}."
    )


def show_unit(dimension: str, display: str) -> str:
    return pretty_unit(DISPLAY_SETS[display].unit(dimension))


def power_text(ln: float | None, digits: int = 4) -> str:
    """exp(ln) as text, whatever its size."""
    if ln is None:
        return "–"
    return format_number(math.exp(ln), digits) if abs(ln) < 600 else f"10^{ln / math.log(10):.0f}"


def pretty_text(text: str) -> str:
    """Document text as shown in a field; it reads back the same."""
    return text.replace("degC", "°C").replace("degF", "°F").replace("degR", "°R")


def in_unit(text: str, dimension: str, display: str) -> str:
    """Document text as it stands on cards and on the map: as typed, but a bare share in the unit in which shares are shown."""
    try:
        value, unit = split_text(text)
        return show(value, dimension, display) if dimension == "fraction" and not unit else pretty_text(text)
    except QuantityError:
        return pretty_text(text)


def cell_text(value: float, dimension: str) -> str:
    """A ledger cell: one decimal for temperatures, four figures else."""
    if value is None:
        return "–"
    if dimension == "temperature":
        return f"{value:.1f}".replace("-", "−")
    if abs(value) < 5e-7:
        return "0"
    return format_number(value)


def field_text(address: Address) -> str:
    """The text of an input's field; a file's bare fraction is shown in per cent, as the field is."""
    text = address.text or ""
    try:
        number, unit = split_text(text)
    except QuantityError:  # said at the field
        return pretty_text(text)
    return f"{100 * number:.10g} %" if address.dimension == "fraction" and not unit else pretty_text(text)


def slider_text(document: Project, knob_id: str, position: int) -> tuple:
    """(address, document text, SI value) of a knob at a slider position 0 … SLIDER_STEPS. Raises QuantityError."""
    knob = document.knob(knob_id)
    inputs = addresses(document)
    if knob is None or knob.input not in inputs:
        raise QuantityError("The knob is gone: reload the page.")
    a = inputs[knob.input]
    unit = DISPLAY_SETS[document.display].unit(a.dimension)
    low, high = (to_unit(parse(t, a.dimension), unit, a.dimension) for t in (knob.low, knob.high))
    at = low + (high - low) * min(max(position, 0), SLIDER_STEPS) / SLIDER_STEPS
    places = max(0, 2 - math.floor(math.log10(abs(high - low)))) if high != low else 3
    text = f"{at:.{places}f}" + ("" if unit == "1" else f" {unit}")
    return knob.input, text, parse(text, a.dimension)


def letter(number: int) -> str:
    """What the loop of a number, from 1, is called."""
    return chr(ord("A") + number - 1) if number <= 26 else str(number)
