"""Numbers as typed, in SI."""

from gulch.engine.quantities import parse


def read(address):
    """SI value of an Address, or None. Raises QuantityError."""
    return None if address.text in (None, "") else parse(address.text, address.dimension)
