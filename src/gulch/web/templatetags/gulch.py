"""Template helpers."""

import json
from functools import lru_cache

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import mark_safe

register = template.Library()
_ESCAPES = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026"}


@register.simple_tag
def data_block(value, id_):
    """A JSON data block (never executed) for the page's scripts."""
    text = json.dumps(value, separators=(",", ":")).translate(_ESCAPES)
    return format_html('<script type="application/json" id="{}">{}</script>', id_, mark_safe(text))


@register.filter
def get_item(mapping, key):
    """The value of a key, or None."""
    return mapping.get(key)


@register.simple_tag
def vals(**pairs):
    """An hx-vals attribute of plain values."""
    return format_html("hx-vals='{}'", mark_safe(json.dumps(pairs).translate(_ESCAPES).replace("'", "\\u0027")))


@lru_cache(maxsize=8192)
def _address(name, args):
    return reverse(name, args=args)


@register.simple_tag
def url(name, *args):
    """The address of a view; as Django's own tag, but each is worked out once: a page holds many of them."""
    return _address(name, args)
