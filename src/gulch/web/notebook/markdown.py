"""The user's Markdown as HTML: text, lists, tables and links; neither HTML of its own nor pictures from elsewhere."""

from __future__ import annotations

from functools import cache, lru_cache

from django.utils.safestring import mark_safe
from markdown_it import MarkdownIt

LOWER = 2  # the title above stands for the first two levels of headings


@cache
def _reader() -> MarkdownIt:
    return MarkdownIt("commonmark", {"html": False}).enable("table").disable("image")


@lru_cache(maxsize=1000)  # of remarks as they stand: the page asks for them again after every edit
def as_html(text: str) -> str:
    """Safe HTML of Markdown; "" of nothing."""
    if not text.strip():
        return ""
    tokens = _reader().parse(text)
    for token in tokens:
        if token.type in ("heading_open", "heading_close"):
            token.tag = f"h{min(int(token.tag[1]) + LOWER, 6)}"
    return mark_safe(_reader().renderer.render(tokens, _reader().options, {}))  # raw HTML is written as text
