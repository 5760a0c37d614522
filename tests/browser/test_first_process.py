"""From an empty project to a closed loop, a scan and a file, by typing and clicking."""

import json
import re

import pytest
from acting import fill, go, pick, post, press, ready
from playwright.sync_api import expect

from gulch.engine.document import loads
from gulch.engine.explain import solve


def cell(page, stream, column):
    """A ledger cell by stream and column label."""
    heads = [h.split("\n")[0] for h in page.locator(".ledger-table thead th").all_inner_texts()]
    return page.locator(f"#stream-{stream} td").nth(heads.index(column) - 1)


def test_walks_every_stage_from_an_empty_project(page, tmp_path):
    page.goto("/")
    page.fill("#new-name", "Dry Fork methanol")
    page.click("#start-empty")
    expect(page.locator("#project-name")).to_have_value("Dry Fork methanol")
    ready(page)

    # Chemistry: find a species as one types, then a reaction that brings the others along
    page.type("#species-search", "nitrog", delay=20)
    press(page, "#found button:has-text('nitrogen') >> nth=0")
    expect(page.locator("#species-nitrogen")).to_contain_text("N2")
    page.fill("#new-equation", "CO2 + H2 = methanol + H2O")
    press(page, "#add-reaction")
    card = page.locator("#reaction-r1")
    expect(card).to_contain_text("balanced: carbon dioxide + 3 hydrogen = methanol + water")
    expect(card.locator(".quantities")).to_contain_text("−49.")  # handbooks: −49 kJ/mol to gaseous methanol and water
    page.select_option("#key-r1", "hydrogen")  # the next edit does not wait for this one's answer
    fill(page, "#conversion-r1", "0.6")
    expect(card).to_contain_text("Was 60 % meant?")
    press(page, "#reaction-r1 button:has-text('60 %') >> nth=0")
    expect(page.locator("#conversion-r1")).to_have_value("60 %")

    # Process: a feed, a reactor behind it, read from the ledger
    go(page, "process")
    press(page, "#inspector button:has-text('Add a feed')")
    expect(page.locator("#rename")).to_have_value("feed1")
    fill(page, "[id='f-feed1.pressure']", "725 psi")
    fill(page, "[id='f-feed1.flow.hydrogen']", "300")
    fill(page, "[id='f-feed1.flow.carbon_dioxide']", "100")
    fill(page, "[id='f-feed1.flow.nitrogen']", "1 kmol/h")
    expect(page.locator("[id='f-feed1.flow.hydrogen']")).to_have_value("300 kmol/h")
    press(page, "#append-stoichiometric-reactor")
    with page.expect_response(lambda r: r.request.method == "POST"):
        page.select_option("[id='f-R1.mode']", "isothermal")
    expect(page.locator("#inspector")).to_contain_text("R1: 2 assumed: temperature, pressure drop.")
    expect(page.locator("#todo")).to_contain_text("R1: 1 line in its panel.")
    fill(page, "[id='f-R1.temperature']", "482 F")
    press(page, "#inspector p:has-text('R1: 1 assumed') .take")
    expect(page.locator("#todo")).not_to_contain_text("R1:")
    expect(cell(page, "S1", "methanol")).to_have_text("60.00")  # 0.6 · 300 / 3
    expect(cell(page, "S1", "Temperature")).to_have_text("250.0")
    expect(page.locator("#account")).to_contain_text("hydrogen")
    expect(page.locator("#conversions")).to_contain_text("60.00")
    expect(page.locator("#balances")).to_contain_text("energy")
    expect(page.locator("#state")).to_contain_text("solved")

    # the separator and the purge, grown by keyboard from the + of the map
    page.locator("[data-id='+S1']").focus()
    page.keyboard.press("Enter")
    expect(page.locator("#append .kind").first).to_be_focused()
    press(page, "#append-heater")
    fill(page, "[id='f-H1.temperature']", "35 degC")
    page.click("#stream-S2 a")
    press(page, "#append-flash-drum")
    expect(page.locator("#rename")).to_have_value("DRUM1")
    page.click("#stream-S3 a")
    press(page, "#append-splitter")
    fill(page, "[id='f-SPLIT1.drawn']", "5")

    # the loop: send the rest back to the reactor; a mixer is put before it
    page.click("#stream-S6 a")
    page.select_option("#send-to", "R1")
    press(page, "#send")
    expect(page.locator("#stream-feed1")).to_be_visible()
    expect(page.locator(".loop-chip")).to_contain_text("passes")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(5)
    expect(page.locator("#state")).to_contain_text("solved")
    page.click(".loop-chip")
    expect(page.locator("#loop-1")).to_contain_text("settled")
    assert 0.8 < float(page.locator("#gain").inner_text()) < 0.97  # nitrogen comes back to 0.948
    expect(page.locator("#plot-loop-1 .scatterlayer")).to_be_visible()

    # a knob, a gauge, a scan, and a point carried back
    go(page, "process")
    page.click("#stream-S5 a")  # the purge
    press(page, "#composition button[aria-label='watch flow of methanol']")
    page.locator("[data-id='SPLIT1']").focus()
    page.keyboard.press("Enter")
    press(page, "[aria-label='make First drawn share a knob']")
    expect(page.locator("#rename")).to_have_value("SPLIT1")  # what was looked at stays
    page.click("#knob-knob1 .name")
    fill(page, "#knob-edit-low", "2 %")
    fill(page, "#knob-edit-high", "20 %")
    go(page, "scans")
    press(page, "#add-first-scan")
    fill(page, "#scan-points", "7")
    page.click("#run-scan")
    expect(page.locator("#scan-state")).to_contain_text("7 of 7 points", timeout=60_000)
    expect(page.locator("#scan-table tbody tr")).to_have_count(7)
    point = page.locator("#scan-plot .points path").nth(2)
    expect(point).to_be_visible()
    with page.expect_response(lambda r: "/carry/" in r.url):
        pick(page, point)
    expect(page.locator(".knob input.value")).to_have_value("8 %")

    # undo, redo, and the file that solves to the same on the command line
    press(page, "#undo")
    expect(page.locator(".knob input.value")).to_have_value("5 %")
    press(page, "#redo")
    expect(page.locator(".knob input.value")).to_have_value("8 %")
    gauge = page.locator(".gauge .value").inner_text()
    page.click("summary:has-text('Files')")
    with page.expect_download() as download:
        page.click("text=Project as JSON")
    path = tmp_path / "project.json"
    download.value.save_as(path)
    again = solve(loads(path.read_bytes()))
    shown = float(re.match(r"[\d.]+", gauge)[0])
    assert again.solved and again.gauges["gauge1"] * 3.6 == pytest.approx(shown, rel=1e-3)
    page.goto("/")
    page.set_input_files("#file", path)
    page.get_by_role("button", name="Open", exact=True).click()
    expect(page.locator(".gauge .value")).to_contain_text(gauge)
    assert json.loads(path.read_text(encoding="utf-8"))["name"] == "Dry Fork methanol"

    # a second knob beside the first: the map, and its best point used
    go(page, "process")
    page.locator("[data-id='H1']").focus()
    page.keyboard.press("Enter")
    press(page, "[aria-label='make Outlet temperature a knob']")
    go(page, "scans")
    fill(page, "#scan-knob2", "outlet temperature of H1")
    fill(page, "#scan-low2", "30")
    fill(page, "#scan-high2", "60")
    fill(page, "#scan-points2", "4")
    page.click("#run-scan")
    expect(page.locator("#scan-state")).to_contain_text("28 of 28 points", timeout=60_000)
    expect(page.locator("#scan-plot .contourlayer")).to_be_attached()
    expect(page.locator("#scan-answer")).to_contain_text("Highest Flow of methanol")
    best = page.locator("#scan-answer .figure").last.inner_text()
    post(page, lambda: page.click("#use-best"))
    drawn = re.search(r"(\d+)\.?\d* %", best)[1]
    expect(page.locator("#knob-value-knob1")).to_have_value(re.compile(rf"^{drawn}"))
