"""From an empty project to a rate law in its reactor with its band: by pasting, ticking and pressing, in at most 40 actions."""

import math

from acting import fill, go, press
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project

R = 8.314462618


def table():
    """Conversion of n-butane in closed vessels at three temperatures: first order, 0.01 1/min at 200 °C, 95 kJ/mol, with a small error."""
    lines = ["T, °C\tt / min\tX_n-butane %"]
    for T in (190, 200, 210):
        k = 0.01 * math.exp(-95e3 / R * (1 / (T + 273.15) - 1 / 473.15))
        for i, t in enumerate((10, 20, 40, 60, 90, 120)):
            lines.append(f"{T}\t{t}\t{100 * (1 - math.exp(-k * t)) * (1 + 0.008 * (-1) ** (i + T // 10)):.3f}")
    return "\n".join(lines)


def test_from_an_empty_project_to_a_law_with_its_band(page):
    done = []

    def user(act, *args):
        done.append(args)
        return act(page, *args)

    def type_in(page, selector, text):
        page.fill(selector, text)

    page.goto("/")
    user(type_in, "#new-name", "Dry Fork isomers")
    user(lambda p: p.click("#start-empty"))
    page.wait_for_load_state("load")
    user(type_in, "#new-equation", "n-butane = isobutane")
    user(press, "#add-reaction")
    user(lambda p: p.click("#reaction-r1 .more"))
    user(press, "#rate-add")

    user(go, "measured")
    user(type_in, "#sheet-text", table())
    user(press, "#sheet-take")
    expect(page.locator("#sheet-trouble")).to_contain_text("nothing says what is charged")
    user(lambda p: p.select_option("#sheet-phase", "vapour"))
    user(fill, "#charge-n-butane" if page.locator("#charge-n-butane").count() else "#charge-n_butane", "100 %")
    expect(page.locator("#sheet-words")).to_contain_text("18 readings, 3 runs")
    user(press, "#add-fit")
    expect(page.locator("#fit-answer .figure")).to_contain_text("k(200 °C) = ", timeout=60_000)
    user(lambda p: p.check("#find-r1energy"))
    expect(page.locator("#fit-answer .figure")).to_contain_text("E = 9", timeout=60_000)
    figure = page.locator("#fit-answer .figure").inner_text()
    assert 93.0 < float(figure.split("E = ")[1].split(" ")[0]) < 97.0, figure
    for plot in ("fit-through", "fit-parity", "fit-off", "fit-arrhenius", "fit-ellipse"):
        expect(page.locator(f"#{plot} .scatterlayer").first).to_be_attached()
    assert page.locator("#fit-arrhenius").bounding_box()["y"] < 700.0  # its pictures are above the fold
    page.select_option("#off-over", label="computed")
    user(press, "#use-it")
    expect(page.locator("#use-it")).to_contain_text("In use")

    user(go, "process")
    user(press, "#inspector button:has-text('Add a feed')")
    user(
        fill,
        "[id='f-feed1.flow.n-butane']" if page.locator("[id='f-feed1.flow.n-butane']").count() else "[id='f-feed1.flow.n_butane']",
        "1",
    )
    user(fill, "[id='f-feed1.temperature']", "200")
    user(press, "#append-plug-flow")
    expect(page.locator("#state")).to_contain_text("solved")
    user(press, "button[aria-label='watch Conversion of n-butane']")
    user(go, "scans")
    user(lambda p: p.click("#asked-sure"))
    expect(page.locator("#sure-fitted")).to_contain_text("together")
    expect(page.locator("#sure-bands")).to_contain_text(" to ", timeout=60_000)
    assert len(done) <= 40, len(done)


def test_a_row_is_left_out_and_comes_back(page, user):
    row = create_project(user, next(p for p in projects() if p.measurements), "Measured")
    page.goto(f"/p/{row.pk}/measured/?select=sheet:m1")
    expect(page.locator("#sheet-words")).to_contain_text("39 readings, 6 runs, 3 replicates")
    page.hover("#sheet-table tbody tr >> nth=2")
    page.fill("[aria-label='Why row 4 is left out']", "sample spilled")
    press(page, "#sheet-table tbody tr >> nth=2 >> button")
    expect(page.locator("#sheet-words")).to_contain_text("38 readings")
    expect(page.locator("#sheet-table tr.struck")).to_contain_text("sample spilled")
    press(page, "#sheet-table tr.struck button")
    expect(page.locator("#sheet-words")).to_contain_text("39 readings")
    page.click("#line-fitf2")
    expect(page.locator("#fit-answer")).to_contain_text("These data prefer", timeout=60_000)
    expect(page.locator("#rivals")).to_contain_text("second order")
    page.click("#measure-next summary")
    expect(page.locator("#measure-next")).to_contain_text("would narrow")
