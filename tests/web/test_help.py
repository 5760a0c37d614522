"""Pages of help as they are served, and the finder's rows for them."""

from html.parser import HTMLParser

import pytest
from django.urls import reverse

from gulch.demo import projects
from gulch.engine.explain.manual import pages
from gulch.web.projects.actions import create_project
from gulch.web.templatetags.gulch import typeset

pytestmark = pytest.mark.django_db


def test_every_page_opens(client):
    for page in pages().values():
        answer = client.get(reverse("help-page", args=[page.name]))
        assert answer.status_code == 200 and page.title.lower() in answer.content.decode().lower(), page.name


def test_a_page_that_is_none_is_not_found(client):
    assert client.get(reverse("help-page", args=["unit-teapot"])).status_code == 404


def test_help_is_for_those_signed_in(client):
    client.logout()
    assert client.get(reverse("help")).status_code == 302


def test_contents_find_inputs_by_their_words(client):
    text = client.get(reverse("help"), {"q": "residence time"}).content.decode()
    assert reverse("help-page", args=["unit-stirred-tank"]) + "#time" in text
    assert "Nothing holds" in client.get(reverse("help"), {"q": "xylophone"}).content.decode()


def test_the_example_is_a_demos_unit_with_its_figures(client):
    text = client.get(reverse("help-page", args=["unit-equilibrium-reactor"])).content.decode()
    assert "R1 in the demo project “Juniper Flats ethanol”" in text and "220 °C" in text and "97." not in text.split('id="example"')[0]
    assert "Outlet temperature" in text.split("<caption>computed")[1]


def test_formulas_are_typeset_and_safe():
    assert typeset("x_i gamma_i^2 < sum nu_ir") == "x<sub>i</sub> γ<sub>i</sub><sup>2</sup> &lt; Σ ν<sub>ir</sub>"
    assert typeset("<b>summary") == "&lt;b&gt;summary"


class Controls(HTMLParser):
    """Fields of a page's main part that say nothing of what they mean."""

    EXPLAINS_ITSELF = {"name", "choice", "stream", "id"}  # names that the user gives, and what a button beside it acts on

    def __init__(self):
        super().__init__()
        self.open, self.silent, self.told = [], [], 0

    def handle_starttag(self, tag, attributes):
        found = dict(attributes)
        if tag in ("input", "select", "textarea") and "main" in [t for t, _ in self.open] and found.get("type") not in ("hidden", "range"):
            if "data-meaning" in found or any(told for _, told in self.open):
                self.told += 1
            elif found.get("name") not in self.EXPLAINS_ITSELF:
                self.silent.append(found.get("id") or found.get("aria-label") or found.get("name"))
        if tag not in ("input", "br", "img", "meta", "link", "col"):
            self.open.append((tag, "data-meaning" in found))

    def handle_endtag(self, tag):
        if tag in [t for t, _ in self.open]:
            while self.open.pop()[0] != tag:
                pass


@pytest.mark.parametrize("path", [*(f"scans/?select={s}" for s in ("scan1", "best1", "trade1", "worth", "sure")), "loops/", "sizing/"])
def test_every_field_of_a_question_says_what_it_means(client, user, row, path):
    if path == "sizing/":  # which wants rate laws
        row = create_project(user, projects()[3], "Start")
    page = Controls()
    page.feed(client.get(f"/p/{row.pk}/{path}").content.decode())
    assert not page.silent and page.told
