"""What the Chemistry page asks for by itself."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.auth.decorators import login_required
from django.shortcuts import render
from django.views.decorators.http import require_GET

from gulch.web.chemistry.trials import shown_of
from gulch.web.projects.views import own

if TYPE_CHECKING:
    from django.http import HttpRequest, HttpResponse


@login_required
@require_GET
def model_trials(request: HttpRequest, pk: int) -> HttpResponse:
    """The advice on the phase model, for a page that asks for it while it is being found."""
    row = own(request, pk)
    return render(request, "workspace/_model_trials.html", {"t": shown_of(row, row.current.worked, begin=True), "row": row})
