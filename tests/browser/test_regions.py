"""What can be had at all, in a real browser: asked, read, and its arrangement put into the process."""

import re

import pytest
from acting import post
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project


def test_the_arrangement_of_a_region_is_put_into_the_process(page, user):
    styrene = next(p for p in projects() if "styrene" in p.name)
    styrene.region = None
    row = create_project(user, styrene, "Styrene")
    page.goto(f"/p/{row.pk}/sizing/")
    page.click("#ask-region")
    post(page, lambda: page.click("#find-region"))
    answer = page.locator("#region-answer")
    expect(answer).to_contain_text("Most yield of styrene found: 70.7", timeout=60_000)
    expect(answer).to_contain_text("Fresh feed along a tube was tried: it gains less than a thousandth.")
    expect(page.locator("#region-plot .scatterlayer .trace")).to_have_count(9)
    box = page.locator("#region-answer").bounding_box()
    assert box["y"] + box["height"] < 800  # nobody scrolls for the answer
    promised = float(re.search(r"found: ([\d.]+) %", answer.inner_text())[1])
    post(page, lambda: page.click("#place-region"))
    expect(page.locator("#rename")).to_have_value("BED")
    expect(page.locator("#state")).to_contain_text("solved in", timeout=60_000)
    made = page.locator("#inspector .result", has_text="Yield").first.inner_text()
    assert float(re.search(r"([\d.]+) %", made)[1]) == pytest.approx(promised, abs=0.02)
    page.keyboard.press("Control+z")
    expect(page.locator("[id='f-BED.mode']")).to_have_value("adiabatic", timeout=30_000)
