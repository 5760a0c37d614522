"""Health and counts of the server, for machines that watch it."""

from __future__ import annotations

import os
import shutil
from typing import TYPE_CHECKING

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import Http404, HttpResponse, JsonResponse
from django.http.request import split_domain_port
from django.views.decorators.http import require_GET
from prometheus_client import CONTENT_TYPE_LATEST

from gulch.web.middleware import database_words
from gulch.web.operating import now
from gulch.web.projects import solving

if TYPE_CHECKING:
    from django.http import HttpRequest


LOOPBACK = ("127.0.0.1", "::1")
HERE = ("127.0.0.1", "localhost", "[::1]")  # a proxy that says nothing of who asks asks by another name
LEAST_FREE = 200_000_000  # bytes of disk below which edits will soon fail
MOST_WAITING = 30  # solves that wait for a worker before that is trouble


@require_GET
def health(request: HttpRequest) -> HttpResponse:
    """200 where all is well, else 503: {"state", "database", "workers", "disk"}, each "ok" or a sentence. It says nothing of anybody."""
    found = {"database": _database(), "workers": _workers(), "disk": _disk()}
    well = all(words == "ok" for words in found.values())
    response = JsonResponse({"state": "ok" if well else "trouble", **found}, status=200 if well else 503)
    response["Cache-Control"] = "no-store"
    return response


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1 FROM django_session LIMIT 1")
    except DatabaseError as error:
        return database_words(error)
    return "ok" if os.access(settings.HOME, os.W_OK) else "The folder of the database may only be read."


def _workers() -> str:
    waiting = solving.workers().load()[1]
    return "ok" if waiting <= MOST_WAITING else f"{waiting} solves that somebody waits for have no worker yet."


def _disk() -> str:
    free = shutil.disk_usage(settings.HOME).free
    return "ok" if free >= LEAST_FREE else f"Only {free // 1_000_000} MB are free: make room before edits fail."


@require_GET
def metrics(request: HttpRequest) -> HttpResponse:
    """Counts in the text format of monitoring; for this computer and for administrators, others are not told that it exists."""
    here = request.META.get("REMOTE_ADDR") in LOOPBACK and split_domain_port(request.get_host())[0] in HERE
    if not here and not request.user.is_superuser:
        raise Http404
    return HttpResponse(now.text(), content_type=CONTENT_TYPE_LATEST)
