"""Files of a project: the document, its tables, its runs."""

from __future__ import annotations

import json
import re
from typing import TYPE_CHECKING

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from gulch.engine.exchange import NotSolved, csv_text, project_xlsx, scan_csv, scan_xlsx
from gulch.web.process.curves import Curves
from gulch.web.projects.models import ScanRun
from gulch.web.projects.views import own, show_workspace
from gulch.web.projects.workspace import Notice, Workspace
from gulch.web.scans import jobs
from gulch.web.scans.best import table_of

if TYPE_CHECKING:
    from django.http import HttpRequest

    from gulch.web.projects.models import Project


XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@login_required
@require_GET
def export_json(request: HttpRequest, pk: int) -> HttpResponse:
    row = own(request, pk)
    text = json.dumps(row.current.document, indent=1, ensure_ascii=False)  # as stored, readable or not
    response = HttpResponse(text.encode("utf-8", "backslashreplace"), content_type="application/json")
    return attachment(response, row, "json")


@login_required
@require_GET
def export_csv(request: HttpRequest, pk: int) -> HttpResponse:
    row = own(request, pk)
    space = Workspace(row, "process")
    if space.stale:
        return _old_figures(request, row)
    return attachment(HttpResponse(csv_text(space.document, space.solution), content_type="text/csv; charset=utf-8"), row, "csv")


def _old_figures(request: HttpRequest, row: Project) -> HttpResponse:
    """The answer where a file is asked for of figures that are those of an earlier revision."""
    text = "The process does not solve as it stands, so there are no figures of it for a table: mend it, or undo what keeps it so."
    return show_workspace(request, row, "process", status=409, notice=Notice("error", text))


@login_required
@require_GET
def export_xlsx(request: HttpRequest, pk: int) -> HttpResponse:
    """The whole project as a workbook, with the newest ended run of each scan."""
    row = own(request, pk)
    space = Workspace(row, "process")
    runs = {}
    for run in row.scan_runs.filter(result__isnull=False, state=ScanRun.DONE):
        runs.setdefault(run.scan, run)
    results = [(id_, found) for id_, run in runs.items() if not run.result.get("kind") and (found := jobs.result_of(run))]
    try:
        data = project_xlsx(space.whole, None if space.stale else space.solution, results)
    except NotSolved as error:
        return show_workspace(request, row, "process", status=409, notice=Notice("error", str(error)))
    return attachment(HttpResponse(data, content_type=XLSX), row, "xlsx")


@login_required
@require_GET
def export_profile(request: HttpRequest, pk: int, unit: str) -> HttpResponse:
    row = own(request, pk)
    space = Workspace(row, "process")
    if space.stale:
        return _old_figures(request, row)
    curves = Curves(space, unit)
    if not curves:
        raise Http404
    return attachment(HttpResponse(curves.csv(), content_type="text/csv; charset=utf-8"), row, f"{unit}.csv")


@login_required
@require_GET
def export_scan(request: HttpRequest, pk: int, run: int, kind: str) -> HttpResponse:
    """The points of a run, or the curve of a trade-off, as CSV or XLSX."""
    row = own(request, pk)
    found = get_object_or_404(row.scan_runs, pk=run, result__isnull=False)
    asked = found.result
    result = table_of(asked, jobs.points_of(found)) if asked.get("kind") else jobs.result_of(found) or {}
    display = row.current.read.display
    if kind == "xlsx":
        return attachment(HttpResponse(scan_xlsx(result, display), content_type=XLSX), row, f"{found.scan}.xlsx")
    return attachment(HttpResponse(scan_csv(result, display), content_type="text/csv; charset=utf-8"), row, f"{found.scan}.csv")


def attachment(response: HttpResponse, row: Project, ending: str) -> HttpResponse:
    """The response as a file that keeps the project's name, in any script, but for what file systems do not take."""
    response["Content-Disposition"] = content_disposition_header(True, f"{file_name(row.name) or 'project'}.{ending}")
    return response


def file_name(text: str) -> str:
    """A name without what file systems do not take."""
    return re.sub(r"[^\w\-]+", "-", text).strip("-")
