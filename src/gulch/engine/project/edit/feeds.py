"""Feeds: their basis, air, fractions that are turned or add up to something else than one."""

from __future__ import annotations

import numpy as np

from gulch.engine.document import KnobEntry, Project, source_of
from gulch.engine.project.basis import give_in
from gulch.engine.project.edit.species import AIR
from gulch.engine.project.edit.whole import EditError, need_stream
from gulch.engine.project.feeds import FEED_BASES, fraction_of, give_way
from gulch.engine.quantities import QuantityError, parse


def set_basis(project: Project, stream_id: str, basis: str) -> list[KnobEntry]:
    """Give a feed by another basis, with the same amounts where they can be read.

    Returns the knobs whose number the new basis does not have. Raises EditError.
    """
    stream = need_stream(project, stream_id)
    if stream.given is None:
        raise EditError(f"{stream_id} is no feed: its amounts come from {source_of(stream)[0] if stream.source else 'nowhere'}.")
    return give_in(project, stream, basis)


def turn(project: Project, values: dict[str, str]) -> None:
    """What follows where some inputs have been turned to new values: the other fractions of a feed give way in proportion."""
    for stream in project.streams:
        if not stream.is_feed or stream.given is None:
            continue
        tails = (a.removeprefix(f"{stream.id}.") for a in values if a.startswith(f"{stream.id}."))
        kept = {i for tail in tails if (i := fraction_of(stream.given.basis, tail))}
        if not kept:
            continue
        key = FEED_BASES[stream.given.basis][0]
        texts = getattr(stream.given, key)
        try:
            numbers = np.array([parse(v, "fraction") for v in texts.values()])
        except QuantityError:
            continue  # said by the checks
        mask = np.isin(list(texts), list(kept))
        if numbers[mask].sum() > 1.0 or numbers[~mask].sum() <= 0.0:
            continue
        after = give_way(numbers, mask)
        setattr(stream.given, key, {s: t if s in kept else f"{100 * x:.10g} %" for (s, t), x in zip(texts.items(), after, strict=True)})


def scale_fractions(project: Project, stream_id: str) -> None:
    """Scale a feed's fractions to 100 %. Raises EditError."""
    given = need_stream(project, stream_id).given
    key = "fraction" if given.basis == "mole-fractions" else "mass_fraction"
    try:
        numbers = {s: parse(v, "fraction") for s, v in getattr(given, key).items()}
    except QuantityError as error:
        raise EditError(str(error)) from None
    total = sum(numbers.values())
    if total <= 0.0:
        raise EditError("All fractions are zero: type at least one of them.")
    setattr(given, key, {s: f"{100 * v / total:.10g} %" for s, v in numbers.items()})


def fill_with_air(project: Project, stream_id: str) -> None:
    """Give a feed the composition of air by mole fractions, of those of its species that the project has. Raises EditError."""
    given = need_stream(project, stream_id).given
    ids = {s.cas: s.id for s in project.species}
    parts = {ids[cas]: share for cas, _, share in AIR if cas in ids}
    if len(parts) < 2:
        raise EditError("Air needs nitrogen and oxygen: add “air” in Chemistry.")
    whole = sum(parts.values())
    set_basis(project, stream_id, "mole-fractions")
    given.fraction = {i: f"{100 * share / whole:.6g} %" for i, share in parts.items()}
