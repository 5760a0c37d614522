"""Work by keys alone: how many it takes, and where they lead."""

import pytest
from acting import ready
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project


class Keys:
    """Presses keys and counts them; what is typed counts as one a letter."""

    def __init__(self, page):
        self.page, self.count = page, 0

    def press(self, *names):
        for name in names:
            self.page.keyboard.press(name)
            self.count += 1

    def type(self, text):
        self.page.keyboard.type(text)
        self.count += len(text)


def test_from_a_stream_to_its_return_in_ten_keys(page, row):
    """The purge is sent back to the mixer: select it on the map, B, the unit's name, Enter."""
    page.goto(f"/p/{row.pk}/process/")
    ready(page)
    page.locator("#map-canvas [data-id=purge]").focus()
    keys = Keys(page)
    keys.press("Enter")
    expect(page.locator("#inspector #send-to")).to_be_visible()
    keys.press("b")
    expect(page.locator("#send-to")).to_be_focused()
    keys.type("MIX")
    keys.press("Enter")
    for _ in range(100):  # a loop without purge takes its time; the edit is there at once
        row.refresh_from_db()
        if row.current.number > 1:
            break
        page.wait_for_timeout(100)
    assert row.current.worked.stream("purge").to == "MIX" and keys.count <= 10


def test_a_rate_constant_is_reached_from_anywhere(page, user):
    row = create_project(user, projects()[2], "Start")
    page.goto(f"/p/{row.pk}/process/")
    ready(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("k of dehy")
    expect(page.locator("#palette-list li").first).to_contain_text("Rate constant of dehydrogenation")
    page.keyboard.press("Enter")
    expect(page.locator("[id='rate-forward.k']")).to_be_focused()
    page.keyboard.press("Control+a")
    page.keyboard.type("2e-2 mol/(kg s bar)")
    page.keyboard.press("Enter")


def test_an_input_that_is_found_has_the_focus(page, row):
    page.goto(f"/p/{row.pk}/scans/")
    ready(page)
    page.keyboard.press("Control+k")
    page.keyboard.type("outlet temperature of H1")
    expect(page.locator("#palette-list li").first).to_contain_text("of H1")
    page.keyboard.press("Enter")
    expect(page.locator("[id='f-H1.temperature']")).to_be_focused()


@pytest.mark.parametrize(("stage", "parts"), [("chemistry", 5), ("process", 4)])
def test_j_goes_from_part_to_part_and_round(page, row, stage, parts):
    """Strip, what the page holds, inspector, and the strip again; backwards with Shift."""
    page.goto(f"/p/{row.pk}/{stage}/")
    ready(page)
    seen = []
    for _ in range(parts + 6):
        page.keyboard.press("j")
        seen.append(page.evaluate("document.activeElement.ariaLabel"))
    assert seen[0] == "Knobs and gauges" and "Inspector" in seen and seen.index("Knobs and gauges", 1) >= parts - 1
    page.keyboard.press("Shift+J")
    assert page.evaluate("document.activeElement.ariaLabel") == seen[-2]
