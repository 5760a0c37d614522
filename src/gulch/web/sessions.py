"""The store of sessions, where Django looks for it."""

from __future__ import annotations

import logging

from django.contrib.sessions.backends import cached_db
from django.contrib.sessions.backends.base import UpdateError
from django.db import OperationalError

from gulch.web.convenience import where_it_can

log = logging.getLogger("gulch.web")


class SessionStore(cached_db.SessionStore):
    """Sessions in the database; while that refuses to write, they live in this server's memory."""

    cache_key_prefix = "gulch.sessions."

    def save(self, must_create: bool = False) -> None:
        """Keep the session, in memory alone where the disk is full or may only be read. Raises CreateError, UpdateError."""
        try:
            super().save(must_create)
        except (OperationalError, UpdateError) as error:
            refused = error if isinstance(error, OperationalError) else error.__context__
            if isinstance(refused, OperationalError):
                log.warning("a session stays in memory: %s", refused)
                self._cache.set_many({self.cache_key: self._session, self._alone: True}, self.get_expiry_age())
            elif self._cache.get(self._alone):  # the database writes again, and has never seen it
                super().save(must_create=True)
                self._cache.delete(self._alone)
            else:
                raise

    @property
    def _alone(self) -> str:
        """Under what it is noted that a session is in memory alone."""
        return f"{self.cache_key}.alone"

    def delete(self, session_key: str | None = None) -> None:
        """End the session."""
        key = session_key or self.session_key
        if key is not None:
            self._cache.delete(self.cache_key_prefix + key)
        with where_it_can():
            super().delete(session_key)
