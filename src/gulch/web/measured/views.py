"""Stopping a fit, and beginning it anew."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.auth.decorators import login_required
from django.views.decorators.http import require_POST

from gulch.engine.work import FitLaws
from gulch.web.measured.answers import key_of
from gulch.web.projects import solving
from gulch.web.projects.views import own, show_workspace

if TYPE_CHECKING:
    from django.http import HttpRequest, HttpResponse


@login_required
@require_POST
def fit_stop(request: HttpRequest, pk: int) -> HttpResponse:
    """Stop the fit under way; what is known of others stays."""
    row = own(request, pk)
    for entry in row.current.worked.fits:
        job = solving.workers().find(key_of(row.pk, entry.id))
        if job is not None and not job.ended:
            solving.workers().stop(key_of(row.pk, entry.id))
            solving.waited(job, 5.0)
    return show_workspace(request, row, "measured", request.POST.get("select", ""))


@login_required
@require_POST
def fit_again(request: HttpRequest, pk: int, fit: str) -> HttpResponse:
    """Begin a fit anew that was stopped."""
    row = own(request, pk)
    row.outcomes.filter(digest=FitLaws(row.current.worked.dump(), fit).digest).delete()
    return show_workspace(request, row, "measured", f"fit:{fit}")
