"""Shared set-up: browser tests use Django's live server from Playwright's event loop."""

import os

from hypothesis import settings

settings.register_profile("house", deadline=None)  # a busy machine is no fault
settings.load_profile("house")

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
