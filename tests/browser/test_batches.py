"""A batch from an empty project, and what dosing it over time leaves to come, in a real browser."""

import math
import re

import pytest
from acting import fill, go, post
from helpers import document
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project


def read(page, label, unit):
    """A result of the inspector, as a number."""
    text = page.locator("#inspector .result", has_text=label).first.inner_text()
    return float(re.search(rf"([\d.]+) {unit}", text)[1])


def test_a_batch_from_an_empty_project(page, user):
    """First order at constant volume: X = 1 − e^(−kt), and t = ln(100)/k for 99 % (Levenspiel, ch. 3)."""
    row = create_project(user, document({}, phase_model="ideal"), "Start")
    page.goto(f"/p/{row.pk}/chemistry/")
    page.fill("#new-equation", "n-butane = isobutane")
    post(page, lambda: page.click("#add-reaction"))
    page.click("#reaction-r1 .more")
    post(page, lambda: page.click("#rate-add"))
    fill(page, "[id='rate-forward.k']", "36 1/h")
    go(page, "process")
    post(page, lambda: page.click("#inspector button:has-text('Add a feed')"))
    flow = "flow.n-butane" if page.locator("[id='f-feed1.flow.n-butane']").count() else "flow.n_butane"
    for name, value in ((flow, "100"), ("temperature", "80"), ("pressure", "2")):
        fill(page, f"[id='f-feed1.{name}']", value)
    post(page, lambda: page.click("#append-batch-reactor"))
    fill(page, "[id='f-R1.time']", "2 min")
    fill(page, "[id='f-R1.vessel']", "20")
    expect(page.locator("#state")).to_contain_text("solved in")
    assert read(page, "Conversion of n", "%") == pytest.approx(100.0 * (1.0 - math.exp(-1.2)), abs=0.01)
    expect(page.locator("#curves-plot .scatterlayer .trace")).to_have_count(2)
    post(page, lambda: page.select_option("[id='f-R1.until']", "conversion"))
    fill(page, "[id='f-R1.target']", "99")
    expect(page.locator("#inspector .result", has_text="Reaction time").first).to_contain_text(f"{math.log(100.0) / 0.6:.3f} min")
    fill(page, "[id='f-R1.longest']", "5 min")
    expect(page.locator("#inspector")).to_contain_text("After 5.000 min the conversion of n-butane is 95.02 %, short of 99 %.")
    fill(page, "[id='f-R1.longest']", "1 h")
    post(page, lambda: page.select_option("[id='f-R1.mode']", "course"))
    expect(page.locator("#inspector")).to_contain_text("R1 has no course of temperature.")
    fill(page, "[id='f-R1.course']", "warm it up")
    expect(page.locator("#inspector")).to_contain_text("Course of temperature of R1: “warm it up” ")
    fill(page, "[id='f-R1.course']", "0 min 80 degC; 10 min 90 degC")
    expect(page.locator("#state")).to_contain_text("solved in")
    page.click("#curve-groups [data-group=state]")
    expect(page.locator("#curves-plot")).to_contain_text("reached if cooling fails then")


def test_dosing_faster_leaves_more_to_come(page, user):
    acid = next(p for p in projects() if p.name.endswith("acid"))
    acid.working = acid.variants[0].id
    row = create_project(user, acid, "Acid")
    page.goto(f"/p/{row.pk}/process/?select=TANK")
    expect(page.locator("#state")).to_contain_text("solved in", timeout=60_000)
    slow = read(page, "Reached if cooling fails", "°C")
    fill(page, "[id='f-TANK.dose_for']", "20 min")
    expect(page.locator("#state")).to_contain_text("solved in")
    assert read(page, "Reached if cooling fails", "°C") > slow + 20.0
    fill(page, "[id='f-TANK.dose_for']", "6 h")
    expect(page.locator("#inspector")).to_contain_text("Dosing ends after 360.0 min, but the batch ends after 270.0 min: 25 % of the dose")
