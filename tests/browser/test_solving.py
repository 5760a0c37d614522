"""Work that lasts: the page goes on, says how far it is, stops on demand, and survives what happens to workers."""

import os
import signal

import pytest
from acting import fill, go, press
from django.contrib.auth import get_user_model
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects import solving
from gulch.web.projects.actions import create_project, edit


@pytest.fixture
def row(user):
    """The cyclohexane demo by direct passes alone, which take hundreds once its purge is nearly closed."""
    document = projects()[4]
    document.targets = []
    row = create_project(user, document, "Hard")
    assert solving.figures(row, 60.0) is None

    def slow(changed):
        changed.closing.method, changed.closing.max_passes = "direct", 2000

    edit(row, None, "Direct passes", slow)
    row.refresh_from_db()
    assert solving.figures(row, 60.0) is None
    row.refresh_from_db()
    return row


@pytest.fixture
def ready(page, row):
    """The page of a project whose figures stand."""
    page.goto(f"/p/{row.pk}/process/?select=SPLIT")
    expect(page.locator("#state")).to_contain_text("solved in", timeout=60_000)
    return page


def make_hard(page):
    """Nearly close the purge: the page comes back before the figures."""
    fill(page, "[id='f-SPLIT.drawn']", "0.001 %")
    expect(page.locator("#solving")).to_be_visible()


def test_a_long_solve_shows_its_progress_and_stops(ready, row):
    made = ready.locator("#gauge-made .value").inner_text().split(" ✓")[0]
    make_hard(ready)
    expect(ready.locator("#state")).to_contain_text("solving")
    expect(ready.locator("#stale")).to_contain_text("figures are those of revision 2")
    expect(ready.locator("#solving-passes")).not_to_have_text("0", timeout=60_000)
    expect(ready.locator("#gauge-made .value")).to_contain_text(made)
    go(ready, "chemistry")  # everything else is usable
    expect(ready.locator("#add-reaction")).to_be_visible()
    expect(ready.locator("#solving")).to_be_visible()
    press(ready, "#stop")
    expect(ready.locator("#state")).to_contain_text("stopped")
    expect(ready.locator("#solve-again")).to_be_visible()
    go(ready, "process")
    fill(ready, "#knob-value-purge_share", "8 %")
    expect(ready.locator("#state")).to_contain_text("solved in", timeout=60_000)


def test_an_edit_replaces_the_solve_under_way_and_undo_finds_what_was_solved(ready, row):
    make_hard(ready)
    fill(ready, "[id='f-SPLIT.drawn']", "9 %")
    expect(ready.locator("#state")).to_contain_text("solved in", timeout=60_000)
    ready.click("#undo")
    expect(ready.locator("#solving")).to_be_visible()  # 0.001 % was never solved
    ready.click("#undo")
    expect(ready.locator("#state")).to_contain_text("solved in")
    expect(ready.locator("#solving")).to_have_count(0)


def test_another_user_does_not_wait(ready, browser, live_server, user):
    make_hard(ready)
    other = create_project(get_user_model().objects.get(pk=user.pk), projects()[0], "Other")
    context = browser.new_context(base_url=live_server.url, viewport={"width": 1280, "height": 800})
    page = context.new_page()
    page.goto(f"/p/{other.pk}/process/?select=SPLIT")
    expect(page.locator("#state")).to_contain_text("solved in", timeout=60_000)
    fill(page, "[id='f-SPLIT.drawn']", "7 %")
    expect(page.locator("#state")).to_contain_text("solved in", timeout=60_000)
    context.close()


def test_a_killed_worker_is_said_and_replaced(ready, row):
    make_hard(ready)
    job = solving.workers().find(("solve", row.pk))
    os.kill(solving.workers().running[job].process.pid, signal.SIGKILL)
    expect(ready.locator("#stale")).to_contain_text("ended unexpectedly", timeout=60_000)
    fill(ready, "[id='f-SPLIT.drawn']", "9 %")
    expect(ready.locator("#state")).to_contain_text("solved in", timeout=60_000)


def test_an_ended_session_keeps_the_edit(ready, row, user, settings):
    settings.GULCH_DEMO = False
    user.set_password("a long enough one")
    user.save()
    ready.context.clear_cookies()
    ready.fill("[id='f-SPLIT.drawn']", "9.5 %")
    ready.press("[id='f-SPLIT.drawn']", "Tab")
    expect(ready.locator("#signed-out")).to_contain_text("9.5 %")
    with ready.context.expect_page() as opened:
        ready.click("#sign-in-again")
    opened.value.fill("[name=username]", "demo")
    opened.value.fill("[name=password]", "a long enough one")
    opened.value.click("button.act")
    expect(opened.value.locator("h1")).to_have_text("Projects")
    opened.value.close()
    ready.click("#apply-kept")
    expect(ready.locator(".history")).to_contain_text("revision 3")
    expect(ready.locator("[id='f-SPLIT.drawn']")).to_have_value("9.5 %")
