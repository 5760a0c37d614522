"""Template helpers."""

from __future__ import annotations

import json
import re
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from django import template
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.html import escape, format_html
from django.utils.safestring import mark_safe

from gulch.engine.explain.manual import entry_of
from gulch.engine.project.notebook import pieces_of
from gulch.web.notebook.parts import anchor
from gulch.web.projects.models import Project
from gulch.web.projects.regions.fields import Field
from gulch.web.projects.words import brief

if TYPE_CHECKING:
    from django.template.context import RequestContext

    from gulch.web.projects.regions.header import TodoLine
    from gulch.web.projects.regions.table import LedgerRow
    from gulch.web.projects.workspace import Workspace


register = template.Library()
_ESCAPES = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026", ord("'"): "\\u0027"}


_NAMES = ("alpha", "beta", "gamma", "Gamma", "theta", "lambda", "mu", "nu", "xi", "rho", "phi", "psi", "tau", "sum", "integral")
_GREEK = dict(zip(_NAMES, "αβγΓθλμνξρφψτΣ∫", strict=True)) | {"integral of": "∫"}
_NAMED = re.compile(r"\b(" + "|".join(sorted(_GREEK, key=len, reverse=True)) + r")(?![a-z])")
_BELOW, _ABOVE = re.compile(r"_([A-Za-z0-9]+(?:,[A-Za-z])?)"), re.compile(r"\^(\([^()]+\)|[A-Za-z0-9.]+)")


@register.filter
def typeset(formula: str) -> str:
    """A formula of the handbook as HTML: Greek letters, subscripts, powers."""
    text = _NAMED.sub(lambda m: _GREEK[m[1]], escape(formula))
    text = _BELOW.sub(r"<sub>\1</sub>", text)
    return mark_safe(_ABOVE.sub(lambda m: f"<sup>{m[1].strip('()')}</sup>", text))  # escaped above


@register.filter
def get_item(mapping: dict, key: str) -> bool | None:
    """The value of a key, or None."""
    return mapping.get(key)


register.filter("anchored", anchor)


@register.filter
def pinned(space: Workspace, what: str) -> dict[str, bool]:
    """{id: True} of what pieces of one kind in a Workspace's notebook are of."""
    return {p.of: True for p in pieces_of(space.whole) if p.what == what}


@register.simple_tag
def vals(**pairs: Any) -> str:
    """An hx-vals attribute of plain values."""
    return mark_safe(f"hx-vals='{_in_attribute(json.dumps(pairs))}'")


@lru_cache(maxsize=8192)
def _in_attribute(text: str) -> str:
    """JSON as it stands between single quotes: what HTML would read is written by its number."""
    return text.translate(_ESCAPES)


@register.simple_tag
def means(title: str, anchor: str) -> str:
    """Attributes of a control that say what it means, and where the help explains it: a word of the help, and what of it."""
    place, entry = entry_of(title, anchor)
    return format_html('data-meaning="{}" data-help="{}"', entry.meaning, place)


@register.simple_tag(takes_context=True)
def act(context: RequestContext, verb: str, **pairs: Any) -> str:
    """Attributes of a control that makes an edit of the page's project, with plain values."""
    post = f'hx-post="{_address("do", (context["row"].pk, verb))}"'  # an address of our own, which holds nothing to escape
    return mark_safe(f"{post} {vals(**pairs)}" if pairs else post)


@register.simple_tag(takes_context=True)
def edit(context: RequestContext, verb: str, **pairs: Any) -> str:
    """As `act`, of a field: the edit is made when its value changes, and the newest value wins."""
    return format_html('{} hx-trigger="change" hx-sync="this:replace"', act(context, verb, **pairs))


register.filter("brief", brief)


@register.filter
def field_id(f: Field) -> str:
    """The id of a field's control."""
    return f.id or f"f-{f.address}"


@register.simple_tag(takes_context=True)
def edit_field(context: RequestContext, f: Field) -> str:
    """As `edit`, of a field that says itself what edits it; an input's address where it does not."""
    return edit(context, f.verb, **(f.sent or {"address": f.address}))


EXPLAINED = {"knob-edit": "knob", "gauge-edit": "gauge", "rate": "rate constant", "equilibrium": "equilibrium constant"}


def _explained(verb: str, part: str) -> tuple:
    """(page#place, entry of the help) on a field of an edit; ("", None) where there is none."""
    try:
        return entry_of(EXPLAINED[verb], part.rpartition(".")[2])
    except KeyError:
        return "", None


@register.inclusion_tag("workspace/_field.html", takes_context=True)
def field(
    context: RequestContext,
    verb: str,
    of: str,
    part: str,
    label: str,
    value: str | None,
    hint: str = "",
    knob: Any = None,
    address: str = "",
) -> dict[str, Any]:
    """The field of one part of something: of, its id. knob: offered as one at an address, or the knob's id where it is one."""
    place, entry = _explained(verb, part)
    f = Field(
        "quantity",
        label,
        entry.meaning if entry else "",
        address,
        value or "",
        help=place,
        unit=hint,
        can_turn=bool(address),
        knob=knob,
        id=f"{verb}-{part}",
        verb=verb,
        sent={"id": of, "field": part},
    )
    return {"f": f, "row": context["row"]}


# A name and its pin, of which a page holds one for each stream: written as text, since a template takes ten times as long.
_HEAD = (
    '<a href="{there}?select={id}">{id}</a><button class="pin-row{on}" type="button" tabindex="-1" title="{title}" '
    'aria-label="pin {id}" aria-pressed="{pressed}">⇡</button>'
)


@register.simple_tag(takes_context=True)
def stream_head(context: RequestContext, r: LedgerRow) -> str:
    """The head of a stream in the ledger. r: its row."""
    title = "let it stand among the others" if r.pinned else "let it stand first"
    there = _address("stage", (context["row"].pk, "process"))
    words = {"on": " on" if r.pinned else "", "pressed": "true" if r.pinned else "false", "title": title}
    return mark_safe(_HEAD.format(id=escape(r.id), there=there, **words))


@register.simple_tag(takes_context=True)
def stream_rows(context: RequestContext, rows: list[LedgerRow]) -> str:
    """The streams of the ledger as rows."""
    out = []
    for r in rows:
        name, said = escape(r.id), f"{r.role}{' here' if r.here else ''}{' pinned' if r.pinned else ''}"
        cells = escape("\n".join(r.text)).replace("\n", "</td><td>")
        head = stream_head(context, r)
        out.append(f'<tr id="stream-{name}" data-stream="{name}" class="{said}"><th>{head}</th><td>{cells}</td></tr>')
    return mark_safe("\n".join(out))


@register.simple_tag(takes_context=True)
def todo_line(context: RequestContext, t: TodoLine) -> str:
    """A line of the to-do list; few of them change from one edit to the next."""
    return _todo_line(context["row"].pk, t)


@lru_cache(maxsize=4096)
def _todo_line(pk: int, t: TodoLine) -> str:
    return render_to_string("workspace/_todo_line.html", {"t": t, "row": Project(pk=pk)})


@lru_cache(maxsize=8192)
def _address(name: str, args: tuple) -> str:
    return reverse(name, args=args)


@register.simple_tag
def url(name: str, *args: Any) -> str:
    """The address of a view; as Django's own tag, but each is worked out once: a page holds many of them."""
    return _address(name, args)
