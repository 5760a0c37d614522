"""Template helpers."""

import json
import re
from functools import lru_cache

from django import template
from django.urls import reverse
from django.utils.html import escape, format_html
from django.utils.safestring import mark_safe

from gulch.engine.flowsheet.manual import entry_of
from gulch.engine.flowsheet.notebook import pieces_of
from gulch.web.notebook.parts import anchor

register = template.Library()
_ESCAPES = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026"}


_NAMES = ("alpha", "beta", "gamma", "Gamma", "theta", "lambda", "mu", "nu", "xi", "rho", "phi", "psi", "tau", "sum", "integral")
_GREEK = dict(zip(_NAMES, "αβγΓθλμνξρφψτΣ∫", strict=True)) | {"integral of": "∫"}
_NAMED = re.compile(r"\b(" + "|".join(sorted(_GREEK, key=len, reverse=True)) + r")(?![a-z])")
_BELOW, _ABOVE = re.compile(r"_([A-Za-z0-9]+(?:,[A-Za-z])?)"), re.compile(r"\^(\([^()]+\)|[A-Za-z0-9.]+)")


@register.filter
def typeset(formula):
    """A formula of the handbook as HTML: Greek letters, subscripts, powers."""
    text = _NAMED.sub(lambda m: _GREEK[m[1]], escape(formula))
    text = _BELOW.sub(r"<sub>\1</sub>", text)
    return mark_safe(_ABOVE.sub(lambda m: f"<sup>{m[1].strip('()')}</sup>", text))  # escaped above


@register.filter
def get_item(mapping, key):
    """The value of a key, or None."""
    return mapping.get(key)


register.filter("anchored", anchor)


@register.filter
def pinned(space, what):
    """{id: True} of what pieces of one kind in a Workspace's notebook are of."""
    return {p.of: True for p in pieces_of(space.whole) if p.what == what}


@register.simple_tag
def vals(**pairs):
    """An hx-vals attribute of plain values."""
    return format_html("hx-vals='{}'", mark_safe(json.dumps(pairs).translate(_ESCAPES).replace("'", "\\u0027")))


@register.simple_tag
def means(title, anchor):
    """Attributes of a control that say what it means, and where the help explains it: a word of the help, and what of it."""
    place, entry = entry_of(title, anchor)
    return format_html('data-meaning="{}" data-help="{}"', entry.meaning, place)


@register.simple_tag(takes_context=True)
def act(context, verb, **pairs):
    """Attributes of a control that makes an edit of the page's project, with plain values."""
    sent = format_html(" {}", vals(**pairs)) if pairs else ""
    return format_html('hx-post="{}"{}', _address("do", (context["row"].pk, verb)), sent)


@register.simple_tag(takes_context=True)
def edit(context, verb, **pairs):
    """As `act`, of a field: the edit is made when its value changes, and the newest value wins."""
    return format_html('{} hx-trigger="change" hx-sync="this:replace"', act(context, verb, **pairs))


@register.filter
def field_id(f):
    """The id of a field's control."""
    return f.get("id") or f"f-{f['address']}"


@register.simple_tag(takes_context=True)
def edit_field(context, f):
    """As `edit`, of a field that says itself what edits it; an input's address where it does not."""
    return edit(context, f.get("verb", "set"), **(f.get("sent") or {"address": f["address"]}))


EXPLAINED = {"knob-edit": "knob", "gauge-edit": "gauge", "rate": "rate constant", "equilibrium": "equilibrium constant"}


def _explained(verb, part):
    """(page#place, entry of the help) on a field of an edit; ("", None) where there is none."""
    try:
        return entry_of(EXPLAINED[verb], part.rpartition(".")[2])
    except KeyError:
        return "", None


@register.inclusion_tag("workspace/_field.html", takes_context=True)
def field(context, verb, of, part, label, value, hint="", knob=None, address=""):
    """The field of one part of something: of, its id. knob: offered as one at an address, or the knob's id where it is one."""
    place, entry = _explained(verb, part)
    f = {
        "id": f"{verb}-{part}",
        "meaning": entry.meaning if entry else "",
        "help": place,
        "verb": verb,
        "sent": {"id": of, "field": part},
        "label": label,
        "text": value or "",
        "unit": hint,
        "address": address,
        "can_turn": bool(address),
        "knob": knob,
    }
    return {"f": f, "row": context["row"]}


@lru_cache(maxsize=8192)
def _address(name, args):
    return reverse(name, args=args)


@register.simple_tag
def url(name, *args):
    """The address of a view; as Django's own tag, but each is worked out once: a page holds many of them."""
    return _address(name, args)
