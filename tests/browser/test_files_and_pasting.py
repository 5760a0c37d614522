"""Tables in and out: pasted from a spreadsheet, and opened in one."""

import io

import openpyxl
from acting import go, post, ready
from playwright.sync_api import expect


def paste(page, name, text):
    if not page.locator(f"#{name}-text").is_visible():
        page.click(f"#{name} summary")
    page.fill(f"#{name}-text", text)
    post(page, lambda: page.click(f"#{name}-take"))


def test_a_feed_is_pasted_and_what_was_not_read_is_said(page, row):
    page.goto(f"/p/{row.pk}/process/?select=ethylene_feed")
    ready(page)
    table = "T [°C]\tp [bar]\tethylene [kmol/h]\tbutter [kmol/h]\tethane [kmol/h]\n30\t72\t110,5\t4\t2,5"
    paste(page, "feed-paste", table)
    expect(page.locator("#notice")).to_contain_text("Taken: ethylene_feed. Not read: column 4, “butter”")
    expect(page.locator("[id='f-ethylene_feed.flow.ethylene']")).to_have_value("110.5 kmol/h")
    expect(page.locator("[id='f-ethylene_feed.temperature']")).to_have_value("30 °C")
    expect(page.locator("#state")).to_contain_text("solved")
    paste(page, "feed-paste", "ethylene [furlong]\n80")
    expect(page.locator("#notice")).to_contain_text("“furlong” is no unit")
    expect(page.locator("#feed-paste-text")).to_have_value("ethylene [furlong]\n80")  # nothing is lost
    expect(page.locator("[id='f-ethylene_feed.flow.ethylene']")).to_have_value("110.5 kmol/h")


def test_rate_constants_and_guesses_are_pasted(page, row):
    page.goto(f"/p/{row.pk}/chemistry/")
    ready(page)
    paste(page, "rates-paste", "reaction\tk0 [L/mol/s]\tE [kJ/mol]\nhydration\t2,5e7\t95\nnowhere\t1\t1")
    expect(page.locator("#notice")).to_contain_text("Taken: hydration. Not read: row 3: “nowhere” is no reaction")
    page.goto(f"/p/{row.pk}/chemistry/?select=hydration")
    expect(page.locator("[id='rate-forward.k']")).to_have_value("2.5e7 L/mol/s")
    go(page, "loops")
    page.locator(".guess-box summary").first.click()
    page.locator(".guess-box textarea").first.fill("T [°C]\tp [bar]\tethylene [kmol/h]\tethane [kmol/h]\n52\t70\t600\t25")
    post(page, lambda: page.locator(".guess-box button").first.click())
    lines = ["temperature 52 °C", "pressure 70 bar", "ethylene 600 kmol/h", "ethane 25 kmol/h"]
    expect(page.locator(".guess-box textarea").first).to_have_value("\n".join(lines))


def test_the_workbook_holds_what_the_screen_shows(page, row):
    page.goto(f"/p/{row.pk}/process/")
    ready(page)
    shown = {}
    for name in ("product", "recycle", "purge"):
        shown[name] = [float(t.replace("\u202f", "").replace("−", "-")) for t in page.locator(f"#stream-{name} td").all_inner_texts()]
    heads = [t.replace("\n", " ") for t in page.locator(".ledger-table thead th").all_inner_texts()][1:]
    page.locator("header details.menu").first.evaluate("menu => menu.open = true")
    with page.expect_download() as found:
        page.click("#as-xlsx")
    assert found.value.suggested_filename == "Juniper-Flats-ethanol.xlsx"
    book = openpyxl.load_workbook(io.BytesIO(found.value.path().read_bytes()))
    rows = list(book["Streams"].values)
    titles = rows[0]
    for head, at in zip(heads, range(len(heads)), strict=True):
        words, unit = head.rsplit(" ", 1)
        title = f"{words} [{unit}]" if f"{words} [{unit}]" in titles else f"Flow of {words} [{unit}]"
        column = titles.index(title)
        for line in rows[1:]:
            if line[0] in shown:
                assert isinstance(line[column], float | int)
                assert abs(line[column] - shown[line[0]][at]) <= 6e-4 * abs(shown[line[0]][at]) + 0.051
    gauges = {r[0]: r[2] for r in list(book["Gauges"].values)[1:]}
    page.click("#more-cards")
    for g in page.locator(".gauge").all():
        label, value = g.get_attribute("title").split(",")[0].split(":")[0], g.locator(".value").inner_text().split()[0]
        assert abs(gauges[label] - float(value.replace("\u202f", ""))) <= 6e-4 * abs(gauges[label])
