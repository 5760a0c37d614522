"""What browser tests do to a page: each waits for the answer to its edit."""

import re

from playwright.sync_api import expect


def post(page, do):
    """Do something that makes an edit, and wait for its answer."""
    with page.expect_response(lambda r: r.request.method == "POST"):
        do()
    arrived(page)


def ready(page):
    """Wait until a page's scripts are there: what is clicked before is not heard."""
    page.wait_for_load_state("load")


def arrived(page):
    """Wait until what was answered is shown: an answer is read a moment after it came."""
    expect(page.locator(".htmx-request, .htmx-swapping, .htmx-settling, .htmx-added")).to_have_count(0, timeout=30_000)


def fill(page, selector, text):
    """Type into a field and leave it."""
    page.fill(selector, text)
    post(page, lambda: page.press(selector, "Tab"))


def press(page, selector):
    """Click a button that makes an edit."""
    post(page, lambda: page.click(selector))


def pick(page, point):
    """Click a point of a plot once it has told its figures: a plot that is drawn anew under the pointer has none yet."""
    for _ in range(60):
        place = point.bounding_box()  # looked up each time: a table that comes beside it moves the points
        x, y = place["x"] + place["width"] / 2, place["y"] + place["height"] / 2
        page.mouse.move(x + 60, y + 60)
        page.mouse.move(x, y, steps=3)
        page.wait_for_timeout(150)
        if page.locator(".hovertext").count() and point.bounding_box() == place:
            break
    page.mouse.click(x, y)


def go(page, stage):
    """Go to a stage by the rail, and wait until its page is all there, tables at its end included."""
    page.click(f"#rail-{stage}")
    expect(page.locator("#workspace")).to_have_attribute("hx-vals", re.compile(f'"stage": "{stage}"'), timeout=30_000)
    page.wait_for_url(f"**/{stage}/**")
