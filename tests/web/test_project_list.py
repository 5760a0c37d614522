"""The list of projects: cards, finding and sorting, ways to begin."""

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from helpers import document

from gulch.web.projects.actions import create_project
from gulch.web.projects.cards import drawing, sketch
from gulch.web.projects.models import Project

START = {
    "kind": "recycle",
    "name": "",
    "equation": "CO + 2 H2 = methanol",
    "flow": "80 kmol/h",
    "temperature": "220 degC",
    "pressure": "50 bar",
}


def test_a_card_says_what_a_project_is_about_and_how_it_stands(client, row):
    html = client.get("/").content.decode()
    card = html.split(f'id="project-{row.pk}"')[1].split("</article>")[0]
    assert "Ethanol by vapour-phase hydration of ethylene" in card and "53.91" in card and "overall conversion of ethylene" in card
    for word in ("equilibrium reactor", "recycle", "trade-off", "variants", "worth"):
        assert f"<span>{word}</span>" in card
    assert ">solved<" in card and "7 units" in card and card.count("<rect") == 7 and 'class="back"' in card


def test_a_card_follows_edits_and_is_read_only_once(client, row, act):
    client.get("/")
    kept = Project.objects.get(pk=row.pk).summary
    with CaptureQueriesContext(
        connection,
    ) as queries:
        client.get("/")
    assert not [q for q in queries if "UPDATE" in q["sql"] and "summary" in q["sql"]]
    act("set", address="SPLIT.drawn", value="10 %")
    assert "53.91" not in client.get("/").content.decode().split(f'id="project-{row.pk}"')[1].split("</article>")[0]
    assert Project.objects.get(pk=row.pk).summary != kept
    act("gauge-edit", id="overall", field="label", value="ethylene used")  # solves nothing anew
    assert "ethylene used" in client.get("/").content.decode()


def test_lists_ask_the_database_no_more_for_more_projects(client, user):
    def asked():
        client.get("/")  # cards are made
        with CaptureQueriesContext(connection) as queries:
            client.get("/")
        return len(queries)

    for i in range(2):
        create_project(user, document({}), f"Start {i}")
    few = asked()
    for i in range(12):
        create_project(user, document({}), f"Start {i}")
    assert asked() == few


def test_projects_are_found_by_name_and_remarks_and_sorted(client, user, row):
    for name, remarks in (("Alpha", "about ketones"), ("zeta", ""), ("Beta ketone", "")):
        project = document({})
        project.name, project.remarks = name, remarks
        create_project(user, project, "Start")
    found = client.get("/?q=ketone").content.decode()
    assert "Alpha" in found and "Beta ketone" in found and "zeta" not in found and "2 projects" in found
    names = client.get("/?by=name").content.decode()
    assert names.index("Alpha") < names.index("Beta ketone") < names.index("zeta")
    assert "hold “nowhere”" in client.get("/?q=nowhere").content.decode()
    assert client.get("/?page=99&by=magic").status_code == 200


def test_a_project_begins_with_a_reaction_and_its_feed(client, user):
    response = client.post("/new/", START)
    row = Project.objects.get()
    assert response.url == f"/p/{row.pk}/process/" and row.name == "CO + 2 H2 = methanol"
    assert row.good is not None and row.current.label == "Start with CO + 2 H2 = methanol"


def test_what_cannot_be_read_is_told_and_stays_typed(client, user):
    html = client.post("/new/", START | {"flow": "lots"}, follow=True).content.decode()
    assert "“lots” does not start with a number" in html and 'value="CO + 2 H2 = methanol"' in html
    assert 'value="lots"' in html and 'value="recycle"\n        checked' in html and not Project.objects.exists()
    assert "lots" not in client.get("/").content.decode()  # once


def test_an_empty_project_still_begins_with_chemistry(client, user):
    assert client.post("/new/", {"name": "Mine"}).url.endswith("/chemistry/")


@pytest.mark.parametrize("count", [0, 1])
def test_small_drawings_of_little(count):
    project = document({}, [{"id": f"V{i}", "kind": "valve", "pressure": "1 bar"} for i in range(count)])
    assert drawing(sketch(project)).count("<rect") == count


def test_a_search_waits_for_nothing_that_is_gathered(client, row, monkeypatch):
    """Ten unknown species offered were ten processes, one after another, while the user typed."""
    from gulch.engine.species import kept
    from gulch.web.projects import views

    seen = []
    monkeypatch.setattr(kept, "_elsewhere", True)
    monkeypatch.setattr(kept, "expect", lambda names: seen.append(list(names)))
    monkeypatch.setattr(views, "foresee", lambda names: seen.append(len(names)))
    page = client.get(f"/p/{row.pk}/species/", {"q": "heptan"}).content.decode()
    assert "heptanal" in page.lower() and seen == [views.FORESEEN]
