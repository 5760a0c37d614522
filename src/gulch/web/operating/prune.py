"""What of the data may go: old states, runs and figures that nobody named and nothing rests on."""

from __future__ import annotations

from datetime import timedelta
from typing import TYPE_CHECKING

from axes.models import AccessAttempt, AccessLog
from django.contrib.sessions.models import Session
from django.db import connection
from django.db.models import F, Max, Q, Sum, TextField
from django.db.models.functions import Cast, Length
from django.utils import timezone

from gulch.web.projects import solving
from gulch.web.projects.models import Outcome, Project, Revision, ScanRun

if TYPE_CHECKING:
    from django.db.models import QuerySet


AT_ONCE = 500  # rows of a transaction: a server goes on between them


def spare(days: int) -> dict[str, QuerySet]:
    """{what, in words: rows that may go} of everything older than so many days.

    Kept, however old: the current revision of a project, the one whose figures it shows, those with a name; the newest run of each
    scan and its revision; outcomes of the current revision and the good ones.
    """
    edge = timezone.now() - timedelta(days=days)
    newest = ScanRun.objects.values("project", "scan", "variant").annotate(newest=Max("pk")).values("newest")
    runs = ScanRun.objects.filter(created__lt=edge).exclude(state__in=(ScanRun.WAITING, ScanRun.RUNNING)).exclude(pk__in=newest)
    kept_runs = ScanRun.objects.exclude(pk__in=runs.values("pk"))
    current = Project.objects.filter(current__isnull=False)
    revisions = (
        Revision.objects.filter(created__lt=edge, name="")
        .exclude(pk__in=current.values("current"))
        .exclude(number=F("project__good_revision"))
        .exclude(pk__in=kept_runs.values("revision"))
    )
    outcomes = (
        Outcome.objects.filter(created__lt=edge)
        .exclude(pk__in=Project.objects.filter(good_outcome__isnull=False).values("good_outcome"))
        .exclude(digest=F("project__current__digest"))
    )
    return {
        "runs of scans and searches that were run again since": runs,
        "revisions without a name": revisions,
        "figures of such states": outcomes,
        "sessions that are over": Session.objects.filter(expire_date__lt=timezone.now()),
        "notes of wrong passwords": AccessAttempt.objects.filter(attempt_time__lt=timezone.now() - timedelta(days=1)),
        "notes of signing in": AccessLog.objects.filter(attempt_time__lt=edge),
    }


SIZES = {Outcome: "packed", Revision: "document", ScanRun: "result", Session: "session_data"}


def size(rows: QuerySet) -> int:
    """About how many bytes rows hold."""
    field = SIZES.get(rows.model)
    if field is None:
        return 0
    found = rows.aggregate(n=Sum(Length(Cast(field, TextField()))))["n"] or 0
    if rows.model is ScanRun:
        found += rows.filter(Q(points__isnull=False)).aggregate(n=Sum(Length(Cast("points__data", TextField()))))["n"] or 0
    return found


def remove(rows: QuerySet) -> None:
    """Remove rows, a few hundred at a time."""
    while True:
        some = list(rows.values_list("pk", flat=True)[:AT_ONCE])
        if not some:
            return
        with solving.changing():
            rows.model.objects.filter(pk__in=some).delete()


def shrink() -> None:
    """Give the room of what was removed back to the disk; no server may be running."""
    with connection.cursor() as cursor:
        cursor.execute("VACUUM")
