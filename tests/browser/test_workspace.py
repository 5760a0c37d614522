"""The demo project: sliders, keyboard, errors, two tabs, leaving and coming back."""

import re

import pytest
from acting import fill, go, post, press, ready
from helpers import LIGHT, document, feed
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project


@pytest.fixture
def process(page, row):
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    return page


def test_map_shows_widths_shades_and_states(process):
    widths = process.locator(".stream-g .channel").evaluate_all(
        "ps => Object.fromEntries(ps.map(p => [p.parentNode.dataset.id, +p.getAttribute('stroke-width')]))"
    )
    assert widths["recycle"] > 3 * widths["purge"] and widths["S1"] > widths["S5"]
    shade = "id => +document.querySelector(`[data-id='${id}'] .channel`).getAttribute('stroke-opacity')"
    assert process.evaluate(shade, "gas") > process.evaluate(shade, "product")
    process.select_option("#shade-shows", "water")
    expect(process.locator("[data-id='water_feed'] .channel")).to_have_attribute("stroke-opacity", "1")
    assert process.evaluate(shade, "gas") < process.evaluate(shade, "product")
    process.select_option("#width-shows", "mass")
    expect(process.locator("#map-canvas")).to_contain_text("2\u202f865")  # 100 · 28.05 + 2 · 30.07 kg/h
    assert process.locator(".unit-g .st.good").count() == 7
    assert "solved" in process.locator("[data-id='R1']").get_attribute("aria-label")


def test_no_plate_or_label_leaves_the_map(process):
    outside = process.evaluate(
        """() => { const box = document.querySelector('#map-canvas').getBoundingClientRect();
        return [...document.querySelectorAll('#map-canvas .unit-g, #map-canvas text')].filter(n => { const b = n.getBoundingClientRect();
        return b.left < box.left - 1 || b.right > box.right + 1 || b.top < box.top || b.bottom > box.bottom;
        }).map(n => n.textContent); }"""
    )
    assert outside == []


def test_keyboard_walks_the_map_and_opens(process):
    process.keyboard.press("m")
    process.keyboard.press("ArrowRight")
    names = []
    for _ in range(4):
        names.append(process.evaluate("document.activeElement.dataset.id"))
        process.keyboard.press("ArrowRight")
    assert len(set(names)) == 4
    process.locator("[data-id='R1']").focus()
    process.keyboard.press("Enter")
    expect(process.locator("#rename")).to_have_value("R1")
    process.keyboard.press("Escape")
    expect(process.locator("#inspector")).to_contain_text("Whole process")
    process.keyboard.press("?")
    expect(process.locator("#keys")).to_be_visible()
    process.keyboard.press("Escape")
    process.keyboard.press("Control+k")
    process.keyboard.type("drum")
    process.keyboard.press("Enter")
    expect(process.locator("#rename")).to_have_value("DRUM")
    process.keyboard.press("Alt+1")
    expect(process.locator("#species")).to_be_visible()


def test_slider_solves_while_it_moves_and_saves_when_let_go(process, row):
    box = process.locator("#slider-reactor_T").bounding_box()
    before = process.locator("#gauge-overall .value").inner_text().split(" ✓")[0]
    process.mouse.move(box["x"] + box["width"] * 0.43, box["y"] + box["height"] / 2)
    process.mouse.down()
    process.mouse.move(box["x"] + box["width"] * 0.9, box["y"] + box["height"] / 2, steps=6)
    expect(process.locator("#gauge-overall .value")).not_to_contain_text(before)
    expect(process.locator("#gauge-overall")).to_have_class("gauge outside")
    row.refresh_from_db()
    assert row.current.number == 1  # not saved yet
    with process.expect_response(lambda r: "/do/turn/" in r.url):
        process.mouse.up()
    expect(process.locator(".history")).to_contain_text("revision 2")
    process.keyboard.press("Escape")
    process.locator("#map-canvas").click(position={"x": 5, "y": 120})
    with process.expect_response(lambda r: "/undo/" in r.url):
        process.keyboard.press("Control+z")
    expect(process.locator("#gauge-overall .value")).to_contain_text(before)


def test_an_edit_shows_new_figures_and_keeps_the_place(process):
    process.click("#stream-product a")
    expect(process.locator("#rename")).to_have_value("product")
    process.locator("[data-id='COOL']").click()
    fill(process, "[id='f-COOL.temperature']", "140 F")
    expect(process.locator("#stream-product td").first).to_have_text("60.0")
    assert process.evaluate("document.activeElement.id") == "f-COOL.pressure_drop"  # the next field
    assert "select=COOL" in process.url
    process.reload()
    expect(process.locator("[id='f-COOL.temperature']")).to_have_value("140 F")


def test_a_pressure_that_nothing_raises_is_solved_and_mended_by_a_press(process):
    process.goto(process.url + "?select=DRUM")
    fill(process, "[id='f-DRUM.pressure']", "90 bar")
    expect(process.locator("#state")).to_contain_text("solved in")
    expect(process.locator("#inspector")).to_contain_text("material does not flow uphill")
    with process.expect_response(lambda r: "/do/cure/" in r.url):
        process.locator("#inspector button", has_text="put a compressor before it").click()
    expect(process.locator("#map-canvas .unit-g")).to_have_count(8)
    expect(process.locator("#state")).to_contain_text("solved in")
    expect(process.locator("#todo")).not_to_contain_text("uphill")
    expect(process.locator("#todo button", has_text="put a valve in its place")).to_be_visible()  # K1, which now lowers the pressure
    with process.expect_response(lambda r: "/undo/" in r.url):
        process.click("#undo")
    expect(process.locator("#map-canvas .unit-g")).to_have_count(7)


@pytest.mark.parametrize(
    ("select", "field", "typed", "words"),
    [
        ("R1", "R1.temperature", "36 foo", "not a unit Gulch knows"),
        ("R1", "R1.temperature", "5 bar", "unit of pressure"),
        ("R1", "R1.temperature", "-400", "below absolute zero"),
        ("H1", "H1.pressure_drop", "80 bar", "not below the inlet pressure"),
        ("SPLIT", "SPLIT.drawn", "120", "above 100"),
        ("water_feed", "water_feed.flow.water", "-5", "negative"),
    ],
)
def test_bad_input_says_so_in_the_field_and_is_counted_in_the_list(process, select, field, typed, words):
    process.goto(process.url + f"?select={select}")
    before = process.locator("#gauge-overall .value").inner_text().split(" ✓")[0]
    fill(process, f"[id='f-{field}']", typed)
    expect(process.locator("#state")).to_contain_text("not solved")
    expect(process.locator("#todo .error").first).to_contain_text(f"{select}: 1 line in its panel.")
    expect(process.locator(f"[id='e-{field}']")).to_contain_text(words)
    expect(process.locator("#stale")).to_contain_text("figures are those of revision 1")
    expect(process.locator("#gauge-overall .value")).to_contain_text(before)
    assert process.locator(f"[id='f-{field}']").input_value().startswith(typed)
    with process.expect_response(lambda r: "/undo/" in r.url):
        process.click("#undo")
    expect(process.locator("#state")).to_contain_text("solved in")


def test_two_tabs(process, browser, live_server, row):
    other = process.context.new_page()
    other.goto(f"/p/{row.pk}/process/?select=R1")
    fill(other, "[id='f-R1.temperature']", "310")
    process.goto(f"/p/{row.pk}/process/?select=COOL")
    other.bring_to_front()
    fill(other, "[id='f-R1.temperature']", "312")
    fill(process, "[id='f-COOL.temperature']", "61")
    expect(process.locator("#conflict")).to_contain_text("changed in another tab")
    expect(process.locator("#conflict")).to_contain_text("61")
    with process.expect_response(lambda r: "/do/set/" in r.url):
        process.click("#apply-again")
    expect(process.locator("[id='f-COOL.temperature']")).to_have_value("61 °C")
    row.refresh_from_db()
    units = {u["id"]: u for u in row.current.document["units"]}
    assert (units["R1"]["heat"]["temperature"], units["COOL"]["temperature"]) == ("312 degC", "61 degC")


def test_unbalanced_equation_is_mended_by_its_offer(page, row):
    page.goto(f"/p/{row.pk}/chemistry/")
    fill(page, "#equation-hydration", "C2H4 + 2 H2O = ethanol")
    card = page.locator("#reaction-hydration")
    expect(card).to_contain_text("not balanced: H 8 against 6")
    expect(page.locator("#rail-chemistry b")).to_have_text("1")
    with page.expect_response(lambda r: "/do/" in r.url):
        card.locator("text=Take").click()
    expect(card).to_contain_text("balanced: ethylene + water = ethanol")
    expect(page.locator("#state")).to_contain_text("solved in")


def test_loop_that_cannot_settle_names_the_species_and_goes_on(page, user):
    project = document(
        LIGHT,
        [
            {"id": "MIX", "kind": "mixer"},
            {"id": "SEP", "kind": "species-separator", "share": {"hydrogen": "100 %", "nitrogen": "90 %"}},
            {"id": "SPLIT", "kind": "splitter", "drawn": "0 %"},
        ],
        [
            feed("fresh", "MIX", {"hydrogen": "1 kmol/h", "nitrogen": "1 kmol/h"}),
            {"id": "m", "from": "MIX", "to": "SEP"},
            {"id": "gas", "from": "SEP.first", "to": "SPLIT"},
            {"id": "out", "from": "SEP.second"},
            {"id": "purge", "from": "SPLIT.drawn"},
            {"id": "back", "from": "SPLIT.rest", "to": "MIX"},
        ],
    )
    row = create_project(user, project, "Start")
    page.goto(f"/p/{row.pk}/loops/")
    expect(page.locator("#advice")).to_contain_text("hydrogen builds up: 1.000 kmol/h")
    expect(page.locator("#advice")).to_contain_text("purge")
    expect(page.locator("#plot-loop-1 .scatterlayer")).to_be_visible()
    expect(page.locator("#todo")).to_contain_text("1 on loops, targets and ties: it stands beside.")
    kept = page.locator("#tear-back tr", has_text="hydrogen").locator("td")
    reached = float(kept.nth(1).inner_text())
    with page.expect_response(lambda r: "/go-on/" in r.url):
        page.click("#go-on")
    expect(kept.nth(0)).to_have_text(f"{reached:.2f}")  # it went on from there
    page.goto(f"/p/{row.pk}/process/?select=SPLIT")
    fill(page, "[id='f-SPLIT.drawn']", "5")
    expect(page.locator("#state")).to_contain_text("solved in")
    expect(page.locator("#stream-purge td").nth(4)).to_have_text("1.000")  # hydrogen


def test_scan_shows_progress_and_can_be_stopped(page, row):
    page.goto(f"/p/{row.pk}/scans/")
    fill(page, "#scan-points", "400")
    page.click("#run-scan")
    expect(page.locator("#scan-progress")).to_contain_text("of 400 points")
    page.click("#cancel-scan")
    expect(page.locator("#scan-state")).to_contain_text("Stopped.", timeout=60_000)
    fill(page, "#scan-points", "5")
    page.click("#run-scan")
    expect(page.locator("#scan-state")).to_contain_text("5 of 5 points", timeout=60_000)
    expect(page.locator("#scan-table")).to_contain_text("53.91")
    with page.expect_response(lambda r: "/carry/" in r.url):
        page.click("#scan-table [aria-label='use 6.5 %']")
    expect(page.locator("#knob-value-purge_share")).to_have_value("6.5 %")


def test_light_and_dark_and_units(process):
    process.click("#theme")
    assert process.evaluate("document.documentElement.dataset.bsTheme") == "dark"
    with process.expect_response(lambda r: "/do/display/" in r.url):
        process.select_option("#display", "us-customary")
    expect(process.locator(".ledger-table thead")).to_contain_text("lbmol/h")
    process.reload()
    assert process.evaluate("document.documentElement.dataset.bsTheme") == "dark"


def test_a_lost_server_is_said(process):
    process.context.set_offline(True)
    process.locator("[data-id='COOL']").focus()
    process.fill("#knob-value-drum_T", "55 degC")
    process.press("#knob-value-drum_T", "Enter")
    expect(process.locator("#fault")).to_contain_text("cannot be reached")
    expect(process.locator("#knob-value-drum_T")).to_have_class(re.compile("unsent"))
    here = process.url
    process.click("#rail-scans")  # neither the page nor its address goes away
    expect(process.locator("#knob-value-drum_T")).to_have_value("55 degC")
    assert process.url == here
    process.context.set_offline(False)
    expect(process.locator("#knob-value-drum_T")).not_to_have_class(re.compile("unsent"))
    expect(process.locator("#fault")).to_be_hidden()
    process.reload()
    expect(process.locator("#knob-value-drum_T")).to_have_value("55 °C")


def test_what_was_typed_while_the_server_was_away_is_sent_by_enter_and_not_overwritten(process):
    process.route("**/do/turn/", lambda route: route.abort())
    process.fill("#knob-value-drum_T", "58 degC")
    process.press("#knob-value-drum_T", "Enter")
    expect(process.locator("#knob-value-drum_T")).to_have_class(re.compile("unsent"))
    process.unroute("**/do/turn/")
    with process.expect_response(lambda r: "/do/turn/" in r.url):
        process.press("#knob-value-drum_T", "Enter")
    process.press("#knob-value-drum_T", "Tab")
    expect(process.locator("#knob-value-drum_T")).to_have_value("58 °C")
    process.reload()
    expect(process.locator("#knob-value-drum_T")).to_have_value("58 °C")


def test_a_slider_follows_what_is_typed_and_undone(process):
    """Tab from the value lands on its slider: a step from there goes from the value typed, and undo takes the slider back."""
    slider = process.locator("#slider-drum_T")
    before = slider.input_value()
    process.fill("#knob-value-drum_T", "60 degC")
    process.press("#knob-value-drum_T", "Tab")
    process.keyboard.press("ArrowRight")  # too early: the answer is not there
    expect(process.locator("#knob-value-drum_T")).to_have_value("60 °C")
    assert slider.input_value() == slider.get_attribute("value") != before
    with process.expect_response(lambda r: "/do/turn/" in r.url):
        process.keyboard.press("ArrowRight")
    expect(process.locator("#knob-value-drum_T")).to_have_value(re.compile(r"^60\.\d"))
    process.click("#undo")
    expect(process.locator("#knob-value-drum_T")).to_have_value("60 °C")
    assert slider.input_value() == slider.get_attribute("value")


def test_a_default_typed_as_it_stands_is_no_longer_assumed(page, user):
    heater = document(
        {"water": "7732-18-5"},
        [{"id": "H", "kind": "heater", "temperature": "60 degC"}],
        [feed("f", "H", {"water": "1 kmol/h"}), {"id": "o", "from": "H"}],
    )
    page.goto(f"/p/{create_project(user, heater, 'heater').pk}/process/?select=H")
    field = page.locator(".field.assumed input[name=value]").first
    id_, text = field.get_attribute("id"), field.input_value()
    field.fill("")
    field.press_sequentially(text)
    field.press("Tab")
    expect(page.locator(f".field:not(.assumed) [id='{id_}']")).to_have_value(text)


def test_an_overtaken_answer_does_not_bring_an_older_state_back(process):
    """A page asked for before an edit but answered after it is dropped."""
    held = []
    process.route("**/process/?select=COOL", lambda route: held.append(route) if not held else route.continue_())
    process.click("#stream-S4 a")
    process.locator("#stream-S4.here").wait_for()
    process.locator("[data-id='COOL']").click()
    process.fill("#knob-value-purge_share", "8")
    process.press("#knob-value-purge_share", "Tab")
    expect(process.locator(".history")).to_contain_text("revision 2")
    held[0].fulfill(status=200, headers={"X-Gulch-Version": "1", "Content-Type": "text/html"}, body='<div id="workspace">old</div>')
    process.wait_for_timeout(400)
    expect(process.locator(".history")).to_contain_text("revision 2")
    expect(process.locator("#knob-value-purge_share")).to_have_value("8 %")


def test_an_edits_answer_does_not_call_the_user_back(process):
    """Someone who goes elsewhere before an edit is answered stays there, and the edit counts."""
    held = []
    process.route("**/do/set/", lambda route: held.append(route))
    process.click("#stream-S4 a")
    process.locator("[data-id='COOL']").click()
    process.fill("[id='f-COOL.temperature']", "55")
    process.press("[id='f-COOL.temperature']", "Tab")
    go(process, "loops")
    expect(process.locator("#passes")).to_be_visible()
    held[0].continue_()
    expect(process.locator(".history")).to_contain_text("revision 2")
    expect(process.locator("#passes")).to_be_visible()


@pytest.mark.parametrize("key", ["Tab", "Enter"])
def test_text_being_typed_outlives_what_is_swapped_in_meanwhile(page, row, key):
    """Whatever an answer does to the field, its text and cursor stay, and it is sent when the field is left or entered."""
    page.goto(f"/p/{row.pk}/process/?select=H1")
    field = page.locator("[id='f-H1.temperature']")
    field.click()
    field.press("Control+a")
    page.keyboard.type("231 deg")
    for swap in ("outerHTML", "morph:outerHTML"):
        page.evaluate("swap => htmx.ajax('GET', location.href, {target: '#workspace', swap})", swap)
        expect(page.locator(".htmx-request")).to_have_count(0)
        expect(field).to_have_value("231 deg")
    page.keyboard.type("C")
    expect(field).to_have_value("231 degC")
    post(page, lambda: page.keyboard.press(key))
    expect(page.locator("#state")).to_contain_text("solved in")
    if key == "Tab":  # what one is still in is left alone
        expect(field).to_have_value("231 °C")
    page.reload()
    expect(field).to_have_value("231 °C")


def test_enter_sends_a_form_without_leaving_the_page(page, row):
    """In a form that is sent as its fields change, and in one whose scripts are not there yet."""
    page.goto(f"/p/{row.pk}/chemistry/")
    field = page.locator("#conversion-hydration")
    ready(page)
    field.fill("6 %")
    post(page, lambda: field.press("Enter"))
    assert "value=" not in page.url
    page.reload()
    expect(field).to_have_value("6 %")
    held = []
    page.route("**/htmx.min*.js", lambda route: held.append(route))
    page.goto(f"/p/{row.pk}/chemistry/", wait_until="commit")
    page.fill("#new-equation", "C2H4 + H2O = ethanol")
    page.press("#new-equation", "Enter")
    page.wait_for_timeout(300)
    expect(page.locator("#new-equation")).to_have_value("C2H4 + H2O = ethanol")
    assert "equation=" not in page.url
    held[0].continue_()
    ready(page)


def test_a_form_not_sent_yet_outlives_what_is_swapped_in(page, row):
    """Wherever the focus is: a choice and a text stay until the form is sent; what was sent is forgotten."""
    page.goto(f"/p/{row.pk}/scans/?select=sure")
    other = page.locator("#add-spread option").nth(2).get_attribute("value")
    page.select_option("#add-spread", other)
    page.locator("#add-unsure").focus()
    for swap in ("outerHTML", "morph:outerHTML"):
        page.evaluate("swap => htmx.ajax('GET', location.href, {target: '#workspace', swap})", swap)
        expect(page.locator(".htmx-request")).to_have_count(0)
        expect(page.locator("#add-spread")).to_have_value(other)
    press(page, "#add-unsure")
    expect(page.locator("#add-spread")).not_to_have_value(other)
    page.goto(f"/p/{row.pk}/variants/")
    page.fill("#new-variant [name=name]", "half typed")
    page.locator("#rail-process").focus()
    page.evaluate("htmx.ajax('GET', location.href, {target: '#workspace', swap: 'morph:outerHTML'})")
    expect(page.locator(".htmx-request")).to_have_count(0)
    expect(page.locator("#new-variant [name=name]")).to_have_value("half typed")


def test_the_finder_does_what_is_typed(process):
    def do(words, offered):
        process.keyboard.press("Control+k")
        process.keyboard.type(words)
        expect(process.locator("#palette-list [aria-selected=true]")).to_contain_text(offered)
        process.keyboard.press("Enter")

    do("set purge share 8 %", "Set purge share")
    expect(process.locator("#knob-value-purge_share")).to_have_value("8 %")
    do("watch duty of COOL", "Watch Duty of COOL")
    expect(process.locator("#strip")).to_contain_text("Duty of COOL")
    do("append flash drum to product", "Append flash drum to product")
    expect(process.locator("#rename")).to_have_value(re.compile("DRUM"))
    do("run scan of purge", "Run scan of purge share")
    expect(process.locator("#scan-state")).to_contain_text("13 of 13 points", timeout=200_000)


def test_the_finder_waits_for_what_it_knows(process):
    """Enter counts even where it comes before the commands do, and what was found belongs to the project as it now is."""

    def slowly(route):
        process.wait_for_timeout(400)
        route.continue_()

    process.route("**/known/commands/", slowly)
    process.keyboard.press("Control+k")
    process.keyboard.type("Open unit SPL")
    process.keyboard.press("Enter")
    expect(process.locator("#rename")).to_have_value("SPLIT", timeout=10_000)
    process.unroute("**/known/commands/")
    fill(process, "#rename", "PURGER")
    process.route("**/known/*/", lambda route: route.abort())
    for _ in range(2):  # what cannot be had breaks nothing, and is asked for again
        process.keyboard.press("Control+k")
        process.keyboard.type("Open unit PURG")
        expect(process.locator("#palette-list")).to_contain_text("Nothing fits")
        process.keyboard.press("Escape")
    process.unroute("**/known/*/")
    process.keyboard.press("Control+k")
    process.keyboard.type("Open unit PURG")
    expect(process.locator("#palette-list [aria-selected=true]")).to_contain_text("Open unit PURGER")


def test_a_field_says_what_it_means_and_leads_to_its_page(process, row):
    process.goto(f"/p/{row.pk}/process/?select=R1")
    process.locator("[id='f-R1.pressure_drop']").focus()
    said = process.locator("#meaning")
    expect(said).to_contain_text("Pressure drop inlet less outlet pressure")
    with process.context.expect_page() as opened:
        process.keyboard.press("F1")
    page = opened.value
    expect(page.locator("h1")).to_have_text("Equilibrium reactor")
    expect(page.locator("dt:target")).to_have_text("Pressure drop")
    page.close()
    process.keyboard.press("Escape")
    process.locator("#map-canvas").hover()
    expect(said).to_be_hidden()


def test_the_finder_finds_help(process):
    process.keyboard.press("Control+k")
    process.fill("#palette-input", "least gibbs energy")
    row = process.locator("#palette-list li", has_text="Help: Gibbs reactor").first
    expect(row).to_be_visible()
    row.click()
    expect(process.locator("h1")).to_have_text("Gibbs reactor")
    expect(process.locator(".relations li").first).to_contain_text("element")


def test_one_goes_from_a_purity_back_to_its_datum(process, row):
    process.goto(f"/p/{row.pk}/process/?select=gauge:purity")
    process.click("#why-gauge")
    expect(process.locator("#why .formula").last).to_be_visible()
    expect(process.locator("#why .figure")).to_have_text("61.59 %")
    for stream in ("S4", "S3"):
        process.click(f"#why a:has-text('{stream}, which enters')")
        expect(process.locator("#why h2")).to_have_text(f"Mass fraction of ethanol in {stream}")
    process.click("#why a:has-text('Formation enthalpy of ethanol')")
    expect(process.locator("#datum-of-formation_enthalpy .source")).to_contain_text("Active Thermochemical Tables")


def cards(page, kind):
    return page.locator(f"#strip .readings:not(.put-away) > [data-card={kind}]").evaluate_all("all => all.map((n) => n.dataset.id)")


def test_knobs_and_gauges_are_ordered_by_keys_and_by_drag_and_hidden(process):
    ready(process)
    first, second, *_ = cards(process, "gauge")
    process.focus(f"#gauge-{first}")
    post(process, lambda: process.keyboard.press("Shift+ArrowRight"))
    assert cards(process, "gauge")[:2] == [second, first]
    expect(process.locator(f"#gauge-{first}")).to_be_focused()
    knobs = cards(process, "knob")
    post(process, lambda: process.locator(f"#knob-{knobs[-1]} a.name").drag_to(process.locator(f"#knob-{knobs[0]}")))
    assert cards(process, "knob") == [knobs[-1], *knobs[:-1]]
    process.click(f"#gauge-{second} .name")
    press(process, "#hide-card")
    assert second not in cards(process, "gauge")
    expect(process.locator("#more-cards")).to_have_text(re.compile(r"^\+\d"))
    process.click("#more-cards")
    expect(process.locator("#hidden-cards")).to_contain_text("1 hidden")
    expect(process.locator("#state")).to_contain_text("solved")
    press(process, "#show-card")
    assert second in cards(process, "gauge")
    expect(process.locator("#hidden-cards")).to_have_count(0)


def test_a_figure_of_the_ledger_leads_to_where_it_comes_from(process):
    ready(process)
    process.locator("#stream-product td").nth(1).click()
    expect(process.locator("#why h2")).to_have_text("Pressure of product")
    process.locator("#ledger-menu summary").click()
    post(process, lambda: process.check("[name=across]"))
    process.goto(process.url.split("?")[0])
    process.locator("tr[data-key='flow.ethanol'] td").nth(3).click()
    expect(process.locator("#why h2")).to_contain_text("Flow of ethanol in")


def focused(page):
    return page.evaluate("document.activeElement.id || document.activeElement.localName")


def test_the_focus_never_falls_on_nothing(page, row):
    """After a stage by its key, after adding a species, after a command, after a value that takes the slider away."""
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    page.keyboard.press("Alt+1")
    expect(page.locator("#species-search")).to_be_visible()
    assert focused(page) == "main"
    page.fill("#species-search", "argon")
    page.locator("#found button").first.wait_for()
    with page.expect_response(lambda r: "/do/species-add/" in r.url):
        page.locator("#found button").first.click()
    expect(page.locator("#species")).to_contain_text("argon")
    assert focused(page) == "species-search"
    page.fill("#species-search", "krypton")
    with page.expect_response(lambda r: "/do/species-add/" in r.url):
        page.keyboard.press("Enter")
    expect(page.locator("#species")).to_contain_text("krypton")
    page.keyboard.press("Escape")
    page.keyboard.press("Alt+3")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    page.fill("#knob-value-drum_T", "36 foo")
    page.press("#knob-value-drum_T", "Tab")
    expect(page.locator("#knob-why-drum_T")).to_contain_text("foo")
    expect(page.locator("#knob-value-drum_T")).to_have_attribute("aria-invalid", "true")
    assert focused(page) != "body"
    page.keyboard.press("Escape")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("i")
    assert page.evaluate("document.getElementById('inspector').contains(document.activeElement)")


def test_back_fetches_once_and_a_double_click_makes_one_thing(page, row):
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    page.click("#rail-loops")
    page.wait_for_url("**/loops/")
    asked = []
    page.on("request", lambda r: asked.append(r.url) if r.resource_type in ("document", "xhr", "fetch") else None)
    page.go_back()
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    assert len([url for url in asked if url.endswith("/process/")]) == 1, asked
    feeds = page.locator(".ledger-table tbody tr").count()
    with page.expect_response(lambda r: "/do/add-feed/" in r.url):
        page.dblclick("#add-feed")
    expect(page.locator(".ledger-table tbody tr")).to_have_count(feeds + 1)
    page.wait_for_timeout(500)
    assert page.locator(".ledger-table tbody tr").count() == feeds + 1
