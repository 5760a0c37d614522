"""The best and the trade-off on screen: asked, stopped, gone on with, used; prices typed until the process has a worth."""

import re

import pytest
from acting import fill, go, post, press
from playwright.sync_api import expect


def test_the_best_is_asked_stopped_gone_on_with_and_used(page, row):
    errors = []
    page.on("console", lambda m: errors.append(m.text) if m.type == "error" else None)
    page.goto(f"/p/{row.pk}/scans/?select=best1")
    expect(page.locator("#best-aim")).to_have_value("worth in crowns")
    page.click("#run-best")
    expect(page.locator("#scan-progress")).to_contain_text(re.compile(r"[1-9]\d* solves, at most"), timeout=60_000)
    page.click("#cancel-scan")
    expect(page.locator("#scan-state")).to_contain_text("solves are kept", timeout=60_000)
    press(page, "#resume-scan")
    expect(page.locator("#best-answer")).to_contain_text("Highest worth in crowns inside all limits", timeout=300_000)
    expect(page.locator("#best-holds tr.holds").first).to_contain_text("on it")
    expect(page.locator("#best-proof")).to_contain_text("none is better")
    expect(page.locator("#scan-plot .scatterlayer .point").first).to_be_attached()
    page.select_option("#solves-y", label="water fed")
    expect(page.locator("#scan-plot .ytitle")).to_contain_text("water fed")
    found = re.search(r"reactor temperature (\d+\.\d)", page.locator("#best-answer .figure").first.inner_text())[1]
    post(page, lambda: page.click("#use-best"))
    expect(page.locator("#best-answer")).to_contain_text("as it is now", timeout=60_000)
    assert page.locator("#knob-value-reactor_T").input_value().startswith(found[:-2])
    expect(page.locator("#scan-state")).not_to_contain_text("the question has changed")
    assert not [e for e in errors if "Content Security Policy" in e]


def test_a_trade_off_of_two_knobs_and_a_point_of_it(page, row):
    page.goto(f"/p/{row.pk}/scans/?select=trade1")
    for knob in ("reactor_T", "drum_T"):
        post(page, lambda knob=knob: page.click(f"#turn-{knob}"))
    page.click("#run-best")
    expect(page.locator("#best-answer")).to_contain_text("What can be had of one for what of the other", timeout=400_000)
    expect(page.locator("#scan-plot .scatterlayer .point").first).to_be_attached()
    assert page.locator("#curve-table tbody tr").count() > 3
    last = page.locator("#curve-table tbody tr").last
    water = last.locator("td").nth(1).inner_text()
    post(page, lambda: last.locator("button").click())
    assert float(page.locator("#knob-value-water").input_value().split()[0]) == pytest.approx(float(water.split()[0]), rel=5e-3)


def test_prices_are_typed_until_the_process_has_a_worth(page, row):
    page.goto(f"/p/{row.pk}/scans/?select=worth")
    expect(page.locator("#worth-answer")).to_contain_text("crowns an hour")
    fill(page, "#sold-ethanol", "")
    expect(page.locator("#worth-answer")).to_contain_text("ethanol is sold in product without a price")
    fill(page, "#sold-ethanol", "1.2")
    expect(page.locator("#account tr.sum")).to_be_visible()
    fill(page, "#sold-ethanol", "dear")
    expect(page.locator(".toast, .notice, [role=alert]").first).to_contain_text("is no price")


def test_what_is_unsure_is_typed_sampled_and_shown_as_a_band(page, row):
    faults = []
    page.on("pageerror", lambda e: faults.append(str(e)))
    page.goto(f"/p/{row.pk}/process/")
    go(page, "scans")  # while the map is still being laid out
    page.click("#asked-sure")
    for datum in ("constant.hydration", "sold.ethanol"):
        page.select_option("#add-spread", datum)
        post(page, lambda: page.click("#add-unsure"))
    expect(page.locator("#workspace")).not_to_contain_text("What is unsure is sampled", timeout=200_000)
    fill(page, "#by-0", "30 %")
    expect(page.locator("#sure-bands")).to_contain_text("K of hydration", timeout=200_000)
    expect(page.locator("#workspace")).to_have_count(1)  # polls that overlapped would nest the page in itself
    page.goto(f"/p/{row.pk}/scans/?select=scan1")
    fill(page, "#scan-points", "4")
    page.click("#scan-more > summary")
    post(page, lambda: page.check("#scan-band"))
    page.click("#run-scan")
    expect(page.locator("#scan-state")).to_contain_text("4 of 4 points", timeout=200_000)
    expect(page.locator("#scan-plot .scatterlayer .fills path").first).to_be_attached()
    go(page, "process")
    expect(page.locator("[data-id='R1']")).to_be_visible()
    page.locator("[data-id='R1']").click()
    expect(page.locator("#inspector")).to_contain_text("sources:")
    assert not faults
