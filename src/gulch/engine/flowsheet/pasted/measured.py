"""Measured boiling points of several pairs, pasted at once: a line that says of which pair and at what, and its table below."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from gulch.engine.flowsheet.edit import EditError, set_measured
from gulch.engine.quantities import QuantityError, complete

if TYPE_CHECKING:
    from gulch.engine.document import Project

TITLE = re.compile(  # ethanol – water at 1 atm
    r"^(?=[^\t]*[A-Za-z])(?P<first>.+?)\s*(?:\t|\s[-–—+/&]\s|\s(?:and|with|in)\s)\s*"
    r"(?P<second>.+?)(?:\s+at\s+|\t+|\s*,\s*)(?P<at>[\d.,]+\s*\S+.*)$",
    re.I,
)


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
        first, second = (match[k].strip() for k in ("first", "second"))
        unknown = next((word for word in (first, second) if word.lower() not in names), None)
        if unknown is not None:
            unread.append(f"“{unknown[:40]}” is not among the project's species")
            continue
        a, b = names[first.lower()], names[second.lower()]
        before = list(project.phase_model.measured)
        try:
            for field, value in (("at", complete(match["at"].strip(), "pressure", project.display)), ("points", table)):
                set_measured(project, a, b, field, value)
        except (EditError, QuantityError) as error:
            project.phase_model.measured = before
            unread.append(f"{title[:50]}: {str(error).rstrip('.')}")
            continue
        done.append((a, b))
    if not done:
        raise EditError("Nothing of that could be taken: " + ("; ".join(unread[:6]) or "there is no table") + ".")
    return done, unread


def _blocks(text):
    """(first line, its match or None, lines below it) of each block."""
    blocks: list[tuple] = []
    fresh = True
    for line in text.splitlines():
        if not line.strip():
            fresh = True
            continue
        match = TITLE.match(line.strip())
        if match is not None or (fresh and not blocks):
            blocks.append((line.strip(), match, []))
        elif blocks:
            blocks[-1][2].append(line)
        fresh = False
    return [(title, match, "\n".join(table)) for title, match, table in blocks]
