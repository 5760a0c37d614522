"""What a user is told before believing a figure: assumed values, doubtful shares, outlets, formulas; by typing and clicking."""

import pytest
from acting import fill, post
from helpers import demo
from playwright.sync_api import expect

from gulch.engine.document import load
from gulch.web.projects.actions import create_project


@pytest.fixture
def process(page, row):
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#state")).to_contain_text("solved in")
    return page


def test_a_bare_share_is_asked_about_and_answered_in_the_field(process):
    process.goto(process.url + "?select=SPLIT")
    fill(process, "[id='f-SPLIT.drawn']", "0.08")
    expect(process.locator("#inspector .answers")).to_contain_text("8 %")
    expect(process.locator("[id='f-SPLIT.drawn']")).to_have_value("0.08 %")
    expect(process.locator("#inspector")).to_contain_text("Was 8 % meant?")
    expect(process.locator("#todo .question")).to_contain_text("SPLIT: 1 line in its panel.")
    post(process, lambda: process.click("#inspector .answers button >> nth=0"))
    expect(process.locator("[id='f-SPLIT.drawn']")).to_have_value("8 %")
    expect(process.locator("#todo .question")).to_have_count(0)
    post(process, lambda: process.click("#undo"))
    expect(process.locator("#todo .question")).to_have_count(1)


def test_assumed_values_have_a_look_of_their_own_and_are_taken(process):
    process.goto(process.url + "?select=H1")
    fill(process, "[id='f-H1.pressure_drop']", "")
    expect(process.locator(".field.assumed")).to_have_count(1)
    expect(process.locator("#todo")).to_contain_text("H1: 1 line in its panel.")
    post(process, lambda: process.locator("#inspector p", has_text="H1: 1 assumed: pressure drop.").locator(".take").click())
    expect(process.locator(".field.assumed")).to_have_count(0)
    expect(process.locator("#todo")).to_contain_text("all is given and solved")


def test_a_tank_that_lets_vapour_leave_keeps_its_product(page, user):
    """The product goes on as the liquid, the vapour gets a stream, and one undo takes all of it back."""
    from gulch.demo import projects

    row = create_project(user, projects()[3], "Demo project")
    page.goto(f"/p/{row.pk}/process/?select=TANK")
    streams = page.locator(".ledger-table tbody tr")
    expect(streams).to_have_count(2)
    post(page, lambda: page.select_option("[id='f-TANK.phase']", "both"))
    expect(streams).to_have_count(3)
    expect(page.locator("#todo .error")).to_have_count(0)
    page.goto(f"/p/{row.pk}/process/?select=product")
    expect(page.locator("#f-outlet option:checked")).to_contain_text("liquid")
    post(page, lambda: page.select_option("#f-outlet", "vapour"))
    expect(page.locator("#f-outlet option:checked")).to_contain_text("vapour")
    post(page, lambda: page.click("#undo"))
    post(page, lambda: page.click("#undo"))
    expect(streams).to_have_count(2)


def test_a_formula_is_watched_with_addresses_found_by_typing(process):
    process.keyboard.press("Escape")
    process.click("#formula-gauge summary")
    process.fill("#new-gauge-label", "water per ethylene")
    process.locator("#new-gauge-formula").press_sequentially("water_feed.flow.wa")
    expect(process.locator("#formula-list li").first).to_contain_text("water_feed")
    process.keyboard.press("ArrowDown")
    process.keyboard.press("Enter")
    process.locator("#new-gauge-formula").press_sequentially(" / ethylene_feed.flow.ethylene")
    post(process, lambda: process.click("#add-formula-gauge"))
    expect(process.locator(".gauge", has_text="water per ethylene")).to_contain_text("1.3")


def test_a_kind_is_found_by_typing(process):
    process.click("#stream-product a")
    process.fill("#kind-filter", "distils key")
    expect(process.locator("#append .kind:visible")).to_have_count(1)
    post(process, lambda: process.press("#kind-filter", "Enter"))
    expect(process.locator("#rename")).to_have_value("COL1")


def test_the_finder_closes_with_one_escape_and_watching_keeps_the_place(process):
    process.keyboard.press("Control+k")
    process.keyboard.type("undo")
    process.keyboard.press("Escape")
    expect(process.locator("#palette")).not_to_be_visible()
    process.locator("[data-id='COOL']").click()
    expect(process.locator("#rename")).to_have_value("COOL")
    post(process, lambda: process.click("#inspector .result button.pin >> nth=0"))
    expect(process.locator("#rename")).to_have_value("COOL")
    process.focus("[id='f-COOL.pressure_drop']")
    post(process, lambda: process.keyboard.press("Alt+k"))
    expect(process.locator("#strip .knob", has_text="Pressure drop of COOL")).to_have_count(1)
    expect(process.locator("#rename")).to_have_value("COOL")


def test_what_a_failure_does_not_touch_stands(page, user):
    project = demo().dump()
    project["units"].append({"id": "COLD", "kind": "heater", "duty": "-50 MW"})
    project["streams"] = [s | ({"to": "COLD"} if s["id"] == "product" else {}) for s in project["streams"]]
    project["streams"].append({"id": "down", "from": "COLD"})
    row = create_project(user, load(project), "A cooler that takes more heat than there is")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#missing")).to_contain_text("COLD could not be computed")
    expect(page.locator("#stream-product td").first).not_to_have_text("–")
    expect(page.locator("#stream-down td").first).to_have_text("–")


def test_a_stream_is_pinned_and_put_beside_others(process):
    post(process, lambda: process.click("#stream-purge .pin-row", force=True))
    expect(process.locator(".ledger-table tbody tr").first).to_have_attribute("id", "stream-purge")
    process.click("#ledger-menu summary")
    post(process, lambda: process.check("#ledger-menu [name=across]"))
    expect(process.locator(".ledger-table.across thead")).to_contain_text("purge")


def test_given_by_keeps_the_amounts(process):
    process.goto(process.url + "?select=ethylene_feed")
    before = process.locator("#stream-ethylene_feed").inner_text()
    for basis in ("mass", "mole-fractions", "mass-fractions", "mole-ratios", "molar"):
        post(process, lambda b=basis: process.select_option("#f-basis", b))
        expect(process.locator("#state")).to_contain_text("solved in")
        assert process.locator("#stream-ethylene_feed").inner_text() == before
    fill(process, "[id='f-ethylene_feed.flow.ethylene']", "2805.3 kg/h")  # M = 28.053 g/mol
    value = process.input_value("[id='f-ethylene_feed.flow.ethylene']")
    assert value.endswith("kmol/h") and float(value.split()[0]) == pytest.approx(100.0, abs=0.01)
