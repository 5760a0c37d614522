"""A disk that is full, or a database that may only be read: whoever reads goes on reading."""

import pytest
from django.db import connection
from django.test import Client

from gulch.web.scans.jobs import start

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def read_only(row):
    """The database refuses whatever writes, as one on a full disk does."""
    start(row, "scan1")
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only=1")
    yield
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only=0")


def test_reading_goes_on(client, row, read_only):
    stages = ("chemistry", "process", "loops", "scans", "sizing", "variants", "notebook", "revisions")
    pages = ["/", "/help/", "/tokens/", *(f"/p/{row.pk}/{s}/" for s in stages), f"/p/{row.pk}/export.json", f"/p/{row.pk}/ledger.csv"]
    for page in [*pages, f"/p/{row.pk}/process/?shade=ethanol&select=unit:R1", f"/p/{row.pk}/variants/?beside=1&compare=x"]:
        assert client.get(page).status_code == 200, page


def test_signing_in_goes_on_and_guesses_are_still_counted(user, row, read_only):
    guest = Client(REMOTE_ADDR="10.1.0.1")
    assert guest.post("/sign-in/", {"username": "ada", "password": "a long enough one"}).status_code == 302
    assert row.name in guest.get("/").content.decode()
    other = Client(REMOTE_ADDR="10.1.0.2")
    answers = [other.post("/sign-in/", {"username": "ada", "password": f"guess {k}"}).status_code for k in range(12)]
    assert answers[0] == 200 and answers[-1] == 429
    assert guest.post("/sign-out/").status_code == 302 and guest.get("/").status_code == 302


def test_an_edit_is_refused_with_what_to_do(client, row, read_only):
    said = client.post(f"/p/{row.pk}/do/set/", {"address": "SPLIT.drawn", "value": "9 %"}, headers={"HX-Request": "true"})
    assert said.status_code == 500 and "may only be read" in said.content.decode() and "Nothing was changed" in said.content.decode()


def test_programs_read_on(user, row, read_only):
    from gulch.web.api import tokens

    with connection.cursor() as cursor:
        cursor.execute("PRAGMA query_only=0")
        text = tokens.made(user, "board")
        cursor.execute("PRAGMA query_only=1")
    program = Client(headers={"authorization": f"Bearer {text}"})
    assert program.get(f"/api/v1/projects/{row.pk}/figures").json()["state"] == "solved"
