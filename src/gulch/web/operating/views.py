"""Health and counts of the server, for machines that watch it."""

import shutil

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import Http404, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET
from prometheus_client import CONTENT_TYPE_LATEST

from gulch.web.middleware import database_words
from gulch.web.operating import now
from gulch.web.projects import solving

LOOPBACK = ("127.0.0.1", "::1")
LEAST_FREE = 200_000_000  # bytes of disk below which edits will soon fail


@require_GET
def health(request):
    """200 where all is well, else 503: {"state", "database", "workers", "disk"}, each "ok" or a sentence. It says nothing of anybody."""
    found = {"database": _database(), "workers": _workers(), "disk": _disk()}
    well = all(words == "ok" for words in found.values())
    response = JsonResponse({"state": "ok" if well else "trouble", **found}, status=200 if well else 503)
    response["Cache-Control"] = "no-store"
    return response


def _database():
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1 FROM django_session LIMIT 1")
            cursor.execute("PRAGMA query_only")
            if cursor.fetchone()[0]:
                return "The database may only be read."
    except DatabaseError as error:
        return database_words(error)
    return "ok"


def _workers():
    try:
        solving.workers().load()
    except Exception:
        return "No worker can be asked."
    return "ok"


def _disk():
    free = shutil.disk_usage(settings.HOME).free
    return "ok" if free >= LEAST_FREE else f"Only {free // 1_000_000} MB are free: make room before edits fail."


@require_GET
def metrics(request):
    """Counts in the text format of monitoring; for this computer and for administrators, others are not told that it exists."""
    if request.META.get("REMOTE_ADDR") not in LOOPBACK and not request.user.is_superuser:
        raise Http404
    return HttpResponse(now.text(), content_type=CONTENT_TYPE_LATEST)
