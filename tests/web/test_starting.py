"""A start: what a database says of itself, what is collected once, and what pages say while the kernels are compiled."""

import os
import socket
import subprocess
import sys
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
    progress = SimpleNamespace(waiting=True, before=7, pace=1120, passes=0, residual=None, seconds=2.0)
    said = render_to_string("workspace/_solving.html", {"progress": progress, "row": row, "stage": "process", "compiling": None})
    assert "waiting for its turn, 7 before it" in " ".join(said.split())
    progress = SimpleNamespace(waiting=False, pace=700, passes=3, residual=None, seconds=2.0)
    said = " ".join(
        render_to_string(
            "workspace/_solving.html", {"progress": progress, "row": row, "stage": "process", "compiling": solving.compiling()}
        ).split()
    )
    assert "slow for now: Gulch is compiling its kernels, once after each install (11 of 97)" in said
    run = ScanRun.objects.create(project=row, revision=row.current, scan=row.current.worked.scans[0].id, state=ScanRun.WAITING, total=15)
    monkeypatch.setattr("gulch.web.scans.jobs.notice_lost", lambda run: None)
    page = client.get(reverse("scan-progress", args=[row.pk, run.pk]))
    assert "waits: Gulch is compiling its kernels, once after each install (11 of 97)" in " ".join(page.content.decode().split())


def test_a_kernel_that_cannot_be_kept_is_said_and_nothing_waits():
    now = Progress(0, 97, "compiled kernels cannot be kept in /nowhere: Read-only file system.")
    assert "slow, since its kernels are not compiled: compiled kernels cannot be kept in /nowhere" in now.slow and now.waits == ""
    assert Progress(97, 97).slow == "" == Progress(97, 97).waits


HOLDING = """
import fcntl, os, sys, time
handle = open(sys.argv[1], "a+")
fcntl.lockf(handle, fcntl.LOCK_EX)
handle.write(str(os.getpid())); handle.flush()
print("held", flush=True)
time.sleep(60)
"""


def test_a_second_server_on_one_home_is_refused(settings, tmp_path, capsys):
    """It would call the first one's scans abandoned."""
    settings.HOME = tmp_path
    with subprocess.Popen([sys.executable, "-c", HOLDING, str(tmp_path / "serving")], stdout=subprocess.PIPE, text=True) as first:
        try:
            assert first.stdout.readline() == "held\n"
            assert serve.run("127.0.0.1", 8999) == 1
            said = capsys.readouterr().out
            assert f"process {first.pid}" in said and "GULCH_HOME" in said
        finally:
            first.kill()
    lock = serve.only_server()
    assert lock is not None and (tmp_path / "serving").read_text() == str(os.getpid())
    lock.close()


def test_a_taken_port_is_refused_or_the_next_is_taken():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert serve.listen("127.0.0.1", port, 1) is None
        other = serve.listen("127.0.0.1", port, 20)
        assert other.getsockname()[1] > port
        other.close()
