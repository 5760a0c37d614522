"""The notebook as one page that holds all it needs: styles, typeface, drawings."""

from __future__ import annotations

import base64
import re
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from django.contrib.staticfiles import finders
from django.template.loader import render_to_string
from django.utils.safestring import mark_safe

if TYPE_CHECKING:
    from re import Match

    from gulch.web.notebook.presenter import NotebookPage


FAMILIES = ('"Source Sans"', '"Source Sans Extended"', '"Source Sans Greek"')  # not everyone puts one family together from parts
FACE = re.compile(r'url\("(?:\.\./)+vendor/([^"]+)"\)')


def report_html(page: NotebookPage, drawings: dict[str, str], printed: bool = False) -> str:
    """The HTML file of a NotebookPage. drawings: {key of a Figure: clean SVG}; figures without one are left out.

    printed: it goes to be printed at once, which is faster where each drawing is a picture of its own.
    """
    families = ",".join(f.replace('"', "'") for f in FAMILIES)
    named = {key: svg.replace("'Source Sans'", families) for key, svg in drawings.items()}
    safe = {key: mark_safe(_picture(svg) if printed else svg) for key, svg in named.items()}
    body = render_to_string("notebook/report.html", {"page": page, "drawings": safe, "title": page.space.document.name})
    letters = {ord(c) for text in (body, *named.values()) for c in text}
    return body.replace("<style></style>", f"<style>{styles(letters)}</style>", 1)


def styles(letters: set[int]) -> str:
    """Style sheet of the file: what of the typeface has the letters (numbers of characters), held in it, and how paper looks."""
    faces = [text for text, ranges in _faces() if any(low <= n <= high for n in letters for low, high in ranges)]
    return "\n".join([*faces, _paper()])


@cache
def _faces() -> list[tuple]:
    """[(rule with the file in it, [(first, last character)])] of the parts of the typeface."""
    rules = re.findall(r"@font-face \{[^}]+\}", _text("gulch/styles/ground.css"))
    found = []
    for rule, name in zip(rules, FAMILIES, strict=True):
        ends = [r.split("-") for r in re.findall(r"U\+([0-9A-F-]+)", rule)]
        found.append((FACE.sub(_held, rule.replace('"Source Sans"', name)), [(int(e[0], 16), int(e[-1], 16)) for e in ends]))
    return found


@cache
def _paper() -> str:
    inks = re.findall(r"\[data-bs-theme=light\] (\{[^}]+\})", _text("gulch/styles/ground.css"))[0]
    return f":root {inks}\n" + _text("gulch/styles/paper.css").replace('"Source Sans"', ",".join(FAMILIES))


def _text(name: str) -> str:
    return Path(finders.find(name)).read_text(encoding="utf-8")


def _picture(svg: str) -> str:
    return f'<img alt="" src="data:image/svg+xml;base64,{base64.b64encode(svg.encode()).decode()}">'


def _held(found: Match) -> str:
    data = Path(finders.find(f"vendor/{found[1]}")).read_bytes()
    return f"url(data:font/woff2;base64,{base64.b64encode(data).decode()})"
