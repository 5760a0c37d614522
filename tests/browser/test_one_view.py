"""What one came for is seen without scrolling, at two sizes of window: readings, questions with answer and picture, the map."""

import pytest
from acting import arrived
from helpers import plant
from playwright.sync_api import expect

from gulch.demo import projects
from gulch.web.projects.actions import create_project
from gulch.web.scans import jobs

SIZES = [(1280, 800), (1440, 900)]
LONG = "conversion of the reactant counted over both reactors"

# what of the question, its answer and its picture lies beyond the window, or is cut off
BEYOND = """() => {
  const said = [];
  const see = (name, node) => {
    if (!node) return said.push(`no ${name}`);
    const b = node.getBoundingClientRect();
    if (b.bottom > innerHeight - 8 || b.top < 0 || b.right > innerWidth + 1 || b.left < 0 || b.height < 4)
      said.push(`${name} ${Math.round(b.top)} to ${Math.round(b.bottom)}, ${Math.round(b.left)} to ${Math.round(b.right)}`);
  };
  const first = (...ways) => ways.map((w) => document.querySelector(w)).find(Boolean);
  see("question", first(".asks", ".study > p"));
  const plot = first("#scan-plot", "#swing-plot");
  see("plot", plot);
  if (plot) {
    if (plot.clientHeight < (plot.id === "swing-plot" ? 150 : 240)) said.push(`plot only ${plot.clientHeight} high`);
    for (const part of [".xtitle", plot.id === "swing-plot" ? ".ytick" : ".ytitle", ".plot-legend"]) see(part, plot.querySelector(part));
  }
  if (!document.querySelector("#swing-plot")) {
    see("answer", first("#scan-answer", "#best-answer"));
    see("table", first(".beside-it"));
  }
  for (const box of [document.scrollingElement, ...document.querySelectorAll("main, .study, .asked, .asks, .answer, .beside-it, #strip")])
    if (box.scrollWidth > box.clientWidth + 1)
      said.push(`${box.className || box.tagName} is ${box.scrollWidth - box.clientWidth} px wider`);
  return said;
}"""
CUT = """() => [...document.querySelectorAll("#strip .readings:not(.put-away) > :not([inert])")].flatMap((card) => {
  const c = card.getBoundingClientRect();
  return [...card.querySelectorAll(".name, .value, small")].filter((n) => {
    const b = n.getBoundingClientRect();
    const inside = n.scrollWidth <= n.clientWidth + 1 || getComputedStyle(n).display === "inline";
    return !inside || b.right > c.right + 1 || b.bottom > c.bottom + 1;
  }).map((n) => `${n.textContent || n.value} in ${card.id}`);
})"""


def answered(user, project):
    """A project whose scans, and whose searches where it is the first demo, have run."""
    row = create_project(user, project, "Demo project")
    asked = [*project.scans, *(project.searches if project.name.endswith("ethanol") else ())]
    return row, [(entry.id, jobs.start(row, entry.id)) for entry in asked]


def ended(run):
    run.refresh_from_db()
    return not run.active


def strip_is_one_row(page, most=64):
    assert page.locator("#strip").bounding_box()["height"] <= most
    assert page.evaluate(CUT) == []


@pytest.mark.parametrize("size", SIZES)
def test_every_study_of_every_demo_is_whole_in_one_view(page, user, size):
    page.set_viewport_size(dict(zip(("width", "height"), size, strict=True)))
    wrong, seen = {}, 0
    for project in projects():
        row, runs = answered(user, project)
        for id_, run in [*runs, ("swings", None)]:
            if run is not None:
                for _ in range(1200):
                    if ended(run):
                        break
                    page.wait_for_timeout(100)
            page.goto(f"/p/{row.pk}/scans/?select={id_}")
            arrived(page)
            plot = page.locator("#swing-plot .xtitle" if run is None else "#scan-plot .xtitle")
            expect(plot).to_be_attached(timeout=60_000)
            seen += 1
            if found := page.evaluate(BEYOND):
                wrong[f"{project.name} {id_}"] = found
            strip_is_one_row(page)
    assert seen > 15 and not wrong, wrong


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("count", [16, 60])
def test_strip_and_map_of_larger_plants_fit(page, user, size, count):
    page.set_viewport_size(dict(zip(("width", "height"), size, strict=True)))
    project = plant(count)
    heaters = [u for u in project.units if u.kind == "heater"][:9]
    assert len(heaters) > 4
    project = type(project).model_validate(
        project.dump()
        | {
            "knobs": [{"id": f"k{n}", "input": f"{u.id}.temperature", "low": "20 degC", "high": "90 degC"} for n, u in enumerate(heaters)],
            "gauges": [{"id": f"g{n}", "reads": f"{u.id}.duty", "label": f"{LONG} {n}", "at_most": "1 GW"} for n, u in enumerate(heaters)],
        }
    )
    row = create_project(user, project, "Start")
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(len(project.units), timeout=60_000)
    arrived(page)
    strip_is_one_row(page)
    expect(page.locator("#more-cards")).to_contain_text("+")
    frame = page.locator("#map-canvas").bounding_box()
    parts = page.locator("#map-canvas :is(.unit-g, .stream-g, .loop-g)").evaluate_all(
        "all => all.map((n) => n.getBoundingClientRect()).map((b) => [b.left, b.top, b.right, b.bottom])"
    )
    ends = [min(p[0] for p in parts), min(p[1] for p in parts), max(p[2] for p in parts), max(p[3] for p in parts)]
    right, bottom = frame["x"] + frame["width"], frame["y"] + frame["height"]
    assert ends[0] >= frame["x"] - 1 and ends[1] >= frame["y"] - 1 and ends[2] <= right + 1 and ends[3] <= bottom + 1, (ends, frame)
    assert page.evaluate("document.scrollingElement.scrollWidth <= innerWidth")
    page.click("#more-cards")
    assert page.locator("#strip [inert]").count() == 0 and page.evaluate(CUT) == []
    for stage in ("chemistry", "notebook"):
        page.goto(f"/p/{row.pk}/{stage}/")
        strip_is_one_row(page, 32)
