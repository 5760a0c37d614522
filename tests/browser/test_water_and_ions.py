"""From species to advice to a pH; fractions and heats of reaction typed in the browser."""

from acting import fill, go, post, press, ready
from helpers import document
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project


def test_sour_water_from_species_to_its_ph(page, user):
    row = create_project(user, document({}, phase_model="peng-robinson"), "Sour water")
    page.goto(f"/p/{row.pk}/chemistry/")
    for text, name in (("water", "water"), ("ammonia", "ammonia"), ("hydrogen sulf", "hydrogen sulfide"), ("nitrog", "nitrogen")):
        page.fill("#species-search", "")
        page.type("#species-search", text, delay=15)
        press(page, f"#found button:has-text('{name}') >> nth=0")
    advice = page.locator("#model-advice")
    expect(advice).to_contain_text("weak electrolytes in water (activity model) suits this project better")
    expect(advice).to_contain_text("react as ions in water, and it comes nearest to what was measured")
    page.click("#model-trials summary")
    expect(advice).to_contain_text("as measured, with its ions")
    press(page, "#take-model")
    expect(page.locator("#phase-model")).to_have_value("electrolytes")
    expect(page.locator("#take-model")).to_have_count(0)

    go(page, "process")
    press(page, "#inspector button:has-text('Add a feed')")
    for name, value in (("pressure", "1.2"), ("temperature", "40"), ("flow.water", "100"), ("flow.ammonia", "2"), ("flow.nitrogen", "20")):
        fill(page, f"[id='f-feed1.{name}']", value)
    fill(page, "[id='f-feed1.flow.hydrogen_sulfide']", "1")
    press(page, "#append-flash-drum")
    ready(page)
    page.goto(page.url.split("?")[0] + "?select=S2")
    expect(page.locator("#inspector")).to_contain_text("pH")
    expect(page.locator("#in-water")).to_contain_text("NH4+")
    expect(page.locator("#in-water")).to_contain_text("HS−")


def test_a_fraction_and_the_heat_of_its_reaction(page, user):
    row = create_project(user, document({"h2": "1333-74-0"}, phase_model="peng-robinson"), "Lumps")
    page.goto(f"/p/{row.pk}/chemistry/")
    for name, boils, density in (("heavy", "330", "870"), ("light", "110", "740")):
        page.click("#own-species summary")
        page.fill("#fraction [name=name]", name)
        page.fill("#fraction [name=boiling_point]", boils)
        page.fill("#fraction [name=density]", density)
        press(page, "#add-fraction")
        expect(page.locator(f"#species-{name}")).to_contain_text(boils)
        expect(page.locator("#own-species")).not_to_have_attribute("open", "")
    expect(page.locator("#inspector")).to_contain_text("Kesler & Lee (1976), from boiling point and density")
    page.click("#own-species summary")
    page.fill("#fraction [name=name]", "odd")
    page.fill("#fraction [name=boiling_point]", "330")
    page.fill("#fraction [name=density]", "1500")
    press(page, "#add-fraction")
    expect(page.locator("body")).to_contain_text("contradicts its boiling point")

    page.goto(f"/p/{row.pk}/chemistry/")
    page.fill("#new-equation", "7 heavy + 26 h2 = 19 light")
    post(page, lambda: page.click("#add-reaction"))
    page.click("#reaction-r1 .more >> text=its panel")
    fill(page, "#reaction-heat-heat", "-350")
    expect(page.locator("body")).to_contain_text("type that of all but one of them")
    page.goto(f"/p/{row.pk}/chemistry/?select=species:heavy")
    page.click("#datum-of-formation_enthalpy summary")
    fill(page, "#datum-formation_enthalpy", "0 kJ/mol")
    page.goto(f"/p/{row.pk}/chemistry/?select=r1")
    fill(page, "#reaction-heat-heat", "-350")
    expect(page.locator("#reaction-r1")).to_contain_text("−350.0 kJ/mol")
    expect(page.locator("#reaction-r1")).to_contain_text("releases heat")
