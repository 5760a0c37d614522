"""Numbers as they are typed: a bare one takes the unit shown, and a share that may have been meant as a fraction is asked about.

A place is where a typed number stands in the document: the address of an input, or `knob.ID.low`, `gauge.ID.at_least`,
`target.ID.value`, `scan.ID.low`, `search.ID.low.KNOB`, `sizing.target`, `tie.ADDRESS`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.project.inputs import address_of, write
from gulch.engine.project.messages import Message
from gulch.engine.project.places import Place
from gulch.engine.quantities import QuantityError, complete, split_text

if TYPE_CHECKING:
    from gulch.engine.document import Project

KEEP, ALWAYS_SHARE, ALWAYS_PERCENT = "keep", "always fraction", "always per cent"
LIMITS = {"low": "low end", "high": "high end", "at_least": "lower limit", "at_most": "upper limit", "value": "value"}


@dataclass(frozen=True)
class TypedText:
    """One typed number: words for it, how it reads now, and a function that writes it."""

    label: str
    text: str | None
    write: Callable


def typed_text(project: Project, place: str) -> TypedText | None:
    """The TypedText at an address, or None where nothing stands now."""
    head, _, rest = place.partition(".")
    if head == "tie":
        tie = project.tie(rest)
        if tie is None:
            return None
        bare = tie.formula.replace("[", " ").replace("]", "")
        return TypedText(f"The tie on {rest}", bare, lambda text: setattr(tie, "formula", _in_brackets(text)))
    if head in ("knob", "gauge", "target", "scan"):
        id_, _, field = rest.rpartition(".")
        entry = getattr(project, head)(id_)
        holder = entry
        if entry is not None and head == "scan":
            second, field = field.endswith("2"), field.removesuffix("2")
            holder = entry.over[-1] if second else entry.over[0]
        if field not in LIMITS or not hasattr(holder, field):
            return None  # a place that a file made up
        label = getattr(entry, "label", None) or id_
        return TypedText(f"The {LIMITS[field]} of {head} {label}", getattr(holder, field), lambda text: setattr(holder, field, text))
    if head == "search":
        return _typed_range(project, *rest.split("."))
    if head == "sizing" and hasattr(project.sizing, rest):
        return TypedText(f"The {rest} of the sizing", getattr(project.sizing, rest), lambda text: setattr(project.sizing, rest, text))
    if head == "region" and hasattr(project.region, rest):
        return TypedText(f"The {rest} of the region", getattr(project.region, rest), lambda text: setattr(project.region, rest, text))
    found = address_of(project, place)
    return None if found is None else TypedText(found.label, found.text, lambda text: write(project, place, text))


def _in_brackets(text: str) -> str:
    number, unit = split_text(text)
    return f"{number:.10g}[{unit}]"


def _typed_range(project: Any, id_: Any = "", field: Any = "", knob: Any = "", *more: Any) -> Any:
    """The end of the range over which a search turns a knob."""
    entry = project.search(id_)
    turned = next((t for t in entry.over if t.knob == knob), None) if entry is not None else None
    if turned is None or field not in ("low", "high") or more:
        return None
    return TypedText(f"The {LIMITS[field]} of {knob} in search {id_}", getattr(turned, field), lambda text: setattr(turned, field, text))


def typed(project: Project, place: str, text: str, dimension: str) -> str:
    """The document text of what was typed at a place. A bare number is taken in the unit shown.

    A bare share above 0 and up to 1 may have been meant as a fraction: it is remembered as doubtful until the user
    answers, or read as the project's kept answer says.
    """
    full = complete(text, dimension, project.display)
    doubts = [p for p in project.doubtful if p != place]
    if dimension == "fraction" and may_be_fraction(text):
        if project.bare_shares == "fraction":
            full = as_fraction(text)
        elif project.bare_shares == "ask":
            doubts.append(place)
    project.doubtful = doubts
    return full


def typed_tie(project: Project, address: str, formula: str, dimension: str) -> str:
    """A tie's formula as typed; one that is a bare number on a share takes the unit shown, as in any field."""
    try:
        bare = not split_text(formula)[1]
    except QuantityError:
        bare = False
    if dimension != "fraction" or not bare:
        project.doubtful = [p for p in project.doubtful if p != f"tie.{address}"]
        return formula
    return _in_brackets(typed(project, f"tie.{address}", formula, dimension))


def may_be_fraction(text: str) -> bool:
    """Whether a typed share has no unit and lies above 0 and up to 1.

    >>> may_be_fraction("0.28"), may_be_fraction("0.28 %"), may_be_fraction("28")
    (True, False, False)
    """
    try:
        number, unit = split_text(text)
    except QuantityError:
        return False
    return not unit and 0.0 < number <= 1.0


def as_fraction(text: str) -> str:
    """Per cent of a number that was meant as a fraction.

    >>> as_fraction("0.28")
    '28 %'
    """
    return f"{100.0 * split_text(text)[0]:.10g} %"


def doubts(project: Project) -> Iterator:
    """Questions about shares typed without a unit that may have been meant as fractions."""
    for place in project.doubtful:
        found = typed_text(project, place)
        if found is None or not found.text:
            continue
        try:
            number, unit = split_text(found.text)
        except QuantityError:
            continue
        if unit != "%" or not 0.0 < number <= 1.0:
            continue
        meant, now = f"{100.0 * number:.10g} %", f"{number:.10g} %"
        yield Message(
            "question",
            Place.of(project, place),
            f"{found.label} was typed as {number:.10g} without a unit and is taken as {now}. Was {meant} meant?",
            "Answer here, or type it with its unit.",
            [
                [meant, meant],
                [f"keep {now}", KEEP],
                [f"{meant}, and so for every bare number here", ALWAYS_SHARE],
                [f"{now}, and so for every bare number here", ALWAYS_PERCENT],
            ],
        )


def answer(project: Project, place: str, value: str) -> str:
    """Settle a doubtful share; returns words for the history. A kept answer settles every other one alike."""
    if value in (ALWAYS_SHARE, ALWAYS_PERCENT):
        project.bare_shares = "fraction" if value == ALWAYS_SHARE else "per cent"
        settled = list(project.doubtful)
    else:
        settled = [place]
    for p in settled:
        found = typed_text(project, p)
        reaction = project.reaction(p.removesuffix(".conversion")) if p.endswith(".conversion") else None
        if reaction is not None and reaction.conversion is not None:
            reaction.conversion.meant = True  # small conversions are asked about however they are typed
        if found is None or not found.text or value in (KEEP, ALWAYS_PERCENT):
            continue
        found.write(as_fraction(found.text.split("%")[0].strip()))
    project.doubtful = [p for p in project.doubtful if p not in settled]
    last = typed_text(project, place)
    return f"Settle {last.label[:1].lower() + last.label[1:]} as {last.text}" if last else f"Settle {place}"
