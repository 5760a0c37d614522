"""The real interface in headless Chromium, against a live server signed in as the demo user."""

import pytest
from django.contrib.auth import get_user_model
from django.contrib.staticfiles.handlers import StaticFilesHandler
from helpers import CHROMIUM_FLAGS, demo
from playwright.sync_api import expect, sync_playwright
from slow_tasks import Sleep

from gulch.engine.species.search import find
from gulch.web.projects import solving
from gulch.web.projects.actions import create_project

expect.set_options(timeout=30_000)  # a busy machine is no fault


@pytest.fixture(scope="session")
def browser():
    find("water")  # the species index is built once, outside the waiting times of the tests
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM_FLAGS)
        yield browser
        browser.close()


@pytest.fixture(scope="session", autouse=True)
def pool():
    """The workers of all browser tests, kernels loaded before the first."""
    solving.close()  # tests of pages may have left one that works in line
    assert solving.workers().submit(Sleep(0.0)).wait(600.0)
    yield
    solving.close()


@pytest.fixture(autouse=True)
def idle(pool, request, monkeypatch):
    """No test leaves work under way for the next; pages wait for figures, but where that is what is tested."""
    if "test_solving" not in request.node.nodeid:
        monkeypatch.setattr(solving, "PATIENCE", 20.0)  # less than a test waits for an answer
    yield
    solving.workers().stop_all()


@pytest.fixture
def user(transactional_db, settings):
    settings.GULCH_DEMO = True
    user = get_user_model().objects.create(username="demo")
    user.set_unusable_password()
    user.save()
    return user


@pytest.fixture
def row(user):
    return create_project(user, demo(), "Demo project")


@pytest.fixture(scope="session")
def context(browser, live_server):
    """The one profile of all tests, so that style sheets, scripts and typefaces are fetched once."""
    before = StaticFilesHandler.serve

    def kept(self, request):
        response = before(self, request)
        response["Cache-Control"] = "max-age=86400, immutable"
        return response

    StaticFilesHandler.serve = kept
    context = browser.new_context(base_url=live_server.url, viewport={"width": 1280, "height": 800}, accept_downloads=True)
    yield context
    context.close()
    StaticFilesHandler.serve = before


@pytest.fixture
def page(context, live_server, user):
    """A page that fails the test on script errors, breaches of the content policy and answers of 500."""
    page = context.new_page()
    remembered = {"origin": live_server.url, "storageTypes": "local_storage,session_storage"}
    context.new_cdp_session(page).send("Storage.clearDataForOrigin", remembered)
    faults = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on(
        "console",
        lambda m: faults.append(m.text) if m.type == "error" and "Content Security Policy" in m.text else None,
    )
    page.on("response", lambda r: faults.append(f"{r.status} {r.url}") if r.status >= 500 else None)
    yield page
    for opened in context.pages:
        opened.close()
    context.clear_cookies()
    context.set_offline(False)
    assert not faults
