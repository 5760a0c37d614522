"""A scan over a loop that ignites and goes out, in a real browser: all branches are drawn, one is taken, the rest follows."""

import re

from acting import post
from heated import autothermal
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project

OVER = {"id": "s1", "over": [{"knob": "inlet", "low": "120 degC", "high": "350 degC", "points": 24}]}


def test_a_scan_tells_where_a_loop_ignites_and_draws_every_branch(page, user):
    row = create_project(user, autothermal(scans=[OVER]), "Heat returned")
    page.goto(f"/p/{row.pk}/scans/?select=s1")
    page.click("#run-scan")
    branches = page.locator("#scan-branches")
    expect(branches).to_be_visible(timeout=120_000)
    expect(branches).to_contain_text("up to 3 steady states at one feed temperature")
    expect(branches).to_contain_text("Raised past 319.1 °C")
    expect(branches).to_contain_text("it ignites")
    expect(branches).to_contain_text("Lowered past 137.0 °C")
    expect(branches).to_contain_text("it goes out")
    expect(branches.locator("tr.here")).to_contain_text("● lasts")
    expect(page.locator(".beside-it .why")).to_contain_text("the branch of steady states run before ends at feed temperature 319.09 °C")
    drawn = page.evaluate(
        "() => document.getElementById('scan-plot').data.map((t) => [t.mode, t.line && t.line.dash, (t.text || []).join()])"
    )
    assert [d for d in drawn if d[0] == "lines"] == [["lines", "solid", ""], ["lines", "dot", ""], ["lines", "solid", ""]]
    assert any(d[2] == "ignites,goes out" for d in drawn)

    post(page, lambda: page.get_by_role("button", name=re.compile("Let the process run on the branch, about 53[89]")).click())
    expect(page.locator("#scan-branches tr.here")).to_contain_text(re.compile("about 53[89]"), timeout=60_000)
    expect(page.locator("#scan-state")).to_contain_text("run it again")
