"""Images of the map and the plots as files: what is on the screen, whole, to be opened elsewhere."""

import struct
import xml.etree.ElementTree as ET

from playwright.sync_api import expect


def download(page, what, path):
    page.locator("header details.menu").first.evaluate("menu => menu.open = true")
    with page.expect_download() as found:
        page.click(f"[data-image='{what}']")
    found.value.save_as(path)
    return found.value.suggested_filename


def texts(path):
    return ["".join(t.itertext()).strip() for t in ET.parse(path).getroot().iter("{http://www.w3.org/2000/svg}text")]


def size(path):
    """Width and height of a PNG, from its head."""
    data = path.read_bytes()
    assert data[:8] == b"\x89PNG\r\n\x1a\n"
    return struct.unpack(">II", data[16:24])


def test_the_map_is_saved_whole_with_its_names_and_flows(page, row, tmp_path):
    page.goto(f"/p/{row.pk}/process/")
    expect(page.locator("#map-canvas .unit-g")).to_have_count(7)
    page.locator("#zoom-in").click(click_count=4)  # a part of it on the screen is the whole in the file
    assert download(page, "map.svg", tmp_path / "map.svg") == "Juniper Flats ethanol map.svg"
    said = texts(tmp_path / "map.svg")
    assert {"MIX", "H1", "R1", "COOL", "DRUM", "SPLIT", "K1"} <= {t.split()[0] for t in said} and "+" not in said
    root = ET.parse(tmp_path / "map.svg").getroot()
    assert "@font-face" in root[0].text and not root.findall(".//*[@class]")
    download(page, "map.png", tmp_path / "map.png")
    width, height = size(tmp_path / "map.png")
    assert abs(width - 2 * float(root.get("width"))) < 2
    assert height > 300


def test_plots_are_saved_as_they_are_shown(page, row, tmp_path):
    page.goto(f"/p/{row.pk}/loops/?select=1")
    expect(page.locator(".js-plotly-plot .scatterlayer").first).to_be_visible()
    name = download(page, "plots.svg", tmp_path / "plot.svg")
    assert name.startswith("Juniper Flats ethanol plot") and name.endswith(".svg")
    assert any("pass" in t for t in texts(tmp_path / "plot.svg"))


def test_an_image_of_nothing_is_refused_with_a_sentence(page, user):
    page.goto("/")
    page.click("#start-empty")
    menu = page.locator("header details.menu").first
    for stage, what, words in (
        ("chemistry", "map.svg", "The map is drawn on Process"),
        ("process", "map.png", "The map is empty"),
        ("process", "plots.png", "no plot on this page"),
    ):
        page.click(f"#rail-{stage}")
        page.wait_for_url(f"**/{stage}/**")
        menu.evaluate("menu => menu.open = true")
        page.click(f"[data-image='{what}']")
        expect(page.locator("#fault")).to_contain_text(words)


def test_nothing_is_lost_at_twice_the_size(page, row):
    """A window of 1280 by 800 at 200 % is 640 by 400: no page is wider, and no control stands outside it (WCAG 1.4.10)."""
    page.set_viewport_size({"width": 640, "height": 400})
    outside = """() => [...document.querySelectorAll('#workspace *, main *')].filter(n => { const r = n.getBoundingClientRect();
        return r.width > 0 && r.right > innerWidth + 2 && !n.closest('svg, table, .ledger, .plot, details:not([open])'); })
        .map(n => `${n.tagName} ${n.id} ${n.className}`)"""
    scans = ("scans/?select=scan1", "scans/?select=best1")
    for path in ("process/?select=R1", "chemistry/?select=hydration", "loops/", *scans, "variants/", "notebook/"):
        page.goto(f"/p/{row.pk}/{path}")
        expect(page.locator("#open-keys")).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= 640, path
        assert page.evaluate(outside) == [], path
    for path in ("/", "/help/unit-heater/", f"/p/{row.pk}/revisions/"):
        page.goto(path)
        assert page.evaluate("document.documentElement.scrollWidth") <= 640, path
