"""Plain data as compressed JSON: what workers send back and what is stored."""

from __future__ import annotations

import zlib
from typing import Any

from pydantic_core import from_json, to_json

MOST = 50_000_000  # bytes unpacked; no outcome comes near


class NotFinite(ValueError):
    """The data hold a number that is not finite, which is stored nowhere."""


def pack(data: dict[str, Any]) -> bytes:
    """Plain data (dicts, lists, text, finite numbers) as bytes. Raises NotFinite."""
    text = to_json(data, inf_nan_mode="constants")
    if b"NaN" in text or b"Infinity" in text:  # as a number, or in words
        try:
            from_json(text, allow_inf_nan=False)
        except ValueError as error:
            raise NotFinite(str(error)) from None
    return zlib.compress(text, 1)


def unpack(packed: bytes) -> dict[str, Any]:
    """The data that `pack` was given. Raises ValueError for bytes that are damaged."""
    try:
        undo = zlib.decompressobj()
        return from_json(undo.decompress(bytes(packed), MOST))
    except zlib.error as error:
        raise ValueError(f"damaged: {error}") from None
