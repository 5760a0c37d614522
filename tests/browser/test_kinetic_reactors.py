"""Rate laws, plug flow, stirred tank and sizing in a real browser."""

import math
import re

import pytest
from acting import fill, go, post
from helpers import document
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project


@pytest.fixture
def acid(user):
    return create_project(user, next(p for p in projects() if "acid" in p.name), "Demo project")


def test_plug_flow_from_an_empty_project(page, user):
    """First order in plug flow: X = 1 − e^(−kτ), τ read from the screen (Levenspiel, ch. 5)."""
    row = create_project(user, document({}, phase_model="ideal"), "Start")
    page.goto(f"/p/{row.pk}/chemistry/")
    page.fill("#new-equation", "n-butane = isobutane")
    post(page, lambda: page.click("#add-reaction"))
    page.click("#reaction-r1 .more")
    post(page, lambda: page.click("#rate-add"))
    fill(page, "[id='rate-forward.k']", "2 L/mol/s")
    expect(page.locator("#rate-error")).to_contain_text("k needs 1/time")
    expect(page.locator("#rate-error")).to_contain_text("would fit orders that add to 2")
    fill(page, "[id='rate-forward.k']", "36 1/h")
    expect(page.locator("#k-at")).to_contain_text("k 36.00 1/h")
    go(page, "process")
    post(page, lambda: page.click("#inspector button:has-text('Add a feed')"))
    for name, value in (
        ("flow.n-butane" if page.locator("[id='f-feed1.flow.n-butane']").count() else "flow.n_butane", "100"),
        ("temperature", "80"),
        ("pressure", "2"),
    ):
        fill(page, f"[id='f-feed1.{name}']", value)
    post(page, lambda: page.click("#append-plug-flow"))
    post(page, lambda: page.select_option("[id='f-R1.mode']", "isothermal"))
    fill(page, "[id='f-R1.temperature']", "80")
    fill(page, "[id='f-R1.volume']", "30")
    fill(page, "[id='f-R1.diameter']", "1 m")
    expect(page.locator("#state")).to_contain_text("solved in")
    inspector = page.locator("#inspector")
    text = inspector.locator(".result", has_text="Conversion of n").first.inner_text()
    conversion = float(re.search(r"([\d.]+) %", text)[1]) / 100
    tau = float(re.search(r"([\d.]+) min", inspector.locator(".result", has_text="Residence time").inner_text())[1])
    assert conversion == pytest.approx(1.0 - math.exp(-36.0 * tau / 60.0), abs=2e-3)
    expect(page.locator("#curves-plot .scatterlayer .trace")).to_have_count(2)
    page.click("#curve-groups [data-group=state]")
    expect(page.locator("#curves-plot")).to_contain_text("pressure")
    page.click("#show-ledger")
    expect(page.locator("#stream-feed1")).to_be_visible()
    expect(page.locator("#curves-plot")).to_be_hidden()
    page.click("#show-curves")
    with page.expect_download() as download:
        page.click("#profile-csv")
    lines = download.value.path().read_text(encoding="utf-8").splitlines()
    assert len(lines) >= 122 and lines[0].startswith("length [m],volume [m³]")


def test_three_steady_states_and_picking_one(page, acid):
    page.goto(f"/p/{acid.pk}/process/?select=TANK")
    rows = page.locator("#steady tbody tr, #steady > tr")
    expect(page.locator("#steady")).to_contain_text("unstable")
    expect(page.locator("#steady button")).to_have_count(2)
    expect(page.locator("#curves-plot .scatterlayer .trace")).to_have_count(3)
    first = rows.first.inner_text()
    post(page, lambda: page.locator("#steady button").first.click())
    expect(page.locator("[id='f-TANK.state']")).to_have_value("nearest")
    shown = page.locator("#inspector .result", has_text="Outlet temperature").inner_text()
    assert re.search(r"[\d.]+ °C", shown)[0] in first
    expect(page.locator("#inspector")).to_contain_text("3 steady states exist")


def test_sizing_and_putting_it_on_the_map(page, acid):
    page.goto(f"/p/{acid.pk}/sizing/")
    expect(page.locator("main")).to_contain_text("Press “Size it”")
    post(
        page,
        lambda: page.fill("#sizing-form [name=temperature]", "90") or page.press("#sizing-form [name=temperature]", "Tab"),
    )
    expect(page.locator("#sizing-plot .scatterlayer .trace")).to_have_count(2)
    expect(page.locator("#sizes")).to_contain_text("3 equal tanks in series")
    fill(page, "#sizing-form [name=target]", "130 %")
    expect(page.locator("#sizing-trouble")).to_contain_text("between 0 and 100 %")
    fill(page, "#sizing-form [name=target]", "70")
    post(page, lambda: page.click("#place-plug-before"))
    expect(page.locator("#inspector #rename")).to_have_value("R1")
    text = page.locator("#inspector .result", has_text="Conversion of acetic anhydride").inner_text()
    assert float(re.search(r"([\d.]+) %", text)[1]) == pytest.approx(70.0, abs=0.01)


def test_energy_in_the_wrong_unit_is_asked(page, acid):
    page.goto(f"/p/{acid.pk}/chemistry/?select=hydrolysis")
    fill(page, "[id='rate-forward.energy']", "72000")
    expect(page.locator("#inspector .why.question")).to_contain_text("Was 72 kJ/mol meant")
    post(page, lambda: page.click("#inspector button:has-text('72 kJ/mol')"))
    expect(page.locator("[id='rate-forward.energy']")).to_have_value("72 kJ/mol")
    expect(page.locator("#rate-samples")).to_contain_text("feed, liquid, 26.00 °C")
    post(page, lambda: page.select_option("#rate-law", "formula"))
    fill(page, "#rate-formula", "1e-3[1/s]*c.anhydride + T")
    expect(page.locator("#rate-error")).to_contain_text("cannot be added")
    fill(page, "#rate-formula", "1e-3[1/s]*c.anhydride")
    expect(page.locator("#state")).to_contain_text("solved in")
