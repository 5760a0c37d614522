"""Numbers as typed, in SI."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.quantities import parse

if TYPE_CHECKING:
    from gulch.engine.project.inputs import Address


def read(address: Address) -> float | None:
    """SI value of an Address, or None. Raises QuantityError."""
    return None if address.text in (None, "") else parse(address.text, address.dimension)
