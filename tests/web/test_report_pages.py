"""The notebook's page and files: figures as the other pages show them, nothing from elsewhere, copies that stay as they are."""

import json
import re
import threading

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from helpers import demo

from gulch.demo import figures, projects
from gulch.engine.document import Project as Document
from gulch.engine.exchange import printing
from gulch.web.notebook.drawings import NoDrawing, cleaned
from gulch.web.notebook.markdown import as_html
from gulch.web.notebook.parts import Table
from gulch.web.projects.actions import create_project

SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><g fill="rgb(1,2,3)"><text x="1" y="2">MIX</text>{}</g></svg>'


def page_of(client, row):
    return client.get(f"/p/{row.pk}/notebook/").content.decode()


def made(client, row, kind="html", status=200, drawings=None, **form):
    if drawings is not None:
        form["drawings"] = SimpleUploadedFile("drawings.json", drawings if isinstance(drawings, bytes) else json.dumps(drawings).encode())
    response = client.post(f"/p/{row.pk}/report/", {"kind": kind, **form})
    assert response.status_code == status, response.content[:500]
    return response


def cells(html, table):
    """{name: texts} of a table of the report, which may go on below itself where it is wide."""
    found = {}
    for body in re.findall(rf'data-table="{table}".*?</table>', html, re.S):
        for name, rest in re.findall(r'<tr><th scope="row">(.*?)</th>(.*?)</tr>', body, re.S):
            found.setdefault(name, []).extend(re.findall(r"<td[^>]*>(.*?)</td>", rest, re.S))
    return found


def test_its_figures_are_those_of_the_ledger(client, row):
    ledger = client.get(f"/p/{row.pk}/process/").content.decode()
    shown = re.search(r'<tr id="stream-product".*?</tr>', ledger, re.S)[0]
    report = made(client, row).content.decode()
    assert cells(report, "streams")["product"] == re.findall(r"<td>(.*?)</td>", shown)
    assert len(cells(report, "streams")["product"]) > 5
    assert "Revision 1 of" in report and "all figures are its own" in report


@pytest.mark.parametrize("document", projects(), ids=lambda d: d.name)
def test_every_demo_can_be_handed_in(client, user, document):
    row = create_project(user, document, "Demo project", figures(document))
    html = made(client, row).content.decode()
    for u in document.units:
        assert u.id in html
    assert "None: everything that figures rest on was typed" in html or 'data-table="assumed"' in html
    assert "Traceback" not in html and "{{" not in html and "None</td>" not in html


def test_an_empty_project_has_a_notebook_too(client, user):
    row = create_project(user, Document(name="Nothing"), "Start")
    assert "No species yet." in page_of(client, row)
    assert "<h1>Nothing</h1>" in made(client, row).content.decode()


def test_the_file_holds_all_it_needs(client, row):
    html = made(client, row, drawings={"map": SVG.format("")}).content.decode()
    assert not re.findall(r'(?:src|href)="(?!data:|#)', html) and "<script" not in html and "<link" not in html
    assert set(re.findall(r"url\((\w+)", html)) == {"data"} and ">MIX</text>" in html
    assert made(client, row).headers["Content-Disposition"].endswith('.html"')


def test_figures_refresh_and_say_of_which_revision_they_are(client, row, act):
    before = cells(made(client, row).content.decode(), "streams")["product"]
    act("set", address="R1.temperature", value="240 degC")
    html = made(client, row).content.decode()
    assert cells(html, "streams")["product"] != before and "Revision 2 of" in html
    act("set", address="R1.pressure_drop", value="90 bar")  # it does not solve: the last good figures, and that they are those
    html = made(client, row).content.decode()
    assert "Revision 3 of" in html and "the figures are those of revision 2" in html


def test_pieces_are_arranged_on_the_page(client, row, act):
    act("pin", what="unit", of="K1")
    act("piece-move", key="unit:K1", to="0")
    act("piece-comment", key="unit:K1", value="The *blower*.")
    act("remarks", value="# Why\n\nWhat **holds** it?")
    html = page_of(client, row)
    assert html.index('id="piece-unit-K1"') < html.index('id="piece-gauges"')
    assert "The <em>blower</em>." in html and "<h3>Why</h3>" in html and "<strong>holds</strong>" in html
    act("unpin", key="unit:K1")
    assert 'id="piece-unit-K1"' not in page_of(client, row)
    assert "already" in act("pin", status=422, what="map")
    act("notebook-usual")
    row.refresh_from_db()
    assert "notebook" not in row.current.document
    assert "usual pieces already" in act("notebook-usual", status=422)


@pytest.mark.parametrize("what", ["unit:R1", "stream:product", "result:product.fraction.ethanol"])
def test_single_things_stand_in_it(client, row, act, what):
    kind, _, of = what.partition(":")
    act("pin", what=kind, of=of)
    html = made(client, row).content.decode()
    piece = html[html.rindex("<section>") :]
    expected = {"unit:R1": "Per-pass conversion", "stream:product": "mole fraction"}.get(what, "CRC Handbook")
    assert expected in piece


def test_what_workers_answer_stands_in_it(client, user, row, act):
    act("spread-add", of="constant.hydration")
    act("pin", what="swings")
    html = made(client, row).content.decode()  # how sure stands there by itself
    assert "nine samples in ten" in html and "moved from" in html and "solves. A share counts" in html
    acid = create_project(user, projects()[3], "Start")
    client.post(f"/p/{acid.pk}/do/sizing/", {"version": acid.version, "target": "80 %"})
    acid.refresh_from_db()
    assert "equal tanks in series" in made(client, acid).content.decode()


def test_markdown_lets_nothing_through_but_text():
    html = as_html(
        "<script>alert(1)</script> [x](javascript:alert(1)) ![p](http://elsewhere/p.png) <b onclick=x>b</b>\n\n| a |\n|---|\n| 1 |"
    )
    assert not re.search(r"<script|<b|<img|javascript:[^)]*\"", html)
    assert "&lt;script&gt;" in html and "<table>" in html
    assert as_html("  ") == ""


@pytest.mark.parametrize(
    ("inside", "gone"),
    [
        ("<script>alert(1)</script>", "alert"),
        ('<foreignObject><p xmlns="http://www.w3.org/1999/xhtml">x</p></foreignObject>', "foreignObject"),
        ('<rect onload="alert(1)" width="1"/>', "onload"),
        ('<rect style="background:url(http://elsewhere)"/>', "elsewhere"),
        ('<rect fill="url(http://elsewhere#a)"/>', "elsewhere"),
        ('<image href="http://elsewhere/x.png"/>', "elsewhere"),
        ('<image href="data:image/svg+xml;base64,AAAA"/>', "svg+xml"),
        ('<a href="javascript:alert(1)"><text>x</text></a>', "javascript"),
        ("<style>@import url(http://elsewhere)</style>", "elsewhere"),
        ("<!-- elsewhere -->", "elsewhere"),
    ],
)
def test_drawings_only_draw(inside, gone):
    clean = cleaned(SVG.format(inside))
    assert gone not in clean and ">MIX</text>" in clean


def test_drawings_keep_what_draws():
    inside = '<clipPath id="c"><rect width="5"/></clipPath><g clip-path="url(\'#c\')"><image href="data:image/png;base64,AAAA"/></g>'
    clean = cleaned(SVG.format(inside))
    assert "clip-path" in clean and "data:image/png" in clean and 'viewBox="0 0 10 10"' in clean


@pytest.mark.parametrize(
    "text", ["", "<svg", "<p/>", '<!DOCTYPE x [<!ENTITY a "b">]><svg xmlns="http://www.w3.org/2000/svg">&a;</svg>', "\x00"]
)
def test_what_is_no_drawing_is_refused(text):
    with pytest.raises(NoDrawing, match="could not be read"):
        cleaned(text)


@pytest.mark.parametrize("drawings", [b"{", b"[1]", b'{"map": 1}', {"map": "<html/>"}])
def test_drawings_that_cannot_be_read_are_a_sentence(client, row, drawings):
    assert "could not be read" in made(client, row, status=422, drawings=drawings).content.decode()
    page = made(client, row, "keep", status=422, drawings=drawings).content.decode()
    assert "could not be read" in page and 'id="workspace"' in page and not row.reports.exists()


def test_a_frozen_copy_stays_as_it_is(client, row, act):
    assert "Kept: before/after the change." in made(client, row, "keep", name="before/after the change").content.decode()
    kept = row.reports.get()
    named = client.get(f"/p/{row.pk}/report/{kept.pk}.html").headers["Content-Disposition"]
    assert 'filename="Juniper-Flats-ethanol.before-after-the-change.html"' in named
    old = cells(client.get(f"/p/{row.pk}/report/{kept.pk}.html").content.decode(), "streams")
    act("set", address="R1.temperature", value="240 degC")
    html = client.get(f"/p/{row.pk}/report/{kept.pk}.html").content.decode()
    assert cells(html, "streams") == old != cells(made(client, row).content.decode(), "streams") and "Revision 1 of" in html
    assert client.get(f"/p/{row.pk}/report/{kept.pk}.pdf").content.startswith(b"%PDF-")
    client.post(f"/p/{row.pk}/report/{kept.pk}/remove/")
    assert not row.reports.exists()


def test_pdf_is_a_file_or_a_sentence(client, row, monkeypatch):
    response = made(client, row, "pdf", paper="Letter", drawings={"map": SVG.format("")})
    assert response.content.startswith(b"%PDF-") and response.headers["Content-Type"] == "application/pdf"

    def missing(*_):
        raise printing.NotPrinted("PDF needs the Pango library.")

    monkeypatch.setattr(printing, "pdf_of", missing)
    assert "Pango" in made(client, row, "pdf", status=422).content.decode()


def test_others_have_no_part_in_it(client, row, django_user_model):
    made(client, row, "keep")
    kept = row.reports.get()
    client.force_login(django_user_model.objects.create_user("eve", password="another long one"))
    assert client.get(f"/p/{row.pk}/report/{kept.pk}.html").status_code == 404
    assert client.post(f"/p/{row.pk}/report/", {"kind": "html"}).status_code == 404
    assert client.post(f"/p/{row.pk}/report/{kept.pk}/remove/").status_code == 404
    assert row.reports.count() == 1


def test_a_wide_table_is_cut_to_the_paper():
    table = Table(tuple((f"h{i}", "") for i in range(24)), [[f"c{i}" for i in range(24)]], frozenset({2}))
    parts = table.split()
    assert len(parts) == 3 and all(p.heads[0] == ("h0", "") and len(p.heads) <= 10 for p in parts)
    assert [t for p in parts for t in p.rows[0][1:]] == [f"c{i}" for i in range(1, 24)]
    assert parts[0].worded == {2} and not parts[1].worded
    assert all(abs(sum(p.widths[1]) - 100.0) < 1.0 for p in parts)


def test_the_finder_puts_things_into_it(client, row):
    rows = client.get(f"/p/{row.pk}/find/", {"q": "put R1 into the notebook"}).json()["rows"]
    assert {"words": "Put unit R1, equilibrium reactor into the notebook", "act": "pin", "form": {"what": "unit", "of": "R1"}} in rows
    assert demo().unit("R1") is not None


def test_pdfs_leave_threads_for_pages(client, row, monkeypatch):
    from gulch.web.notebook import views

    monkeypatch.setattr(views, "_printing", threading.Semaphore(0))
    assert "Too many PDFs" in made(client, row, "pdf", status=422).content.decode()


@pytest.mark.parametrize("value", ["http://x.example/#a", "x#a", " #a", "javascript:alert(1)//#"])
def test_a_drawing_points_only_into_itself(value):
    drawn = cleaned(SVG.format(f'<image href="{value}"/><rect fill="#a1b2c3"/>'))
    assert "href" not in drawn and 'fill="#a1b2c3"' in drawn
    assert 'href="#a"' in cleaned(SVG.format('<image href="#a"/>'))


@pytest.mark.parametrize("url", ["url", "URL", "Url"])
def test_a_drawing_asks_for_nothing_elsewhere_however_it_is_written(url):
    drawn = cleaned(SVG.format(f'<rect fill="{url}(http://x.example/a.svg#b)"/><rect stroke="{url}(//x)"/>'))
    assert "x.example" not in drawn and 'fill="' + url not in drawn and "stroke" not in drawn
    assert 'fill="url(#own)"' in cleaned(SVG.format('<rect fill="url(#own)"/>'))
