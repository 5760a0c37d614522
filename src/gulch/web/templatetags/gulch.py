"""Template helpers."""

import json
from functools import lru_cache

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import mark_safe

register = template.Library()
_ESCAPES = {ord("<"): "\\u003C", ord(">"): "\\u003E", ord("&"): "\\u0026"}


@register.filter
def get_item(mapping, key):
    """The value of a key, or None."""
    return mapping.get(key)


@register.simple_tag
def vals(**pairs):
    """An hx-vals attribute of plain values."""
    return format_html("hx-vals='{}'", mark_safe(json.dumps(pairs).translate(_ESCAPES).replace("'", "\\u0027")))


@register.simple_tag(takes_context=True)
def act(context, verb, **pairs):
    """Attributes of a control that makes an edit of the page's project, with plain values."""
    sent = format_html(" {}", vals(**pairs)) if pairs else ""
    return format_html('hx-post="{}"{}', _address("do", (context["row"].pk, verb)), sent)


@register.simple_tag(takes_context=True)
def edit(context, verb, **pairs):
    """As `act`, of a field: the edit is made when its value changes, and the newest value wins."""
    return format_html('{} hx-trigger="change" hx-sync="this:replace"', act(context, verb, **pairs))


@lru_cache(maxsize=8192)
def _address(name, args):
    return reverse(name, args=args)


@register.simple_tag
def url(name, *args):
    """The address of a view; as Django's own tag, but each is worked out once: a page holds many of them."""
    return _address(name, args)
