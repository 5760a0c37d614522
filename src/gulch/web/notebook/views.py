"""The notebook's files, and the frozen copies of it."""

from __future__ import annotations

import json
import threading
import zlib
from typing import TYPE_CHECKING

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from gulch.engine.exchange.printing import PAPERS, Print
from gulch.web.notebook.drawings import NoDrawing, cleaned
from gulch.web.notebook.presenter import usual_paper
from gulch.web.notebook.report import report_html
from gulch.web.notebook.stage import STAGE
from gulch.web.projects import solving
from gulch.web.projects.files import attachment, file_name
from gulch.web.projects.turnstile import waited
from gulch.web.projects.views import own, show_workspace
from gulch.web.projects.workspace import Notice, Workspace

if TYPE_CHECKING:
    from django.http import HttpRequest

    from gulch.web.projects.models import Project


MOST_DRAWINGS = 20_000_000  # bytes of all drawings of a report
MOST_KEPT = 50  # frozen copies of a project
PRINT_PATIENCE = 60.0  # s
KINDS = ("html", "pdf", "keep")
_printing = threading.Semaphore(8)  # requests that wait for a PDF at a time; the others keep threads for pages


@login_required
@require_POST
def make(request: HttpRequest, pk: int) -> HttpResponse:
    """The notebook as an HTML file, as PDF, or kept as a frozen copy; drawings: JSON of {key: SVG}, as the browser made them."""
    row, kind = own(request, pk), request.POST.get("kind", "")
    if kind not in KINDS:
        raise Http404
    try:
        drawings = {key: cleaned(text) for key, text in _sent(request).items()}
    except NoDrawing as error:
        if kind == "keep":  # whose answer is the page
            return show_workspace(request, row, "notebook", status=422, notice=Notice("error", str(error)))
        return _refused(str(error))
    space = Workspace(row, "notebook")
    html = report_html(STAGE.page(space, STAGE.ask(space)), drawings, printed=kind == "pdf")
    if kind == "keep":
        return _keep(request, row, html)
    return _file(request, row, html, kind, "")


def _sent(request: HttpRequest) -> dict[str, str]:
    """{key: SVG text} of what was posted. Raises NoDrawing."""
    file = request.FILES.get("drawings")
    if file is None:
        return {}
    if file.size > MOST_DRAWINGS:
        raise NoDrawing(f"The drawings are larger than {MOST_DRAWINGS // 1_000_000} MB together: take some pieces out of the notebook.")
    try:
        found = json.loads(file.read())
    except ValueError:
        found = None
    if not isinstance(found, dict) or not all(isinstance(v, str) for v in found.values()):
        raise NoDrawing("The drawings could not be read: reload the page and try again.")
    return found


def _keep(request: HttpRequest, row: Project, html: str) -> HttpResponse:
    if row.reports.count() >= MOST_KEPT:
        text = f"A project keeps at most {MOST_KEPT} copies: remove one first."
        return show_workspace(request, row, "notebook", status=422, notice=Notice("error", text))
    name = " ".join(request.POST.get("name", "").split())[:80] or f"Revision {row.current.number}"
    row.reports.create(name=name, revision=row.current.number, page=zlib.compress(html.encode()))
    return show_workspace(request, row, "notebook", notice=Notice("info", f"Kept: {name}."))


def _file(request: HttpRequest, row: Project, html: str, kind: str, name: str) -> HttpResponse:
    """The page as a file of a kind, or a sentence where it cannot be made."""
    ending = f"{file_name(name) or 'copy'}.{kind}" if name else kind
    if kind == "html":
        return attachment(HttpResponse(html, content_type="text/html; charset=utf-8"), row, ending)
    paper = request.POST.get("paper") or request.GET.get("paper")
    task = Print(html, paper if paper in PAPERS else usual_paper(row.current.document.get("display")))
    if not _printing.acquire(blocking=False):
        return _refused("Too many PDFs are being made just now: try again in a minute, or print the HTML file.")
    try:
        job = solving.workers().submit(task, key=("print", row.pk), owner=row.owner_id)
        if not waited(job, PRINT_PATIENCE):
            solving.workers().stop(job.key)
            return _refused("The PDF took too long: take some pieces out of the notebook, or print the HTML file.")
    finally:
        _printing.release()
    made, found = job.value or (False, f"The PDF could not be made: {job.words or 'the work on it was broken off'}.")
    if not made:
        return _refused(found)
    return attachment(HttpResponse(found, content_type="application/pdf"), row, ending)


def _refused(sentence: str) -> HttpResponse:
    return HttpResponse(sentence, content_type="text/plain; charset=utf-8", status=422)


@login_required
@require_GET
def kept(request: HttpRequest, pk: int, report: int, kind: str) -> HttpResponse:
    """A frozen copy as a file."""
    if kind not in ("html", "pdf"):
        raise Http404
    row = own(request, pk)
    found = get_object_or_404(row.reports, pk=report)
    return _file(request, row, zlib.decompress(bytes(found.page)).decode(), kind, found.name)


@login_required
@require_POST
def drop(request: HttpRequest, pk: int, report: int) -> HttpResponse:
    """Remove a frozen copy."""
    row = own(request, pk)
    found = get_object_or_404(row.reports, pk=report)
    found.delete()
    return show_workspace(request, row, "notebook", notice=Notice("info", f"{found.name} was removed."))
