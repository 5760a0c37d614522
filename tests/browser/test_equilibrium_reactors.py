"""An equilibrium and a Gibbs reactor built from an empty project."""

import re

import pytest
from acting import go, post
from helpers import document
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project


@pytest.mark.parametrize("kind", ["equilibrium-reactor", "gibbs-reactor"])
def test_shift_reactor_from_an_empty_project(page, user, kind):
    """Equimolar CO and steam at 225 °C convert about 92 % of the CO (common practice)."""
    row = create_project(user, document({}), "Start")
    page.goto(f"/p/{row.pk}/chemistry/")
    page.fill("#new-equation", "CO + H2O = CO2 + H2")
    post(page, lambda: page.click("#add-reaction"))
    page.select_option("#phase-model", "ideal")  # the next steps do not wait for its answer
    go(page, "process")
    post(page, lambda: page.click("#inspector button:has-text('Add a feed')"))
    for name, value in (("flow.carbon_monoxide", "100"), ("flow.water", "100 kmol/h"), ("temperature", "225")):
        page.fill(f"[id='f-feed1.{name}']", value)
        post(page, lambda name=name: page.press(f"[id='f-feed1.{name}']", "Tab"))
    post(page, lambda: page.click(f"#append-{kind}"))
    post(page, lambda: page.select_option("[id='f-R1.mode']", "isothermal"))
    page.fill("[id='f-R1.temperature']", "225")
    post(page, lambda: page.press("[id='f-R1.temperature']", "Tab"))
    expect(page.locator("#state")).to_contain_text("solved in")
    text = page.locator("#inspector .result", has_text="Conversion of carbon monoxide").inner_text()
    assert float(re.search(r"([\d.]+) %", text)[1]) == pytest.approx(91.8, abs=1.0)
    if kind == "equilibrium-reactor":
        cells = page.locator("#equilibria tbody td, #equilibria tr td").all_inner_texts()
        assert cells[0] == cells[1]  # K and what is reached
        expect(page.locator("#inspector")).to_contain_text("pressure hardly matters")
    else:
        expect(page.locator("#inspector")).to_contain_text("Element potential of C")
        expect(page.locator("#inspector")).to_contain_text("Carbon activity")
