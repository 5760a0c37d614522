"""Tears and their guesses, and values that are taken over."""

from __future__ import annotations

import re
from typing import Any, Literal

from gulch.engine.declared.declarations import Choice
from gulch.engine.document import Project, TearEntry, set_value
from gulch.engine.project.assumed import assumed
from gulch.engine.project.edit.whole import EditError, need_stream
from gulch.engine.project.inputs import address_of, write
from gulch.engine.quantities import QuantityError, complete, parse
from gulch.engine.quantities import write as write_quantity
from gulch.engine.units import KINDS


def take_assumed(project: Project, id_: str, taken: dict[str, Any], address: str | None = None) -> list[str]:
    """Write what a unit or feed assumes into the document, one address or all of them; returns the labels of what was taken.

    taken: what the last solve took from the context, {input name: value in SI, or a choice}.
    """
    done = []
    for a in assumed(project, id_):
        if address not in (None, a.address):
            continue
        text = a.text
        if text is None:
            name = a.address.partition(".")[2]
            value = taken.get(name)
            if value is None:
                continue  # not known before the unit has solved
            found = address_of(project, a.address)
            text = value if found is None else write_quantity(value, found.dimension, project.display)
        choice = _choice_at(project, a.address)
        if choice is not None:
            set_value(project.unit(id_), choice, text)
        else:
            write(project, a.address, text)
        done.append(a.label)
    return done


def _choice_at(project: Project, address: str) -> Choice | None:
    head, _, name = address.partition(".")
    unit = project.unit(head)
    return next((d for d in KINDS[unit.kind].declared(Choice) if d.name == name), None) if unit else None


def tear_of(project: Project, stream_id: str) -> TearEntry:
    """The TearEntry of a stream, made where there is none."""
    need_stream(project, stream_id)
    found = project.tear(stream_id)
    if found is None:
        project.tears = [*project.tears, TearEntry(stream=stream_id)]
        found = project.tears[-1]
    return found


def choose_state(project: Project, stream_id: str, state: Literal["any", "hottest", "coldest", "nearest"], near: str = "") -> None:
    """Let a loop run in the hottest, the coldest, or at `stream_id` the nearest of its steady states; "any": in the one that is found.

    Raises EditError.
    """
    for tear in project.tears:
        if tear.stream == stream_id and state == "any":
            tear.chosen = tear.chosen and tear.state == "any"
            tear.state, tear.near = "any", None
    if state != "any":
        tear = tear_of(project, stream_id)
        if state == "nearest":
            try:
                parse(near, "temperature")
            except QuantityError as error:
                raise EditError(f"The state is chosen by a temperature, for example 500 °C: {error}") from None
        tear.state, tear.near, tear.chosen = state, near if state == "nearest" else None, True  # the choice is one at this very stream
    tidy_tears(project)


MOST_PASTED = 6000  # characters


def tidy_tears(project: Project) -> None:
    """Drop entries that say nothing."""
    project.tears = [t for t in project.tears if t.chosen or t.open or t.flow or t.state != "any"]


def guess_lines(project: Project, text: str) -> tuple:
    """(temperature, pressure, {species: flow}) of a pasted guess, a name and a quantity to the line. Raises EditError."""
    names = {}
    for s in project.species:
        names |= {s.id.lower(): s.id, s.shown.lower(): s.id}
    temperature = pressure = None
    flow = {}
    if len(text) > MOST_PASTED:
        raise EditError(f"The pasted guess is longer than {MOST_PASTED} characters: one line to the species is enough.")
    for line in re.split(r"[\n;]+", text):
        line = " ".join(line.replace("\t", " ").split()).strip()
        if not line:
            continue
        match = re.fullmatch(r"(.*?)[ :=]+([+\-−]?[\d.,].*)", line[:200])
        word = match[1].strip().lower() if match else ""
        if match and word in names:
            dimension = "molar flow"
        elif match and word in ("temperature", "t"):
            dimension = "temperature"
        elif match and word in ("pressure", "p"):
            dimension = "pressure"
        else:
            raise EditError(f"“{line[:60]}” is no line of a guess: write a species, temperature or pressure and its value.")
        value = complete(match[2].strip(), dimension, project.display)
        try:
            parse(value, dimension)
        except QuantityError as error:
            raise EditError(f"“{line[:60]}”: {error}") from None
        if dimension == "temperature":
            temperature = value
        elif dimension == "pressure":
            pressure = value
        else:
            flow[names[word]] = value
    if not flow:
        raise EditError("The guess holds no flow: write for example “ethylene 700 kmol/h”, one species to the line.")
    return temperature, pressure, flow
