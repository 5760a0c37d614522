"""Takes the pictures of the README at 1280 × 800 from the demo project."""

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import expect, sync_playwright

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from helpers import CHROMIUM_FLAGS

HERE = Path(__file__).parents[1]
OUT = HERE / "docs" / "screenshots"


expect.set_options(timeout=60_000)


def main():
    with tempfile.TemporaryDirectory() as home:
        environment = os.environ | {"GULCH_HOME": home}
        command = [sys.executable, "-m", "gulch.main", "demo", "--port", "8911"]
        with subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, text=True) as server:
            try:
                address = next(m[0] for line in server.stdout if (m := re.search(r"http://127\.0\.0\.1:\d+", line)))
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM_FLAGS)
                    shots(browser.new_page(base_url=address, viewport={"width": 1280, "height": 800}))
            finally:
                server.terminate()


def shots(page):
    OUT.mkdir(parents=True, exist_ok=True)

    def take(name):
        page.mouse.move(640, 795)
        page.wait_for_timeout(500)
        page.screenshot(path=OUT / f"{name}.png")
        print(OUT / f"{name}.png")

    page.goto("/")
    take("projects")
    page.click("text=Juniper Flats ethanol")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    take("process")
    page.locator("[data-id='R1']").click()
    expect(page.locator("#account")).to_be_visible()
    take("reactor")
    page.click("#rail-chemistry")
    page.click("#species-ethanol a")
    expect(page.locator("#inspector")).to_contain_text("Acentric")
    take("chemistry")
    page.goto(page.url.split("?")[0] + "?select=hydration")
    expect(page.locator("#k-plot .scatterlayer").first).to_be_visible()
    take("constant")
    page.click("#rail-variants")
    expect(page.locator("#compare")).to_be_visible()
    take("variants")
    page.click("#rail-notebook")
    expect(page.locator("#paper .js-plotly-plot").first).to_be_visible()
    page.locator(".desk").evaluate("node => node.scrollTop = document.getElementById('piece-map').offsetTop - 20")
    take("notebook")
    page.click("#rail-scans")
    expect(page.locator("#scan-state")).to_contain_text("13 of 13", timeout=90_000)
    expect(page.locator("#scan-answer")).to_contain_text("All limits hold from", timeout=90_000)
    take("scans")
    page.click("text=reactor temperature × water fed")
    expect(page.locator("#scan-state")).to_contain_text("195 of 195", timeout=90_000)
    expect(page.locator("#scan-plot .contourlayer")).to_be_visible()
    take("scan-map")
    scans = page.url.split("?")[0]
    page.goto(scans + "?select=best1")
    expect(page.locator("#best-answer")).to_be_visible(timeout=180_000)
    expect(page.locator("#scan-plot .scatterlayer .point").first).to_be_visible()
    take("best")
    page.goto(scans + "?select=trade1")
    expect(page.locator("#curve-table")).to_be_visible(timeout=240_000)
    expect(page.locator("#scan-plot .scatterlayer .point").first).to_be_visible()
    take("trade-off")
    page.goto(scans + "?select=worth")
    expect(page.locator("#account")).to_be_visible()
    take("worth")
    page.goto(scans + "?select=sure")
    for datum in ("constant.hydration", "input.R1.temperature", "sold.ethanol"):
        page.select_option("#add-spread", datum)
        page.click("#add-unsure")
        expect(page.locator(f"#add-spread option[value='{datum}']")).to_have_count(0)
    expect(page.locator("#sure-bands")).to_be_visible(timeout=90_000)
    take("how-sure")
    ethanol = scans.replace("scans", "process")
    page.goto("/")
    page.click("text=Juniper Flats measurements")
    page.click("#rail-measured")
    expect(page.locator("#fit-answer")).to_be_visible(timeout=90_000)
    expect(page.locator("#fit-ellipse .scatterlayer").first).to_be_attached()
    take("measured")
    page.goto("/")
    page.click("text=Juniper Flats styrene")
    page.click("#rail-sizing")
    page.click("#ask-region")
    expect(page.locator("#region-plot .scatterlayer")).to_be_visible()
    take("sizing")
    page.goto("/")
    page.click("text=Juniper Flats sulfur trioxide")
    page.locator("[data-id='CONV']").click()
    expect(page.locator("#curves-plot .scatterlayer")).to_be_visible()
    take("profile")
    page.goto("/")
    page.click("text=Juniper Flats acetic acid")
    page.locator("[data-id='TANK']").click()
    expect(page.locator("#steady")).to_be_visible()
    take("states")
    page.goto("/")
    page.click("text=Juniper Flats cyclohexane")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(11)
    page.click("#rail-loops")
    expect(page.locator("#plot-loop-1 .scatterlayer")).to_be_visible()
    take("loops")
    page.goto(ethanol + "?select=SPLIT")
    page.fill("[id='f-SPLIT.drawn']", "0 %")
    page.press("[id='f-SPLIT.drawn']", "Tab")
    expect(page.locator("#state")).to_contain_text("not solved")
    page.click("#rail-loops")
    expect(page.locator("#plot-loop-1 .scatterlayer")).to_be_visible()
    take("unsettled")


if __name__ == "__main__":
    main()
