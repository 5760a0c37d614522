"""Pages of help."""

from __future__ import annotations

from typing import TYPE_CHECKING

from django.contrib.auth.decorators import login_required
from django.http import Http404
from django.shortcuts import render
from django.views.decorators.http import require_GET

from gulch.engine.explain.manual import SECTIONS, pages, searched
from gulch.web.help.examples import example

if TYPE_CHECKING:
    from django.http import HttpRequest, HttpResponse


@login_required
@require_GET
def contents(request: HttpRequest) -> HttpResponse:
    """All pages by section, or those that hold what is looked for."""
    query = request.GET.get("q", "").strip()[:80]
    sections = [(section, [p for p in pages().values() if p.section == section]) for section in SECTIONS]
    return render(request, "help/contents.html", {"query": query, "found": searched(query), "sections": sections})


@login_required
@require_GET
def page(request: HttpRequest, name: str) -> HttpResponse:
    """One page, with its example."""
    found = pages().get(name)
    if found is None:
        raise Http404(f"There is no page of help called {name}.")
    return render(request, "help/page.html", {"page": found, "example": example(found.shows) if found.shows else None})
