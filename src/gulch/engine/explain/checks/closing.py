"""Knobs, gauges, ties, targets and what is typed for loops."""

from __future__ import annotations

from collections.abc import Generator, Iterator
from typing import TYPE_CHECKING

from gulch.engine.flowsheet.graph import reaches
from gulch.engine.project.couplings import circles, names, own_reading, read_target, read_tie, readings
from gulch.engine.project.inputs import addresses, twins
from gulch.engine.project.messages import Message
from gulch.engine.project.places import About, Place, at_gauge, at_knob, at_target, at_tear, at_tie
from gulch.engine.project.reading import number
from gulch.engine.quantities import QuantityError, parse

if TYPE_CHECKING:
    from gulch.engine.document import Project


def knobs_and_gauges(project: Project) -> Iterator:
    """Knobs turn inputs that are there, inside their bounds; gauges read results that are there."""
    inputs = addresses(project)
    outputs = readings(project)
    for k in project.knobs:
        if k.input not in inputs:
            yield Message(
                "warning",
                at_knob(k.id),
                f"Knob {k.id} turns {k.input}, which is not an input now.",
                "Remove the knob.",
            )
            continue
        try:
            low, high = (parse(v, inputs[k.input].dimension) for v in (k.low, k.high))
        except QuantityError as error:
            yield Message("error", at_knob(k.id), f"Range of knob {k.id}: {error}", "Type it again.")
            continue
        if not low < high:
            yield Message("error", at_knob(k.id), f"Knob {k.id} has its low end at or above its high end.", "Exchange them.")
    for g in project.gauges:
        if g.formula and g.reads not in outputs:
            try:
                own_reading(project, g)
            except QuantityError as error:
                yield Message("error", at_gauge(g.id), str(error), "Mend the formula, or remove the gauge.")
            continue
        if g.reads not in outputs:
            yield Message(
                "warning",
                at_gauge(g.id),
                f"Gauge {g.id} reads {g.reads}, which is not a result now.",
                "Remove the gauge.",
            )
            continue
        for limit in (g.at_least, g.at_most):
            if limit is not None:
                try:
                    parse(limit, outputs[g.reads].dimension)
                except QuantityError as error:
                    yield Message("error", at_gauge(g.id), f"Limit of gauge {g.id}: {error}", "Type it again.")


def closing(project: Project) -> Iterator:
    """Limits of the loops' search."""
    try:
        if not 1e-13 <= number(project.closing.tolerance, "The tolerance") <= 1e-2:
            yield Message(
                "error",
                Place(About.CLOSING, field="tolerance"),
                f"The tolerance {project.closing.tolerance} is not between 1e-13 and 0.01.",
                "Type for example 1e-9 in Loops.",
            )
    except QuantityError as error:
        yield Message(
            "error",
            Place(About.CLOSING, field="tolerance"),
            f"The tolerance of the loops: {error}",
            "Type for example 1e-9 in Loops.",
        )


def couplings(project: Project) -> Iterator:
    """Ties and targets: each can be read, sets an input of its own, and reaches what it is about."""
    ties = yield from sound_ties(project)
    yield from sound_targets(project, ties)


def sound_ties(project: Project) -> Generator[Message, None, list]:
    """To-do lines on ties; returns the Ties that stand."""
    setters = {}
    known = names(project) if project.ties else None
    for entry in project.ties:
        where = at_tie(entry.sets)
        try:
            tie = read_tie(entry, project, known)
        except QuantityError as error:
            yield Message("error", where, str(error), "Mend the tie in Loops, or remove it.")
            continue
        if entry.sets in setters:
            yield Message("error", where, f"Two ties set {tie.label}.", "Remove one of them.")
            continue
        if entry.sets in tie.reads:
            yield Message(
                "error",
                where,
                f"The tie on {tie.label} reads the very input that it sets.",
                "Take it out of the formula.",
            )
            continue
        setters[entry.sets] = tie
    for circle in circles(list(setters.values())):
        around = " → ".join([*circle, circle[0]])
        yield Message(
            "error", at_tie(circle[0]), f"These ties set each other in a circle: {around}.", "Give one of these inputs a value of its own."
        )
    return list(setters.values())


def sound_targets(project: Project, ties: list) -> Iterator:
    """To-do lines on targets."""
    same = {a: other for a, (other, _) in twins(project).items()}
    setters = {a for t in ties for a in (t.address, same.get(t.address))}
    turned, read_by = {}, {}
    for entry in project.targets:
        where = at_target(entry.id)
        if not entry.on:
            continue
        try:
            target = read_target(entry, project)
        except QuantityError as error:
            yield Message("error", where, str(error), "Mend the target in Loops, switch it off, or remove it.")
            continue
        if target.address in setters:
            yield Message(
                "error",
                where,
                f"The target on {target.gauge_label} and a tie both set {target.knob_label} ({target.address}).",
                "Remove the tie, or give the target another knob.",
            )
        elif other := turned.get(target.address) or turned.get(same.get(target.address, "")):
            yield Message(
                "error",
                where,
                f"The targets on {other} and {target.gauge_label} turn the same input, {target.address}.",
                "Give one of them another knob, or switch it off.",
            )
        elif target.reads in read_by:
            yield Message("error", where, f"Two targets ask {target.gauge_label} to read a value.", "Switch one of them off.")
        elif not any(reaches(project, target.address, a, ties) for a in target.parts):
            yield Message(
                "error",
                where,
                f"Turning {target.knob_label} cannot change {target.gauge_label}: nothing leads from {target.address} to {target.reads}.",
                "Choose a knob upstream of the gauge, or inside its loop.",
            )
        turned[target.address], read_by[target.reads] = target.gauge_label, target


def tears(project: Project) -> Iterator:
    """Guesses and choices about torn streams."""
    species = {s.id for s in project.species}
    for tear in project.tears:
        where = at_tear(tear.stream)
        stream = project.stream(tear.stream)
        if stream is None or stream.source is None or stream.to is None:
            yield Message(
                "warning", where, f"{tear.stream} is to be cut or guessed, but it is no stream between units now.", "Remove this in Loops."
            )
            continue
        try:
            flows = [parse(v, "molar flow") for s, v in tear.flow.items() if s in species and v]
            for text, dimension in ((tear.temperature, "temperature"), (tear.pressure, "pressure")):
                if text and parse(text, dimension) <= 0.0:
                    raise QuantityError(f"the {dimension} {text} is not above zero.")
        except QuantityError as error:
            yield Message("error", where, f"The guess of {tear.stream}: {error}", "Type it again in Loops.")
            continue
        try:
            near = parse(tear.near, "temperature") if tear.near else None
            if tear.state == "nearest" and (near is None or near <= 0.0):
                raise QuantityError("no temperature is given to which it is nearest.")
        except QuantityError as error:
            yield Message("error", where, f"The steady state chosen at {tear.stream}: {error}", "Choose it again in Loops.")
            continue
        if any(f < 0.0 for f in flows):
            yield Message(
                "error",
                where,
                f"The guess of {tear.stream} holds a negative flow.",
                "Type a flow of zero or more in Loops.",
            )
        elif tear.open and not any(f > 0.0 for f in flows):
            yield Message(
                "error",
                where,
                f"The loop is to be open at {tear.stream}, but its guess carries nothing.",
                "Type a guess in Loops, or close the loop.",
            )
