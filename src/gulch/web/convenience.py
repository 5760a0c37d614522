"""What is written only for convenience, while somebody reads: a database that refuses it stops nobody."""

import logging
from contextlib import contextmanager

from django.db import DatabaseError

log = logging.getLogger("gulch.web")


@contextmanager
def where_it_can():
    """Inside, writing may fail: nothing that anybody typed hangs on it."""
    try:
        yield
    except DatabaseError as error:
        log.warning("not written: %s", error)
