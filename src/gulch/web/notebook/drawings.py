"""Drawings that the browser made of map and plots: only what draws is let through."""

from __future__ import annotations

import re
from xml.etree.ElementTree import Element, SubElement, tostring

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import ParseError, fromstring

MOST_BYTES = 6_000_000  # of one drawing
SVG = "http://www.w3.org/2000/svg"
_ELEMENTS = (
    "svg g path rect circle ellipse line polyline polygon text tspan defs clipPath linearGradient radialGradient stop pattern marker"
    " mask image title"
)
_ATTRIBUTES = (
    "id viewBox width height x y x1 y1 x2 y2 cx cy r rx ry d points transform dx dy offset preserveAspectRatio fill fill-opacity fill-rule"
    " stroke stroke-width stroke-opacity stroke-dasharray stroke-linecap stroke-linejoin stroke-miterlimit opacity font-family font-size"
    " font-weight font-style text-anchor letter-spacing paint-order visibility display clip-path clip-rule mask marker-start marker-mid"
    " marker-end markerWidth markerHeight refX refY orient patternUnits patternTransform gradientUnits gradientTransform clipPathUnits"
    " stop-color stop-opacity dominant-baseline href"
)
ELEMENTS, ATTRIBUTES = frozenset(_ELEMENTS.split()), frozenset(_ATTRIBUTES.split())
OWN_URL = re.compile(r"url\(['\"]?#[\w\-.]+['\"]?\)")
PICTURE = re.compile(r"data:image/png;base64,[A-Za-z0-9+/=\s]+")


class NoDrawing(ValueError):
    """What was sent is no drawing; the message is a sentence for the user."""


def cleaned(text: str) -> str:
    """SVG text of a drawing with nothing in it that could do more than draw. Raises NoDrawing."""
    if len(text) > MOST_BYTES:
        raise NoDrawing(f"A drawing is larger than {MOST_BYTES // 1_000_000} MB: show fewer points.")
    try:
        root = fromstring(text, forbid_dtd=True)
        if root.tag != f"{{{SVG}}}svg":
            raise ValueError("another kind of file")
        clean = _copied(root, None)
        clean.set("xmlns", SVG)
        return tostring(clean, encoding="unicode")
    except (ParseError, DefusedXmlException, ValueError, RecursionError):
        raise NoDrawing("A drawing could not be read: reload the page and try again.") from None


def _copied(node: Element, above: Element | None) -> Element:
    """A copy of a node with what is let through, under another."""
    name = node.tag.rpartition("}")[2]
    copy = Element(name) if above is None else SubElement(above, name)
    for key, value in node.attrib.items():
        key = key.rpartition("}")[2]
        if key in ATTRIBUTES and _harmless(key, value):
            copy.set(key, value)
    copy.text, copy.tail = node.text, node.tail
    for child in node:
        if isinstance(child.tag, str) and child.tag.rpartition("}")[2] in ELEMENTS:
            _copied(child, copy)
    return copy


def _harmless(key: str, value: str) -> bool:
    """Whether an attribute points to nothing outside of the drawing."""
    if key == "href":
        return bool(PICTURE.fullmatch(value)) or value.startswith("#")
    return "url" not in value.lower() or bool(OWN_URL.fullmatch(value.strip()))
