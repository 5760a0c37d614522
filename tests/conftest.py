"""Shared set-up: browser tests use Django's live server from Playwright's event loop."""

import os

from hypothesis import settings

from gulch.engine.compiling import making

settings.register_profile("house", deadline=None)  # a busy machine is no fault
settings.load_profile("house")

os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")


def pytest_sessionstart(session):
    """Machine code first: plain kernels give the same figures, but tests of whole processes would take an hour."""
    if not session.config.option.collectonly:
        made = making.make_all()
        assert made.done, made.trouble
