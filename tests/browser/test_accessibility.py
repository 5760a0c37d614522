"""What axe finds on every stage, in light and dark: nothing serious or critical (WCAG 2.1 A and AA)."""

import pytest
from acting import arrived
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project

PLACES = {
    "process": "process/?select=R1",
    "stream": "process/?select=S4",
    "feed": "process/?select=water_feed",
    "gauge": "process/?select=gauge:made",
    "chemistry": "chemistry/",
    "species": "chemistry/?select=ethanol",
    "reaction": "chemistry/?select=hydration",
    "loops": "loops/",
    "scans": "scans/?select=scan1",
    "best": "scans/?select=best1",
    "worth": "scans/?select=worth",
    "sure": "scans/?select=sure",
    "swings": "scans/?select=swings",
    "variants": "variants/",
    "notebook": "notebook/",
    "sizing": "sizing/",
}
MEASURED = {"sheet": "measured/?select=sheet:m1", "fit": "measured/?select=fit:f2"}


ALL = {"rules": {"label-content-name-mismatch": {"enabled": True}}}
COLOURS = {"runOnly": ["color-contrast", "link-in-text-block"]}  # what a theme can change


def faults(page, options=ALL):
    """Serious and critical findings, with the element that each is about."""
    found = Axe().run(page, options=options).response["violations"]
    return [
        f"{v['id']} ({v['impact']}): {n['html'][:140]} | {n['failureSummary'].splitlines()[-1].strip()[:160]}"
        for v in found
        if v["impact"] in ("serious", "critical")
        for n in v["nodes"]
    ]


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_no_stage_shuts_anybody_out(page, row, theme):
    page.emulate_media(color_scheme=theme, reduced_motion="reduce")
    said = {}
    measured = create_project(row.owner, next(p for p in projects() if p.measurements), "Measured")
    places = {name: f"/p/{row.pk}/{path}" for name, path in PLACES.items()} | {
        name: f"/p/{measured.pk}/{path}" for name, path in MEASURED.items()
    }
    for name, path in places.items():
        page.goto(path)
        page.evaluate("theme => document.documentElement.dataset.bsTheme = theme", theme)
        expect(page.locator("#workspace")).to_be_visible()
        if name in ("process", "stream", "feed", "gauge"):
            expect(page.locator("#map-canvas .unit-g").first).to_be_visible()
        arrived(page)
        if found := faults(page, ALL if theme == "light" else COLOURS):
            said[name] = found
    assert not said, "\n".join(f"{name}: {line}" for name, lines in said.items() for line in lines)


@pytest.mark.parametrize("theme", ["light", "dark"])
@pytest.mark.parametrize("place", ["/", "/p/{}/revisions/", "/password/", "/help/?q=drum", "/help/unit-shortcut-column/"])
def test_pages_before_a_project_shut_nobody_out(page, row, theme, place):
    page.goto(place.format(row.pk))
    page.evaluate("theme => document.documentElement.dataset.bsTheme = theme", theme)
    assert not faults(page, ALL if theme == "light" else COLOURS)


def test_a_project_with_curves_and_columns_shuts_nobody_out(page, user):
    row = create_project(user, projects()[2], "Start")
    for path in ("process/?select=T1", "loops/", "scans/", "chemistry/"):
        page.goto(f"/p/{row.pk}/{path}")
        arrived(page)
        assert not faults(page), path
