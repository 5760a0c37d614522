"""What is written only for convenience, while somebody reads: a database that refuses it stops nobody."""

from __future__ import annotations

import logging
from contextlib import contextmanager
from typing import TYPE_CHECKING

from django.db import DatabaseError

if TYPE_CHECKING:
    from collections.abc import Iterator


log = logging.getLogger("gulch.web")


@contextmanager
def where_it_can() -> Iterator:
    """Inside, writing may fail: nothing that anybody typed hangs on it."""
    try:
        yield
    except DatabaseError as error:
        log.warning("not written: %s", error)
