"""Shared set-up: browser tests use Django's live server from Playwright's event loop."""

import os

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
