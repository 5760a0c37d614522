"""A reactor effluent of three phases: the recommended model, a three-phase separator behind it, and the loop closed over its oil."""

from acting import post, press
from helpers import document, feed
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project

SPECIES = {"eb": "100-41-4", "styrene": "100-42-5", "hydrogen": "1333-74-0", "steam": "7732-18-5"}


def chain():
    """Feed, mixer, reactor, cooler: ethylbenzene with steam, of which the way back is still open."""
    return document(
        SPECIES,
        [
            {"id": "MIX", "kind": "mixer"},
            {"id": "R", "kind": "stoichiometric-reactor", "set": "s", "heat": {"mode": "isothermal", "temperature": "600 degC"}},
            {"id": "COOL", "kind": "heater", "temperature": "40 degC", "pressure_drop": "0 bar"},
        ],
        [
            feed("fresh", "MIX", {"eb": "100 kmol/h", "steam": "900 kmol/h"}, T="500 degC", P="1.5 bar"),
            {"id": "into", "from": "MIX", "to": "R"},
            {"id": "hot", "from": "R", "to": "COOL"},
            {"id": "cold", "from": "COOL"},
        ],
        [{"id": "r", "equation": "eb = styrene + hydrogen", "conversion": {"key": "eb", "value": "40 %"}}],
        [{"id": "s", "steps": [["r"]]}],
        phase_model="peng-robinson",
    )


def flow(page, stream, species):
    """kmol/h of a species in a stream, as the ledger shows it."""
    heads = page.locator(".ledger-table thead th").all_inner_texts()
    at = next(i for i, h in enumerate(heads) if h.startswith(species))
    return float(page.locator(f"#stream-{stream} td").nth(at - 1).inner_text().replace("\u202f", "").replace("\u2009", ""))


def test_three_phases_are_parted_and_the_oil_goes_round(page, user):
    row = create_project(user, chain(), "Start")
    base = f"/p/{row.pk}"
    page.goto(f"{base}/process/?select=cold")
    expect(page.locator("#inspector")).to_contain_text("heavy liquid")
    expect(page.locator("#inspector")).to_contain_text("a poor guide for liquids of steam with eb")
    page.goto(f"{base}/chemistry/")
    expect(page.locator("#model-advice")).to_contain_text("UNIFAC (activity model) suits this project better")
    expect(page.locator("#model-advice")).to_contain_text("two liquids")
    press(page, "#take-model")
    expect(page.locator("#phase-model")).to_have_value("unifac")
    expect(page.locator("#take-model")).to_have_count(0)
    expect(page.locator("#model-trials")).to_contain_text("none comes clearly nearer than the chosen model")
    expect(page.locator("#todo")).not_to_contain_text("poor guide")
    page.goto(f"{base}/process/?select=cold")
    expect(page.locator("#inspector")).to_contain_text("light liquid")
    expect(page.locator("#inspector")).to_contain_text("heavy liquid, water-rich")
    expect(page.locator("#inspector")).to_contain_text("Heavy liquid flow")
    expect(page.locator("#phase-composition thead th")).to_have_text(["mole %", "vapour", "light liquid", "heavy liquid, water-rich"])
    press(page, "#append-three-phase-separator")
    expect(page.locator("#state")).to_contain_text("solved in")
    gas, oil, water = "S1", "S2", "S3"
    assert flow(page, gas, "hydrogen") > 39.9 and flow(page, water, "steam") > 890.0 and flow(page, oil, "styrene") > 39.0
    assert flow(page, water, "styrene") < 0.05 and flow(page, oil, "hydrogen") < 0.1
    page.goto(f"{base}/process/?select={oil}")
    press(page, "#append-splitter")
    page.goto(f"{base}/process/?select=S5")
    page.select_option("#send-to", "MIX")
    post(page, lambda: page.click("#send"))
    expect(page.locator("#state")).to_contain_text("solved in")
    expect(page.locator("#map-canvas .loop-chip")).to_contain_text("Loop A")
    made = flow(page, "hot", "styrene") - flow(page, "into", "styrene")
    lost = sum(flow(page, s, "styrene") for s in (gas, water, "S4"))
    assert abs(made - lost) < 0.2 and flow(page, "into", "eb") > 110.0
