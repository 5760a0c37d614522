"""The notebook, from the first pin to the file that is handed in."""

import re

from acting import post, press, ready
from playwright.sync_api import expect


def download(page, button, path):
    with page.expect_download(timeout=60_000) as found:
        page.click(button)
    found.value.save_as(path)
    return found.value.suggested_filename


def pieces(page):
    return page.locator("#paper > section").evaluate_all("all => all.map((s) => s.id.replace('piece-', ''))")


def test_a_notebook_is_made_and_handed_in(page, row, tmp_path):
    page.goto(f"/p/{row.pk}/process/?select=COOL")
    ready(page)
    press(page, "[aria-label='COOL: put it into the notebook']")
    expect(page.locator("[aria-label='COOL: stands in the notebook']")).to_be_visible()
    page.click("[aria-label='COOL: stands in the notebook']")
    expect(page.locator("#piece-unit-COOL h2")).to_be_in_viewport()
    assert pieces(page)[-1] == "unit-COOL"
    press(page, "#piece-balances [title='take out']")
    expect(page.locator("#piece-balances")).to_have_count(0)
    press(page, "#piece-map [title='up']")
    assert pieces(page)[:2] == ["gauges", "map"]
    page.click("#write-remarks summary")
    page.fill("#remarks", "Where does the **ethane** go?\n\n- it is purged")
    post(page, lambda: page.press("#remarks", "Tab"))
    expect(page.locator("#remarks-shown strong")).to_have_text("ethane")
    page.click("#write-map summary")
    page.fill("#comment-map", "One loop.")
    post(page, lambda: page.press("#comment-map", "Tab"))
    expect(page.locator("#piece-map .own")).to_have_text("One loop.")

    assert download(page, "#report-html", tmp_path / "report.html") == "Juniper-Flats-ethanol.html"
    assert download(page, "#report-pdf", tmp_path / "report.pdf") == "Juniper-Flats-ethanol.pdf"
    assert (tmp_path / "report.pdf").read_bytes().startswith(b"%PDF-")
    shown = page.locator("#piece-streams tbody tr").last.inner_text()
    file = page.context.new_page()
    asked = []
    file.on("request", lambda r: asked.append(r.url) if not r.url.startswith("data:") else None)
    file.goto((tmp_path / "report.html").as_uri())
    assert asked == [(tmp_path / "report.html").as_uri()]  # it holds all it needs
    expect(file.locator(".own strong")).to_have_text("ethane")
    expect(file.locator("h2").nth(1)).to_have_text("The process")
    assert file.locator("table[data-table=streams] tbody tr").last.inner_text() == shown
    expect(file.locator("figure svg text", has_text="SPLIT").first).to_be_visible()
    assert file.locator("figure svg").count() == page.locator("#paper figure").count() >= 2
    expect(file.locator("h2", has_text="COOL, heater/cooler")).to_be_visible()
    expect(file.locator("h2", has_text="Balances")).to_have_count(0)
    for width in (794, 816):  # A4 and Letter at 96 dots to the inch, less margins
        file.set_viewport_size({"width": width - 113, "height": 1000})
        file.emulate_media(media="print")
        assert file.evaluate("document.documentElement.scrollWidth <= innerWidth + 1")


def test_a_frozen_copy_stays_while_the_project_goes_on(page, row, tmp_path):
    page.goto(f"/p/{row.pk}/notebook/")
    ready(page)
    page.fill("#copy-name", "as sold")
    page.focus("#report-keep")
    shown = page.input_value("#display")
    for units in ("us-customary", shown):  # whatever is swapped in meanwhile, the name stays
        post(page, lambda units=units: page.select_option("#display", units))
        expect(page.locator("#copy-name")).to_have_value("as sold")
    press(page, "#report-keep")
    expect(page.locator(".kept")).to_contain_text("as sold")
    product = page.locator("#piece-streams tbody tr", has_text="product").inner_text()
    page.click("#more-cards")  # one line of readings stands here
    page.fill("#knob-value-reactor_T", "240")
    post(page, lambda: page.press("#knob-value-reactor_T", "Enter"))
    expect(page.locator("#paper-state")).to_contain_text("Revision 4 of")
    assert page.locator("#piece-streams tbody tr", has_text="product").inner_text() != product
    download(page, ".kept a[aria-label='as sold as HTML']", tmp_path / "kept.html")
    file = page.context.new_page()
    file.goto((tmp_path / "kept.html").as_uri())
    expect(file.locator(".state")).to_contain_text("Revision 3 of")
    assert file.locator("table[data-table=streams] tbody tr", has_text="product").inner_text() == product
    page.on("dialog", lambda d: d.accept())
    press(page, ".kept [aria-label='Remove the copy as sold']")
    expect(page.locator(".kept")).to_have_count(0)


def test_the_report_is_light_at_night_too(page, row, tmp_path):
    page.goto(f"/p/{row.pk}/notebook/")
    ready(page)
    page.click("#theme")
    expect(page.locator("#paper .js-plotly-plot").first).to_be_visible()
    inks = page.locator("#paper").evaluate("node => [getComputedStyle(node).color, getComputedStyle(node).backgroundColor]")
    assert inks == ["rgb(38, 34, 28)", "rgb(255, 253, 249)"]
    download(page, "#report-html", tmp_path / "night.html")
    text = (tmp_path / "night.html").read_text()
    assert "rgb(236, 226, 210)" not in text and re.search(r"<text[^>]*>(?:<tspan[^>]*>)?pass", text)


def test_the_paper_is_remembered(page, row):
    page.goto(f"/p/{row.pk}/notebook/")
    expect(page.locator("#paper-size")).to_have_value("A4")
    page.select_option("#paper-size", "Letter")
    page.reload()
    expect(page.locator("#paper-size")).to_have_value("Letter")
