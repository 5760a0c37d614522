"""The interface for programs: tokens, and what may be asked with them."""

import json

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.web.api.tokens import made
from gulch.web.projects.actions import create_project
from gulch.web.projects.models import Token

pytestmark = pytest.mark.django_db


@pytest.fixture
def program(user):
    """A client with a token and nothing else."""
    return Client(headers={"authorization": f"Bearer {made(user, 'notebook')}"})


def send(program, path, body):
    return program.post(f"/api/v1{path}", json.dumps(body), content_type="application/json")


def test_projects_are_listed_and_read(program, row):
    (listed,) = program.get("/api/v1/projects").json()
    assert (listed["id"], listed["name"], listed["solved"]) == (row.pk, row.name, True)
    assert program.get(f"/api/v1/projects/{row.pk}").json() == row.current.document


def test_inputs_are_set_as_typed_and_solved(program, row):
    answer = send(program, f"/projects/{row.pk}/inputs", {"inputs": {"SPLIT.drawn": "9 %", "COOL.temperature": "113 F"}}).json()
    row.refresh_from_db()
    expected = solve(load(row.current.document))
    assert answer["state"] == "solved" and answer["version"] == row.version
    assert row.current.read.unit("SPLIT").drawn == "9 %" and "by a program" in row.current.label
    assert answer["solution"]["streams"]["recycle"]["total"] == pytest.approx(expected.streams["recycle"].total, rel=1e-7)
    assert program.get(f"/api/v1/projects/{row.pk}/figures").json()["solution"] == answer["solution"]


@pytest.mark.parametrize(
    ("inputs", "status", "words"),
    [
        ({"SPLIT.drawm": "9 %"}, 422, "no input SPLIT.drawm"),
        ({"COOL.temperature": "9 kg"}, 422, "Outlet temperature of COOL"),
        ({}, 422, "from one to 200"),
    ],
)
def test_what_cannot_be_set_is_said_and_changes_nothing(program, row, inputs, status, words):
    before = row.version
    answer = send(program, f"/projects/{row.pk}/inputs", {"inputs": inputs})
    row.refresh_from_db()
    assert answer.status_code == status and words in answer.json()["detail"]
    assert row.version == before


def test_a_change_that_another_made_is_told(program, row, act):
    act("set", address="SPLIT.drawn", value="7 %")
    answer = send(program, f"/projects/{row.pk}/inputs", {"inputs": {"SPLIT.drawn": "9 %"}, "version": 0})
    assert answer.status_code == 409 and "changed meanwhile" in answer.json()["detail"]


def test_a_project_is_made_from_a_document(program, user, row):
    answer = program.post("/api/v1/projects", json.dumps(row.current.document), content_type="application/json")
    assert answer.status_code == 201 and user.projects.count() == 2
    refused = program.post("/api/v1/projects", b'{"format": "other"}', content_type="application/json")
    assert refused.status_code == 422 and "Traceback" not in refused.json()["detail"] and user.projects.count() == 2


def test_a_document_is_put_in_place_as_one_revision(program, row):
    document = row.current.document | {"name": "Renamed by a program"}
    next(u for u in document["units"] if u["id"] == "SPLIT")["drawn"] = "9 %"
    put = {"content_type": "application/json"}
    answer = program.put(f"/api/v1/projects/{row.pk}?version={row.version}", json.dumps(document), **put)
    assert answer.status_code == 200 and answer.json()["state"] == "solved" and answer.json()["version"] == row.version + 1
    row.refresh_from_db()
    assert row.name == "Renamed by a program" and row.current.document == document
    stale = program.put(f"/api/v1/projects/{row.pk}?version=0", json.dumps(document | {"name": "Late"}), **put)
    assert stale.status_code == 409 and "changed meanwhile" in stale.json()["detail"]
    broken = program.put(f"/api/v1/projects/{row.pk}", b'{"format": "gulch-project", "version": 1, "units": 3}', **put)
    assert broken.status_code == 422 and "cannot be read" in broken.json()["detail"]
    row.refresh_from_db()
    assert row.name == "Renamed by a program"


def test_a_scan_is_run_and_read(program, row):
    begun = send(program, f"/projects/{row.pk}/scans/scan1/runs", {})
    assert begun.status_code == 201
    run = program.get(f"/api/v1/projects/{row.pk}/runs/{begun.json()['id']}").json()
    assert run["state"] == "done" and run["done"] == run["total"] == len(run["result"]["points"])
    assert send(program, f"/projects/{row.pk}/scans/none/runs", {}).status_code == 404


def test_others_projects_are_none(program, row):
    other = get_user_model().objects.create_user("bob", password="a long enough one")
    theirs = create_project(other, row.current.read, "theirs")
    for path in (f"/projects/{theirs.pk}", f"/projects/{theirs.pk}/figures", f"/projects/{theirs.pk}/runs/1"):
        answer = program.get(f"/api/v1{path}")
        assert answer.status_code == 404 and "among yours" in answer.json()["detail"]


def test_without_a_good_token_nothing_is_told(user, row):
    assert Client().get("/api/v1/projects").status_code == 401
    wrong = Client(headers={"authorization": "Bearer gulch_nothing"}).get("/api/v1/projects")
    assert wrong.status_code == 401 and "not known" in wrong.json()["detail"]
    signed_in = Client()
    signed_in.force_login(user)  # a session is no token: no page can make the browser act here
    assert signed_in.get("/api/v1/projects").status_code == 401


def test_a_token_is_shown_once_and_ends_when_it_is_revoked(client, user):
    page = client.post("/tokens/", {"name": "plant study"}).content.decode()
    text = page.split('id="fresh">')[1].split("<")[0]
    assert text not in client.get("/tokens/").content.decode()
    assert text not in str(list(Token.objects.values()))
    program = Client(headers={"authorization": f"Bearer {text}"})
    assert program.get("/api/v1/projects").status_code == 200
    client.post(f"/tokens/{user.tokens.get().pk}/revoke/")
    refused = program.get("/api/v1/projects")
    assert refused.status_code == 401 and "“plant study” is revoked" in refused.json()["detail"]


def test_a_token_wants_a_name(client, user):
    assert "give it a name" in client.post("/tokens/", {"name": " "}).content.decode() and not user.tokens.exists()


def test_openapi_tells_every_path(client):
    told = client.get("/api/v1/openapi.json").json()
    assert told["info"]["title"] == "Gulch"
    assert set(told["paths"]) >= {"/api/v1/projects", "/api/v1/projects/{pk}/inputs", "/api/v1/projects/{pk}/scans/{scan}/runs"}
    assert all("summary" in way for path in told["paths"].values() for way in path.values())


def test_many_projects_are_listed_by_few_questions(program, user, row, django_assert_max_num_queries):
    for number in range(6):
        create_project(user, row.current.read, f"copy {number}")
    with django_assert_max_num_queries(5):
        assert len(program.get("/api/v1/projects").json()) == 7


def test_a_document_that_cannot_be_read_is_said(program, row):
    row.current.document = {"format": "gulch-project", "version": 99}
    row.current.save()
    answer = send(program, f"/projects/{row.pk}/scans/scan1/runs", {})
    assert answer.status_code == 422 and answer.json()["detail"]


def test_an_unmet_target_is_not_called_solved(program, row, user):
    project = row.current.worked
    project.targets[0].on, project.targets[0].value = True, "5000 kmol/h"
    other = create_project(user, project, "Out of reach")
    answer = program.get(f"/api/v1/projects/{other.pk}/figures").json()
    assert answer["state"] == "targets not met" and answer["solution"]["solved"]


def test_a_token_may_be_for_reading_only_and_ends(client, user, row):
    from datetime import timedelta

    from django.utils import timezone

    page = client.post("/tokens/", {"name": "board", "may": "read", "term": "30"}).content.decode()
    text = page.split('id="fresh">')[1].split("<")[0]
    reader = Client(headers={"authorization": f"Bearer {text}"})
    assert reader.get(f"/api/v1/projects/{row.pk}").status_code == 200 and "only read" in page
    refused = send(reader, f"/projects/{row.pk}/inputs", {"inputs": {"SPLIT.drawn": "9 %"}})
    assert refused.status_code == 403 and "may only read" in refused.json()["detail"]
    assert reader.put(f"/api/v1/projects/{row.pk}", "{}", content_type="application/json").status_code == 403
    token = user.tokens.get(name="board")
    assert timedelta(days=29) < token.until - timezone.now() < timedelta(days=31)
    user.tokens.update(until=timezone.now() - timedelta(seconds=1))
    ended = reader.get(f"/api/v1/projects/{row.pk}")
    assert ended.status_code == 401 and "ended on" in ended.json()["detail"]
    assert "its time is over" in client.get("/tokens/").content.decode()
    assert "choose one of the times" in client.post("/tokens/", {"name": "x", "term": "7000"}).content.decode()


def test_a_token_of_an_account_that_is_not_active_is_none(program, user, row):
    assert program.get("/api/v1/projects").status_code == 200
    get_user_model().objects.filter(pk=user.pk).update(is_active=False)
    refused = program.get("/api/v1/projects")
    assert refused.status_code == 401 and "not known" in refused.json()["detail"]
