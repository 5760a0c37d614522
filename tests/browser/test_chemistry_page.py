"""The chemistry page in a real browser: constants, how sure they are, own species, what is counted."""

import re

from acting import fill, go, post, press
from helpers import document
from playwright.sync_api import expect

from gulch.web.projects.actions import create_project


def test_liquid_equilibrium_with_a_constant_of_ones_own(page, user):
    """Esterification with K = 4 from equimolar reactants: two thirds convert (hand calculation)."""
    row = create_project(user, document({}), "Start")
    page.goto(f"/p/{row.pk}/chemistry/")
    page.fill("#new-equation", "acetic acid + ethanol = ethyl acetate + water")
    post(page, lambda: page.click("#add-reaction"))
    page.click("#reaction-r1 .more")
    expect(page.locator("#inspector #sure")).to_contain_text("Sources differ by")
    expect(page.locator("#k-plot .scatterlayer .trace").first).to_be_visible()
    post(page, lambda: page.select_option("#eq-source", "constant"))
    fill(page, "#equilibrium-value", "4")
    post(page, lambda: page.select_option("#eq-phase", "liquid"))
    post(page, lambda: page.select_option("#eq-basis", "mole-fraction"))
    expect(page.locator("#reaction-r1")).to_contain_text("K used 4")
    go(page, "process")
    post(page, lambda: page.click("#inspector button:has-text('Add a feed')"))
    for name, value in (("flow.acetic_acid", "10"), ("flow.ethanol", "10"), ("pressure", "2"), ("temperature", "40")):
        fill(page, f"[id='f-feed1.{name}']", value)
    post(page, lambda: page.click("#append-equilibrium-reactor"))
    expect(page.locator("[id='f-R1.mixture'] option:checked")).to_have_text("as the feed: liquid")
    post(page, lambda: page.select_option("[id='f-R1.mode']", "isothermal"))
    fill(page, "[id='f-R1.temperature']", "60")
    post(page, lambda: page.select_option("[id='f-R1.mixture']", "liquid"))
    expect(page.locator("#state")).to_contain_text("solved in")
    text = page.locator("#inspector .result", has_text="Conversion of acetic acid").inner_text()
    assert float(re.search(r"([\d.]+) %", text)[1]) == 66.67
    post(page, lambda: page.select_option("[id='f-R1.runs.r1']", "extent"))
    fill(page, "[id='f-R1.held_extent.r1']", "2.5")
    expect(page.locator("#inspector .result", has_text="Conversion of acetic acid")).to_contain_text("25.00 %")
    page.click("#undo")
    expect(page.locator("#inspector")).not_to_contain_text("25.00 %")


def test_picking_a_source_moves_the_constant(page, row):
    page.goto(f"/p/{row.pk}/chemistry/?select=species:ethanol")
    before = page.locator("#reaction-hydration .quantities").inner_text()
    page.click("#datum-of-formation_enthalpy summary")
    options = page.locator("#source-formation_enthalpy option").all_inner_texts()
    assert len(options) >= 4 and all("kJ/mol" in o for o in options[1:])
    post(page, lambda: page.select_option("#source-formation_enthalpy", index=2))
    expect(page.locator("#species-ethanol")).to_contain_text("own")
    assert page.locator("#reaction-hydration .quantities").inner_text() != before
    fill(page, "#datum-formation_enthalpy", "-56 kcal/mol")
    expect(page.locator("#species-ethanol")).to_contain_text("−234.3")


def test_own_species_says_what_it_lacks(page, row):
    page.goto(f"/p/{row.pk}/chemistry/")
    page.click("#own-species summary")
    page.fill("#own-species input[name=name]", "soda lye")
    page.fill("#own-species input[name=formula]", "NaOH")
    page.check("#own-species input[name=non_volatile]")
    post(page, lambda: page.click("#add-own-species"))
    expect(page.locator("#lacking")).to_contain_text("no K from Gibbs energies")
    page.click("#datum-of-entropy summary")
    fill(page, "#datum-entropy", "64.5")
    expect(page.locator("#lacking")).not_to_contain_text("no K from Gibbs energies")
    expect(page.locator("#species-soda_lye")).to_contain_text("liquid only")
    page.click("#datum-of-critical_pressure summary")
    fill(page, "#datum-critical_pressure", "5 kg")
    expect(page.locator("#inspector .why.error")).to_contain_text("unit of")


def test_network_limits_and_measures(page, row):
    page.goto(f"/p/{row.pk}/chemistry/")
    network = page.locator("#set-main svg.network")
    assert network.locator(".pill").count() == 4 and network.locator(".mark").count() == 2
    expect(page.locator("#set-main")).to_contain_text("In series over ethanol: hydration makes it, etherification uses it.")
    expect(page.locator("#set-main .preview")).to_contain_text("water")
    post(page, lambda: page.select_option("#measures select[name=product]", "ether"))
    expect(page.locator(".measures")).to_contain_text("Overall selectivity")
    expect(page.locator("section[aria-label='Conversion, selectivity, yield'] .reading")).to_contain_text(
        "r = 2.00 of A (from hydration and etherification)"
    )
    fill(page, "#reactions-at", "145")
    expect(page.locator("#reaction-hydration")).to_contain_text("at 145.0 °C")


def test_several_balances_are_offered(page, row):
    page.goto(f"/p/{row.pk}/chemistry/")
    page.fill("#new-equation", "methane + O2 = CO + CO2 + H2O + H2")
    post(page, lambda: page.click("#add-reaction"))
    expect(page.locator("#reaction-r1 .why.error")).to_contain_text("independent reactions are hidden")
    offer = page.locator("#reaction-r1 .ways button", has_text="2 O2").first
    post(page, lambda: offer.click())
    expect(page.locator("#reaction-r1 .balanced")).to_contain_text("2 oxygen")


def test_a_pair_is_drawn_judged_by_pasted_points_and_fitted(page, user):
    doc = document({"ethanol": "64-17-5", "water": "7732-18-5"}, phase_model="nrtl")
    row = create_project(user, doc, "Pairs")
    page.goto(f"/p/{row.pk}/chemistry/")
    page.click("#diagrams summary")
    page.click("#diagrams a")
    expect(page.locator("#pair-plot .scatterlayer .trace")).to_have_count(3, timeout=60_000)
    expect(page.locator("#pair-azeotropes")).to_contain_text("Azeotrope at x = 0.9")
    page.fill("#pair-points", "x\ty\tT / °C\n0.019\tmuch\t95.5")
    press(page, "#paste-points")
    expect(page.locator("#notice")).to_contain_text("leave words to the first row")
    rows = [(0.0721, 0.3891, 89.0), (0.1661, 0.5089, 84.1), (0.3965, 0.6122, 80.7), (0.6763, 0.7385, 78.74), (0.8943, 0.8943, 78.15)]
    page.fill("#pair-points", "x\ty\tT / °C\n" + "\n".join(f"{x}\t{y}\t{t}" for x, y, t in rows))
    press(page, "#paste-points")
    expect(page.locator("#pair-apart")).to_contain_text("5 measured points", timeout=60_000)
    before = float(page.locator("#pair-apart").inner_text().split(": ")[1].split()[0])
    expect(page.locator("#pair-fit")).to_contain_text("±")
    press(page, "#take-fit")
    expect(page.locator("#pair-apart")).to_contain_text("away in the mean", timeout=60_000)
    assert float(page.locator("#pair-apart").inner_text().split(": ")[1].split()[0]) < before
    fill(page, "#pair-at", "330 K")
    expect(page.locator("#notice")).to_contain_text("take them away first")
    press(page, "#drop-points")
    fill(page, "#pair-at", "330 K")
    expect(page.locator("#pair-plot .ytitle")).to_contain_text("P [bar]", timeout=60_000)
    page.goto(f"/p/{row.pk}/chemistry/")
    expect(page.locator("#pairs")).to_contain_text("1 of 1 typed")


def test_a_salt_says_what_it_parts_into(page, user):
    doc = document({"water": "7732-18-5", "benzene": "71-43-2"})
    row = create_project(user, doc, "Salt")
    page.goto(f"/p/{row.pk}/chemistry/")
    page.click("text=Type one of your own")
    page.fill("#own-species input[name=name]", "lye")
    page.fill("#own-species input[name=formula]", "KOH")
    page.check("#own-species input[name=non_volatile]")
    press(page, "#add-own-species")
    page.goto(f"/p/{row.pk}/chemistry/?select=species:lye")
    expect(page.locator("#todo")).to_contain_text("dissolved in water as one particle")
    fill(page, "#datum-particles", "2")
    expect(page.locator("#todo")).not_to_contain_text("dissolved in water as one particle")
    fill(page, "#datum-particles", "many")
    expect(page.locator("#workspace")).to_contain_text("Particles in solution of lye")
    page.goto(f"/p/{row.pk}/chemistry/?select=species:benzene")
    expect(page.locator("#known-vaporisation")).to_contain_text("33.")
    expect(page.locator("#known-liquid-capacity")).to_contain_text("13")
