"""A start: what a database says of itself, what is collected once, and what pages say while the kernels are compiled."""

from types import SimpleNamespace

import pytest
from django.core.management import call_command
from django.db import connection
from django.template.loader import render_to_string
from django.urls import reverse

from gulch.demo import NAMES, projects
from gulch.engine.compiling.making import Progress
from gulch.web import serve
from gulch.web.projects import solving
from gulch.web.projects.models import ScanRun


def version():
    with connection.cursor() as cursor:
        return cursor.execute("PRAGMA user_version").fetchone()[0]


@pytest.mark.django_db
def test_a_database_that_is_up_to_date_is_not_looked_through(monkeypatch):
    asked = []
    monkeypatch.setattr("django.core.management.call_command", lambda *a, **k: asked.append(a) or call_command(*a, **k))
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA user_version = 0")
    serve.migrate()
    assert asked == [("migrate",)] and version() != 0
    serve.migrate()
    assert len(asked) == 1
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA user_version = 17")  # of another version of Gulch
    serve.migrate()
    assert len(asked) == 2


def test_demo_projects_that_are_there_are_not_read():
    assert len(projects()) == len(NAMES)
    assert [p.name for p in projects(but={p.name for p in projects()[1:]})] == [projects()[0].name]


def test_pages_say_that_kernels_are_being_compiled(client, row, monkeypatch):
    monkeypatch.setattr(solving.workers(), "compiling", lambda: Progress(11, 97), raising=False)
    progress = SimpleNamespace(waiting=False, passes=3, residual=None, seconds=2.0)
    said = " ".join(render_to_string("workspace/_solving.html", {"progress": progress, "compiling": solving.compiling()}).split())
    assert "slow for now: Gulch is compiling its kernels, once after each install (11 of 97)" in said
    run = ScanRun.objects.create(project=row, revision=row.current, scan=row.current.worked.scans[0].id, state=ScanRun.WAITING, total=15)
    monkeypatch.setattr("gulch.web.scans.jobs.notice_lost", lambda run: None)
    page = client.get(reverse("scan-progress", args=[row.pk, run.pk]))
    assert "waits: Gulch is compiling its kernels, once after each install (11 of 97)" in " ".join(page.content.decode().split())


def test_a_kernel_that_cannot_be_kept_is_said_and_nothing_waits():
    now = Progress(0, 97, "compiled kernels cannot be kept in /nowhere: Read-only file system.")
    assert "slow, since its kernels are not compiled: compiled kernels cannot be kept in /nowhere" in now.slow and now.waits == ""
    assert Progress(97, 97).slow == "" == Progress(97, 97).waits
