"""Scans on screen: the answer above the plot, two knobs from the form to “use it”, filling in as they go."""

import re

from acting import fill, go, post
from playwright.sync_api import expect


def test_two_knobs_are_mapped_and_the_best_point_is_used(page, row):
    errors = []
    page.on("console", lambda m: errors.append(m.text) if m.type == "error" else None)
    page.goto(f"/p/{row.pk}/scans/")
    fill(page, "#scan-points", "4")
    fill(page, "#scan-knob", "reactor temperature")
    expect(page.locator("#scan-low")).to_have_value("215 °C")
    fill(page, "#scan-knob2", "water fed")
    expect(page.locator("#scan-low2")).to_have_value("60 kmol/h")
    fill(page, "#scan-low2", "100")
    fill(page, "#scan-points2", "3")
    page.click("#run-scan")
    expect(page.locator("#scan-state")).to_contain_text("12 of 12 points", timeout=60_000)
    expect(page.locator("#scan-plot .contourlayer")).to_be_attached()
    expect(page.locator("#scan-answer")).to_contain_text("Highest ethanol in product inside all limits")
    best = page.locator("#scan-answer .figure").first.inner_text()
    post(page, lambda: page.click("#use-best"))
    expect(page.locator(".chip.good, .chip.bad").first).to_be_visible()
    go(page, "process")
    page.locator("[data-id='R1']").click()
    temperature = page.locator("[id='f-R1.temperature']").input_value()
    assert re.search(r"temperature (\d+)", best)[1] in temperature
    assert not [e for e in errors if "Content Security Policy" in e]


def test_the_answers_figures_carry_themselves_back_and_are_kept(page, row):
    page.goto(f"/p/{row.pk}/scans/")
    fill(page, "#scan-points", "5")
    page.click("#run-scan")
    expect(page.locator("#scan-answer")).to_contain_text("All limits hold from", timeout=60_000)
    edge = page.locator("#scan-answer .figure").first
    expect(edge).to_have_text("3.744 %")
    page.fill("#scan-answer input[name=name]", "at the best purge")
    post(page, lambda: page.click("#keep-best"))
    expect(page.locator(".chip.variant")).to_contain_text("at the best purge")
    post(page, lambda: page.click("#scan-answer .figure >> nth=0"))
    go(page, "process")
    page.locator("[data-id='SPLIT']").click()
    expect(page.locator("[id='f-SPLIT.drawn']")).to_have_value(re.compile(r"3\.7437\d+ %"))


def test_what_matters_most_is_a_page_whose_bars_carry_back(page, row):
    page.goto(f"/p/{row.pk}/scans/")
    page.click("#asked-swings")
    expect(page.locator("#swing-table")).to_contain_text("per K", timeout=60_000)
    expect(page.locator("#swing-plot .barlayer .point").first).to_be_attached()
    page.click("nav a.tab:has-text('recycle flow')")
    expect(page.locator("#swing-plot")).to_have_attribute("aria-label", "Swing of recycle flow by knob, the largest first")
