"""The notebook: which pieces stand in it, that they follow the project, and printing it."""

import re
import threading
import zlib
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest
from helpers import demo

from gulch.demo import projects
from gulch.engine.document import load
from gulch.engine.exchange.printing import PAPERS, pdf_of
from gulch.engine.project import edit, notebook
from gulch.engine.project.edit import EditError
from gulch.engine.project.variants import add, folded, work_on, worked
from gulch.engine.work import document_digest


def keys(project):
    return [p.key for p in notebook.pieces_of(project)]


def test_the_usual_pieces_are_what_the_project_has():
    empty = load({"format": "gulch-project", "version": 1})
    assert keys(empty) == ["chemistry", "map", "streams", "balances", "loops", "assumptions", "warnings"]
    project = demo()
    found = keys(project)
    assert {f"scan:{s.id}" for s in project.scans} | {f"search:{s.id}" for s in project.searches} <= set(found)
    assert {"gauges", "reactors", "variants", "worth"} <= set(found) and "columns" not in found
    assert any("columns" in keys(p) for p in projects())


def test_pieces_are_put_in_moved_said_something_of_and_taken_out():
    project = demo()
    usual = keys(project)
    notebook.pin(project, "unit", "R1")
    assert keys(project) == [*usual, "unit:R1"]
    notebook.move(project, "unit:R1", 0)
    assert keys(project) == ["unit:R1", *usual]
    notebook.move(project, "unit:R1", 999)
    assert keys(project)[-1] == "unit:R1"
    notebook.comment(project, "map", "**look** at the purge")
    notebook.take_out(project, "streams")
    again = load(project.dump())  # all of it is saved
    assert keys(again) == [*(k for k in usual if k != "streams"), "unit:R1"]
    assert {p.key: p.comment for p in again.notebook.pieces}["map"] == "**look** at the purge"
    notebook.pin(project, "result", "product.fraction.ethanol")
    assert keys(project)[-1] == "result:product.fraction.ethanol"


@pytest.mark.parametrize(
    ("what", "of", "words"),
    [("unit", "R1", "already"), ("unit", "R9", "no unit R9"), ("result", "R1.nothing", "no result"), ("nonsense", "", "no such piece")],
)
def test_what_cannot_be_put_in_is_refused_with_a_sentence(what, of, words):
    project = demo()
    notebook.pin(project, "unit", "R1")
    with pytest.raises(EditError, match=words):
        notebook.pin(project, what, of)


def test_pieces_that_are_gone_are_said():
    with pytest.raises(EditError, match="no longer in the notebook"):
        notebook.take_out(demo(), "unit:R1")


def test_pieces_follow_new_names_and_go_with_what_they_are_of():
    project = demo()
    notebook.pin(project, "unit", "R1")
    notebook.pin(project, "stream", "purge")
    notebook.pin(project, "result", "R1.duty")
    edit.rename(project, "R1", "reactor")
    assert keys(project)[-3:] == ["unit:reactor", "stream:purge", "result:reactor.duty"]
    edit.remove(project, "reactor")
    assert keys(project)[-1] == "stream:purge" and "unit:reactor" not in keys(project)


def test_no_figure_hangs_on_the_notebook_and_variants_share_it():
    project = demo()
    before = document_digest(project.dump())
    notebook.pin(project, "unit", "R1")
    assert document_digest(project.dump()) == before
    work_on(project, add(project, "another"))
    changed = worked(project)
    notebook.pin(changed, "unit", "K1")
    whole = folded(project, changed)
    assert keys(whole)[-1] == "unit:K1" and not whole.variant(whole.working).edits


class Count(BaseHTTPRequestHandler):
    asked = 0

    def do_GET(self):
        Count.asked += 1
        self.send_error(404)


@pytest.mark.parametrize("paper", PAPERS)
def test_a_page_is_printed_without_asking_anyone_for_anything(paper, tmp_path):
    server = HTTPServer(("127.0.0.1", 0), Count)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    secret = tmp_path / "secret.css"
    secret.write_text("@page { size: 10mm 10mm }")
    place = f"http://127.0.0.1:{server.server_port}"
    html = f'<link rel="stylesheet" href="{secret.as_uri()}"><img src="{place}/x.png"><p style="background:url({place}/y)">text</p>'
    found = pdf_of(html, paper)
    server.shutdown()
    assert found.startswith(b"%PDF-") and Count.asked == 0
    wide = {"A4": 210 / 25.4, "Letter": 8.5}[paper]  # inches
    packed = re.findall(rb"stream\r?\n(.*?)\r?\nendstream", found, re.S)
    texts = [found, *(zlib.decompressobj().decompress(p) for p in packed if p[:1] == b"x")]
    boxes = [float(w) for t in texts for w in re.findall(rb"/MediaBox ?\[0 0 ([\d.]+)", t)]
    assert boxes == pytest.approx([72.0 * wide], abs=0.1)  # points
