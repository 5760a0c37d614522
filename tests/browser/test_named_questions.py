"""Questions asked where they occur to one: beside a field, beside a figure, by typing a name; units and plots of one's own."""

import re

from acting import fill, go, post, press, ready
from playwright.sync_api import expect


def test_an_input_is_scanned_from_its_field_and_a_result_sought_from_its_figure(page, row):
    page.goto(f"/p/{row.pk}/process/?select=R1")
    ready(page)
    results, inputs = (page.locator(f"#unit-{part}").bounding_box() for part in ("results", "inputs"))
    assert results["y"] < inputs["y"] < 620  # what happened comes first, and both are in view
    page.keyboard.press("e")
    expect(page.locator("[id='f-R1.set']")).to_be_focused()
    field = page.locator(".field", has=page.locator("[id='f-R1.pressure_drop']"))
    field.hover()
    post(page, lambda: field.locator(".asks-this").click())
    expect(page.locator("#scan-knob")).to_have_value("pressure drop of R1")
    expect(page.locator("#asked-scan3")).to_have_class(re.compile("here"))
    page.goto(f"/p/{row.pk}/process/?select=R1")
    ready(page)
    result = page.locator(".result", has_text="Duty")
    result.hover()
    post(page, lambda: result.locator(".asks-this").click())
    expect(page.locator("#best-aim")).to_have_value("Duty of R1")


def test_any_input_is_named_in_the_question_and_completed(page, row):
    page.goto(f"/p/{row.pk}/scans/")
    ready(page)
    page.click("#scan-knob")
    expect(page.locator("#formula-list li").first).to_be_visible()
    page.keyboard.type("drop cool")
    expect(page.locator("#formula-list li").first).to_contain_text("Pressure drop of COOL")
    page.keyboard.press("ArrowDown")
    post(page, lambda: page.keyboard.press("Enter"))
    expect(page.locator("#scan-knob")).to_have_value("pressure drop of COOL")
    fill(page, "#scan-shows", "magic")
    expect(page.locator("#notice")).to_contain_text("names no result of this process")
    expect(page.locator("#scan-shows")).to_have_value("ethanol in product")
    fill(page, "#scan-shows", "duty of H1")
    expect(page.locator("#scan-shows")).to_have_value("Duty of H1")


def test_the_strips_plus_watches_a_formula(page, row):
    page.goto(f"/p/{row.pk}/process/")
    ready(page)
    page.click("#watch-more")
    expect(page.locator("#palette-input")).to_have_value("watch ")
    page.keyboard.type("product.flow.ethanol / ethylene_feed.flow.ethylene")
    expect(page.locator("#palette-list li").first).to_contain_text("Watch the formula")
    post(page, lambda: page.keyboard.press("Enter"))
    page.click("#more-cards")
    expect(page.locator("#strip")).to_contain_text("0.5204")  # 52.04 of 100 kmol/h


def test_a_ratio_is_made_turned_and_scanned(page, row):
    page.goto(f"/p/{row.pk}/process/?select=water_feed")
    ready(page)
    page.click("#by-ratio > summary")
    press(page, "#give-ratio")
    expect(page.locator("#notice")).to_contain_text("is a number of the project now")
    page.goto(f"/p/{row.pk}/process/")
    ready(page)
    fill(page, "[id='f-water_feed_to_ethylene_feed.value']", "1.5")
    expect(page.locator("#stream-water_feed td").nth(3)).to_have_text("153.0")
    go(page, "scans")
    fill(page, "#scan-knob", "water_feed to ethylene_feed")
    expect(page.locator("#scan-low")).to_have_value("0.75")


def test_units_of_ones_own_and_plots_over_temperature(page, row):
    page.goto(f"/p/{row.pk}/process/?select=S3")
    ready(page)
    page.click("#units-menu > summary")
    post(page, lambda: page.select_option("#unit-1", "K"))
    expect(page.locator("#stream-S3 td").first).to_have_text("493.1")
    page.click("#plots-of")
    expect(page.locator("#course-0 .xtitle")).to_have_text("T [K]", timeout=60_000)
    expect(page.locator(".course-plot")).to_have_count(8)  # six properties and the constants of two reactions
    page.select_option("#courses-along", "pressure")
    expect(page.locator("#course-0 .xtitle")).to_have_text("P [bar]")
    expect(page.locator(".course-plot")).to_have_count(6)
    page.goto(f"/p/{row.pk}/chemistry/?select=species:ethanol")
    ready(page)
    page.click("#plots-of")
    expect(page.locator("#course-4 .ytitle")).to_have_text("[bar]", timeout=60_000)
    expect(page.locator("#course-4 .plot-legend")).to_contain_text("Vapour pressure")
    for n in range(8):
        plot, title = (page.locator(f"#course-{n}{part}").bounding_box() for part in ("", " .ytitle"))
        assert plot["y"] <= title["y"] and title["y"] + title["height"] <= plot["y"] + plot["height"]
    page.click("#plot-vaporisation")
    expect(page.locator("#vaporisation-0 .plot-legend")).to_contain_text("Heat of vaporisation")
    page.click("#plot-vapour_pressure")  # in a datum's line: it does not unfold by that
    expect(page.locator("#vapour_pressure-0 .plot-legend")).to_contain_text("Vapour pressure")
    expect(page.locator("#datum-of-vapour_pressure")).not_to_have_attribute("open", "")


def test_any_field_of_a_unit_in_three_keys_and_what_keys_a_stage_has(page, row):
    page.goto(f"/p/{row.pk}/process/?select=R1")
    ready(page)
    page.set_viewport_size({"width": 1280, "height": 480})  # the inputs have to be brought into view
    page.locator("main").first.press("f")
    page.wait_for_timeout(200)
    codes = page.locator("kbd.hint")
    expect(codes).not_to_have_count(0)
    assert all(len(code) <= 2 for code in codes.all_inner_texts())
    field = page.locator("[id='f-R1.pressure_drop']").bounding_box()
    near = min(codes.all(), key=lambda c: abs(c.bounding_box()["y"] + 8 - field["y"]) + abs(c.bounding_box()["x"] + 6 - field["x"]))
    page.keyboard.press(near.inner_text())
    expect(page.locator("[id='f-R1.pressure_drop']")).to_be_focused()
    expect(codes).to_have_count(0)
    page.keyboard.press("Escape")
    page.keyboard.press("?")
    for stage in ("Everywhere", "Process", "Chemistry", "Loops", "Scans"):
        expect(page.locator("#keys h3", has_text=stage).first).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("Alt+1")
    expect(page.locator("#species-search")).to_be_visible()
    page.keyboard.press("/")
    page.keyboard.type("butanol")
    expect(page.locator("#found .marked")).to_have_count(1)
    page.keyboard.press("ArrowDown")
    wanted = page.locator("#found .marked").inner_text()
    page.keyboard.press("Enter")
    expect(page.locator("#species")).to_contain_text(wanted.split("\n")[0].split(" ")[0])
    page.keyboard.press("Escape")  # out of the search, in which one goes on
    page.keyboard.press("n")
    expect(page.locator("#new-equation")).to_be_focused()
