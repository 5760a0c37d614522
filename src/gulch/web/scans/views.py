"""Runs of scans and searches: beginning, stopping, going on, and how far they are."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.auth.decorators import login_required
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.scans import ScanError
from gulch.web.projects import actions, solving
from gulch.web.projects.views import ended, own, show_workspace
from gulch.web.projects.workspace import Notice
from gulch.web.scans import jobs
from gulch.web.scans.presenter import so_far

if TYPE_CHECKING:
    from django.http import HttpRequest, HttpResponse

    from gulch.web.projects.models import Project


@login_required
@require_POST
def scan_run(request: HttpRequest, pk: int) -> HttpResponse:
    row = own(request, pk)
    try:
        if request.POST.get("least"):
            return _least(request, row)
        if request.POST.get("all"):
            troubles = jobs.start_all(row, request.POST.get("id", ""), request.POST.get("choice", ""))
            if troubles:
                raise ScanError(" ".join(troubles))
        else:
            jobs.start(row, request.POST.get("id", ""))
    except ScanError as error:
        return show_workspace(request, row, "scans", request.POST.get("id", ""), 422, notice=Notice("error", str(error)))
    return show_workspace(request, row, "scans", request.POST.get("id", ""))


def _least(request: HttpRequest, row: Project) -> HttpResponse:
    """Ask for the least catalyst of a unit in stages, and begin looking for it."""
    unit, keep = request.POST["least"], request.POST.get("keep", "")
    try:
        asked = f"Ask for the least catalyst of {unit}"
        id_ = str(actions.edit(row, None, asked, lambda document: edit.least_catalyst(document, unit, keep)))
    except (EditError, actions.Conflict) as error:
        return show_workspace(request, row, "process", unit, 422, notice=Notice("error", str(error)))
    row = own(request, row.pk)
    jobs.start(row, id_)
    return show_workspace(request, row, "scans", id_)


@login_required
@require_POST
def scan_cancel(request: HttpRequest, pk: int, run: int) -> HttpResponse:
    row = own(request, pk)
    jobs.stop(get_object_or_404(row.scan_runs, pk=run))
    return show_workspace(request, row, "scans", request.POST.get("select", ""))


@login_required
@require_POST
def scan_resume(request: HttpRequest, pk: int, run: int) -> HttpResponse:
    """Compute the points that a run lacks."""
    row = own(request, pk)
    found = get_object_or_404(row.scan_runs, pk=run)
    jobs.resume(found)
    return show_workspace(request, row, "scans", found.scan)


@login_required
@require_GET
def scan_progress(request: HttpRequest, pk: int, run: int) -> HttpResponse:
    """The progress line while a scan runs; once it ends, the whole page again."""
    row = own(request, pk)
    found = get_object_or_404(row.scan_runs, pk=run)
    jobs.notice_lost(found)
    if found.active:
        return render(
            request, "workspace/_scan_progress.html", {"run": found, "row": row, "compiling": solving.compiling()} | so_far(row, found)
        )
    return ended(request, row, "scans", found.scan)
