"""Measured boiling points of several pairs, pasted at once: a line that says of which pair and at what, and its table below."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

from gulch.engine.project.edit import EditError, set_measured
from gulch.engine.quantities import QuantityError, complete

if TYPE_CHECKING:
    from gulch.engine.document import Project

LONGEST = 200  # characters of a line that begins a table: what is read of it takes time that grows with its square
APART = re.compile(r"\t|\s[-–—+/&]\s|\s(?:and|with|in)\s", re.I)  # between the names of a pair
AT = re.compile(r"\s(?:at)\s|\t|,")  # before what they are measured at
VALUE = re.compile(r"[\d.,]+\s?\S")


class Title(NamedTuple):
    """What a line such as “ethanol – water at 1 atm” says."""

    first: str
    second: str
    at: str


def title_of(line: str) -> Title | None:
    """The Title that a line is, or None: at the first mark between two names behind which a value follows.

    >>> title_of("ethanol – water at 1 atm")
    Title(first='ethanol', second='water', at='1 atm')
    """
    if len(line) > LONGEST:
        return None
    line = re.sub(r"[^\S\t]+", " ", line.strip())
    for mark in APART.finditer(line):
        first, rest = line[: mark.start()].strip(), line[mark.end() :].strip()
        if not any(c.isalpha() for c in first.partition("\t")[0]):
            continue
        for at in AT.finditer(rest):
            second, value = rest[: at.start()].strip(), rest[at.end() :].strip()
            if second and VALUE.match(value):
                return Title(first, second, value)
    return None


def paste_measured(project: Project, text: str) -> tuple[list[tuple[str, str]], list[str]]:
    """Take measured tables of pairs: blocks that begin with a line such as “ethanol – water at 1 atm”, apart by blank lines or by the next.

    Returns (pairs that were given points, sentences on what was not read). Raises EditError where nothing was.
    """
    names = {word.lower(): s.id for s in project.species for word in (s.cas or s.id, s.shown, s.id)}
    done, unread = [], []
    for title, match, table in _blocks(text):
        if match is None:
            unread.append(f"“{title[:50]}” begins no table: write the pair and what it is at, as in “ethanol – water at 1 atm”")
            continue
        first, second = match.first, match.second
        unknown = next((word for word in (first, second) if word.lower() not in names), None)
        if unknown is not None:
            unread.append(f"“{unknown[:40]}” is not among the project's species")
            continue
        a, b = names[first.lower()], names[second.lower()]
        before = list(project.phase_model.measured)
        try:
            for field, value in (("at", complete(match.at, "pressure", project.display)), ("points", table)):
                set_measured(project, a, b, field, value)
        except (EditError, QuantityError) as error:
            project.phase_model.measured = before
            unread.append(f"{title[:50]}: {str(error).rstrip('.')}")
            continue
        done.append((a, b))
    if not done:
        raise EditError("Nothing of that could be taken: " + ("; ".join(unread[:6]) or "there is no table") + ".")
    return done, unread


def _blocks(text: str) -> list[tuple]:
    """(first line, its Title or None, lines below it) of each block."""
    blocks: list[tuple] = []
    fresh = True
    for line in text.splitlines():
        if not line.strip():
            fresh = True
            continue
        match = title_of(line)
        if match is not None or (fresh and not blocks):
            blocks.append((line.strip(), match, []))
        elif blocks:
            blocks[-1][2].append(line)
        fresh = False
    return [(title, match, "\n".join(table)) for title, match, table in blocks]
