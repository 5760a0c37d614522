"""Plain data as compressed JSON: what workers send back and what is stored."""

from __future__ import annotations

import json
import zlib
from typing import Any

MOST = 50_000_000  # bytes unpacked; no outcome comes near


class NotFinite(ValueError):
    """The data hold a number that is not finite, which is stored nowhere."""


def pack(data: dict[str, Any]) -> bytes:
    """Plain data (dicts, lists, text, finite numbers) as bytes. Raises NotFinite."""
    try:
        text = json.dumps(data, allow_nan=False, separators=(",", ":"))
    except ValueError as error:
        raise NotFinite(str(error)) from None
    return zlib.compress(text.encode(), 4)


def unpack(packed: bytes) -> dict[str, Any]:
    """The data that `pack` was given. Raises ValueError for bytes that are damaged."""
    try:
        undo = zlib.decompressobj()
        return json.loads(undo.decompress(bytes(packed), MOST))
    except zlib.error as error:
        raise ValueError(f"damaged: {error}") from None
