"""Running the server: health, counts, what may go; a backup that is put back, and the database of an older release."""

import gzip
import os
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from datetime import timedelta
from pathlib import Path

import pytest
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.db import DatabaseError
from django.test import Client
from django.utils import timezone

from gulch.web import serve
from gulch.web.operating import counts, prune, views
from gulch.web.projects import solving
from gulch.web.projects.models import Outcome, Revision, ScanRun
from gulch.web.scans.jobs import start

pytestmark = pytest.mark.django_db


def test_health_says_what_is_wrong_and_nothing_of_anybody(row, monkeypatch):
    guest = Client()
    answer = guest.get("/health/")
    assert answer.status_code == 200 and answer.json() == {"state": "ok", "database": "ok", "workers": "ok", "disk": "ok"}
    monkeypatch.setattr(shutil, "disk_usage", lambda path: type("Usage", (), {"free": 12_000_000})())
    answer = guest.get("/health/")
    assert answer.status_code == 503 and "Only 12 MB are free" in answer.json()["disk"] and answer.json()["database"] == "ok"

    monkeypatch.setattr(solving.workers(), "load", lambda: (1, 99), raising=False)
    assert guest.get("/health/").json()["workers"].startswith("99 solves")
    monkeypatch.setattr(os, "access", lambda path, mode: False)
    assert "may only be read" in guest.get("/health/").json()["database"]

    class Broken:
        def cursor(self):
            raise DatabaseError("database disk image is malformed")

    monkeypatch.setattr(views, "connection", Broken())
    assert "put back a copy" in guest.get("/health/").json()["database"]
    assert row.name not in guest.get("/health/").content.decode()


def number(text, name):
    return sum(float(line.rsplit(" ", 1)[1]) for line in text.splitlines() if line.startswith(name))


def test_counts_are_for_this_computer_and_administrators(client, act, row, settings):
    settings.ALLOWED_HOSTS = ["testserver", "localhost"]
    client.defaults["HTTP_HOST"] = "localhost"
    before = client.get("/metrics/").content.decode()
    act("set", address="SPLIT.drawn", value="9 %")
    after = client.get("/metrics/").content.decode()
    assert number(after, "gulch_solves_total{") > number(before, "gulch_solves_total{")
    assert number(after, "gulch_seconds_to_figures_count") > number(before, "gulch_seconds_to_figures_count")
    assert number(after, "gulch_server_memory_bytes") > 1e7 and number(after, "gulch_disk_free_bytes") > 0
    assert "# TYPE gulch_jobs_waiting gauge" in after and row.name not in after
    assert Client(REMOTE_ADDR="203.0.113.5", HTTP_HOST="localhost").get("/metrics/").status_code == 404
    assert Client(HTTP_HOST="testserver").get("/metrics/").status_code == 404  # through a proxy that does not say for whom
    boss = get_user_model().objects.create_superuser("boss", password="the boss's own 1")
    admin = Client(REMOTE_ADDR="203.0.113.5")
    admin.force_login(boss)
    assert admin.get("/metrics/").status_code == 200


def test_a_fault_is_counted(client, row, monkeypatch):
    from gulch.web.projects import views as pages

    monkeypatch.setattr(pages, "show_workspace", lambda *a, **k: 1 / 0)
    before = counts.FAULTS._value.get()
    client.raise_request_exception = False
    assert client.get(f"/p/{row.pk}/process/").status_code == 500 and counts.FAULTS._value.get() == before + 1


def aged(rows, days=200):
    for field in ("created", "attempt_time"):
        if any(f.name == field for f in rows.model._meta.fields):
            rows.update(**{field: timezone.now() - timedelta(days=days)})


def test_what_is_pruned_and_what_stays(client, act, row, monkeypatch, capsys):
    """Of eight old revisions stay the named one, the one of the newest run, the current one and the one whose figures are shown."""
    for share in range(5, 10):
        act("set", address="SPLIT.drawn", value=f"{share} %")
    client.post(f"/p/{row.pk}/revisions/2/name/", {"name": "first try"})
    start(row, "scan1")
    act("set", address="SPLIT.drawn", value="11 %")
    run = start(row, "scan1")
    act("set", address="SPLIT.drawn", value="12 %")  # whose figures are shown, as what follows does not solve
    act("set", address="SPLIT.drawn", value="36 foo")
    row.refresh_from_db()
    named, good, current = row.revisions.get(name="first try").number, row.good_revision, row.current.number
    Session.objects.create(session_key="x" * 32, session_data="", expire_date=timezone.now() - timedelta(days=1))
    monkeypatch.setattr(serve, "prepare", lambda: None)
    monkeypatch.setattr(prune, "shrink", lambda: None)
    assert serve.prune(90, yes=True) == 0 and row.revisions.count() == current  # nothing is old yet
    for rows in (Revision.objects.all(), ScanRun.objects.all(), Outcome.objects.all()):
        aged(rows)
    assert serve.prune(90) == 0
    told = capsys.readouterr().out
    assert "revisions without a name" in told and "Nothing was removed" in told and row.revisions.count() == current
    assert serve.prune(90, yes=True) == 0
    row.refresh_from_db()
    assert len({named, good, current, run.revision.number}) == 4
    assert {named, good, current, run.revision.number} == set(row.revisions.values_list("number", flat=True))
    assert list(row.scan_runs.values_list("pk", flat=True)) == [run.pk] and run.points.count() > 3
    assert row.good_outcome is not None and row.outcomes.count() == 2
    assert not Session.objects.filter(session_key="x" * 32).exists()
    assert client.get(f"/p/{row.pk}/process/").status_code == 200 and client.get(f"/p/{row.pk}/scans/").status_code == 200


def test_a_backup_is_put_back(client, act, row, settings, tmp_path):
    """As docs/deploy.md says: a copy by SQLite's own means while the server runs, which another server opens as it was."""
    from django.db import connection

    source = connection.settings_dict["NAME"]
    if not str(source).endswith(".sqlite3"):
        pytest.skip("the database of the tests is no file")
    with sqlite3.connect(source) as there, sqlite3.connect(tmp_path / "gulch.sqlite3") as copy:
        there.backup(copy)
    with sqlite3.connect(tmp_path / "gulch.sqlite3") as copy:
        (state,) = copy.execute("PRAGMA integrity_check").fetchone()
        assert state == "ok" and copy.execute("SELECT count(*) FROM projects_project").fetchone()[0] >= 0


def test_only_numbers_of_days_are_taken(capsys):
    from gulch.main import main

    for text in ("0", "-3", "x"):
        with pytest.raises(SystemExit):
            main(["prune", "--days", text])
    assert "no number of days" in capsys.readouterr().err


OLDER = Path(__file__).parent / "older" / "2026-11-26.sql.gz"  # the ethanol demo, edited twice and scanned, by the code of that day
OPENS = """
import os
os.environ["DJANGO_SETTINGS_MODULE"] = "gulch.web.settings"
from gulch.web.serve import prepare
prepare()
from django.conf import settings
settings.GULCH_WORK_INLINE, settings.ALLOWED_HOSTS = True, ["testserver"]
from django.test import Client
from gulch.web.projects.models import Project
browser, row = Client(), Project.objects.get()
assert browser.login(username="ada", password="an older long one 7", request=browser.get("/sign-in/").wsgi_request)
names = ("process", "chemistry", "loops", "scans", "variants", "notebook", "revisions")
pages = {name: browser.get(f"/p/{row.pk}/{name}/") for name in names}
assert {page.status_code for page in pages.values()} == {200}, pages
text = {name: page.content.decode() for name, page in pages.items()}
assert "36 foo" in text["process"] and "scan-table" in text["scans"] and "first try" in text["revisions"]
def act(verb, **form):
    row.refresh_from_db()
    return browser.post(f"/p/{row.pk}/{verb}/", {"version": row.version, **form}, headers={"HX-Request": "true"})
assert act("undo").status_code == 200
row.refresh_from_db()
assert row.outcome().solved and row.latest["gauges"]  # figures of that day
scans = browser.get(f"/p/{row.pk}/scans/").content.decode()
assert "13 of 13 points" in scans
assert act("do/set", address="SPLIT.drawn", value="9 %").status_code == 200
row.refresh_from_db()
assert row.outcome().solved and row.revisions.count() == 4
print("opened")
"""


def test_the_database_of_an_older_release_is_brought_up(tmp_path):
    """Its project, revisions, figures and scan are there, and work goes on."""
    with closing(sqlite3.connect(tmp_path / "gulch.sqlite3")) as there:
        there.executescript(gzip.decompress(OLDER.read_bytes()).decode())
    env = os.environ | {"GULCH_HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", OPENS], capture_output=True, text=True, timeout=300, env=env)
    assert done.stdout == "opened\n", done.stderr
