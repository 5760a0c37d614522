"""Project list, the workspace pages, and the one view through which every edit goes."""

from __future__ import annotations

import logging
from typing import TYPE_CHECKING, Any

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.paginator import Paginator
from django.db import DatabaseError
from django.db.models import Q
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from gulch.demo import figures
from gulch.demo import projects as demo_projects
from gulch.engine.document import MAX_BYTES, DocumentError
from gulch.engine.document import Project as Document
from gulch.engine.explain.starters import STARTERS, started
from gulch.engine.explain.walk import next_step
from gulch.engine.project.edit import EditError
from gulch.engine.project.once import standing
from gulch.engine.quantities import QuantityError
from gulch.engine.species import SpeciesError, find, told_shortcomings
from gulch.engine.species.kept import expect, foresee
from gulch.engine.work.job import new_reference
from gulch.web.projects import actions, finding, solving
from gulch.web.projects.cards import carded
from gulch.web.projects.forms import LONGEST
from gulch.web.projects.history import changed, outcomes_of
from gulch.web.projects.models import Project, Revision, ScanRun
from gulch.web.projects.registry import ACTIONS
from gulch.web.projects.stages import stages, style_sheets
from gulch.web.projects.words import slider_text
from gulch.web.projects.workspace import Notice, Refused, Workspace

if TYPE_CHECKING:
    from django.http import HttpRequest


log = logging.getLogger("gulch.web")
STAGES = stages()  # whose edits are registered with them
FORESEEN = 6  # species of a search that are made ready before one is taken
CARDS = 24  # on a page of the list
REVISIONS = 25
ORDERS = {"": ("-changed",), "name": ("name", "-changed"), "oldest": ("changed",)}


def own(request: HttpRequest, pk: int) -> Project:
    """The signed-in user's project, or 404."""
    return get_object_or_404(Project.objects.select_related("current"), pk=pk, owner=request.user)


@login_required
@require_GET
def project_list(request: HttpRequest) -> HttpResponse:
    """Cards of the user's projects, a page at a time; searched by name and remarks."""
    query, order = request.GET.get("q", "").strip()[:80], request.GET.get("by", "")
    rows = Project.objects.filter(owner=request.user).select_related("current").defer("current__document")
    rows = rows.order_by(*ORDERS.get(order, ORDERS[""]))
    if query:
        rows = rows.filter(Q(name__icontains=query) | Q(current__document__remarks__icontains=query))
    page = Paginator(rows, CARDS).get_page(request.GET.get("page"))
    context = {"page": page, "projects": carded(page.object_list), "query": query, "order": order, "starters": STARTERS}
    context["typed"] = request.session.pop("typed", {})
    return render(request, "projects/list.html", context)


@login_required
@require_POST
def new(request: HttpRequest) -> HttpResponse:
    """An empty project, or one that begins with a reaction and its feed; what cannot be read is told and stays typed."""
    name, kind = request.POST.get("name", "").strip()[:120], request.POST.get("kind", "")
    if not kind:
        row = actions.create_project(request.user, Document(name=name or "Untitled project"), "Start the project")
        walking(request, row.pk)
        return redirect("stage", row.pk, "chemistry")
    typed = {k: request.POST.get(k, "")[:400] for k in ("kind", "name", "equation", "flow", "temperature", "pressure")}
    try:
        document = started(kind, name, *(typed[k] for k in ("equation", "flow", "temperature", "pressure")))
    except EditError as error:
        messages.error(request, str(error))
        request.session["typed"] = typed
        return redirect("projects")
    row = actions.create_project(request.user, document, f"Start with {typed['equation']}")
    walking(request, row.pk)
    return redirect("stage", row.pk, "process")


def walking(request: HttpRequest, pk: int, on: bool = True) -> None:
    """Whether the next step of the first walk is shown in a project: remembered with the session, for the newest of them."""
    others = [n for n in request.session.get("walks", []) if n != pk]
    request.session["walks"] = [*others, pk][-20:] if on else others


@login_required
@require_POST
def leave_walk(request: HttpRequest, pk: int) -> HttpResponse:
    """Show no next step in this project any more."""
    row = own(request, pk)
    walking(request, pk, on=False)
    stage = request.POST.get("stage", "")
    return show_workspace(request, row, stage if stage in STAGES else "process", request.POST.get("select", ""))


@login_required
@require_POST
def load_demo(request: HttpRequest) -> HttpResponse:
    rows = [actions.create_project(request.user, d, "Demo project", figures(d)) for d in demo_projects()]
    return redirect("stage", rows[0].pk, "process")


@login_required
@require_POST
def import_file(request: HttpRequest) -> HttpResponse:
    """A project from an uploaded JSON file; a file that is none is refused with a sentence."""
    file = request.FILES.get("file")
    if file is None:
        messages.error(request, "Choose a project file first.")
    elif file.size > MAX_BYTES:
        messages.error(request, f"{file.name} is larger than {MAX_BYTES // 1_000_000} MB, which no project is.")
    else:
        try:
            row = actions.create_project(request.user, actions.received(request.user, file.read()), f"Import {file.name}")
            return redirect("stage", row.pk, "process")
        except DocumentError as error:
            messages.error(request, f"{file.name}: {error}")
    return redirect("projects")


@login_required
@require_POST
def remove(request: HttpRequest, pk: int) -> HttpResponse:
    row = own(request, pk)
    name = row.name
    row.delete()
    messages.info(request, f"{name} was deleted.")
    return redirect("projects")


@login_required
@require_POST
def copy(request: HttpRequest, pk: int) -> HttpResponse:
    row = actions.copy_project(own(request, pk), f"{own(request, pk).name} (copy)")
    return redirect("stage", row.pk, "process")


def show_workspace(request: HttpRequest, row: Project, stage: str, select: str = "", status: Any = 200, **more: Any) -> HttpResponse:
    """The whole workspace region, with its figures if they are there within a moment; htmx requests get only that."""
    job = None if "trial" in more else solving.figures(row)
    trouble = solving.trouble_of(row)
    if trouble:
        more.setdefault("notice", Notice("error", trouble))
    space = Workspace(row, stage, select, job=job, **more)
    space.shade = request.session.get(f"shade-{row.pk}", "")
    shown = STAGES[stage]
    context = {"space": space, "row": row, "stage": stage, "shown": shown, "sheets": style_sheets()}
    context["units_known"] = request.headers.get("X-Gulch-Units", "")
    context |= shown.context(space, request.session, shown.ask(space))
    if row.pk in request.session.get("walks", []):
        context["walk"] = next_step(space.document, row.scan_runs.filter(state=ScanRun.DONE).exists())
    template = "workspace/_workspace.html" if request.headers.get("HX-Request") else "workspace/page.html"
    response = render(request, template, context, status=status)
    response["X-Gulch-Version"] = row.version  # lets the browser drop an answer that a later one has overtaken
    return response


@login_required
@require_GET
def stage(request: HttpRequest, pk: int, stage: str) -> HttpResponse:
    if stage not in STAGES:
        raise Http404
    row = own(request, pk)
    if "beside" in request.GET:
        request.session[f"beside-{pk}"] = [int(n) for n in request.GET["beside"].split(",") if n.isascii() and n.isdigit()][:20]
    if "compare" in request.GET:
        request.session[f"compare-{pk}"] = request.GET["compare"]
    if "shade" in request.GET:
        request.session[f"shade-{pk}"] = request.GET["shade"]
    return show_workspace(request, row, stage, request.GET.get("select", ""))


def _version(request: HttpRequest) -> int | None:
    try:
        return int(request.POST.get("version", ""))
    except ValueError:
        return None


def _client(request: HttpRequest) -> str:
    """The name that an open page gives itself."""
    return request.POST.get("client", "")[:40]


def _stage(request: HttpRequest) -> str:
    stage = request.POST.get("stage", "process")
    return stage if stage in STAGES else "process"


@login_required
@require_POST
def do(request: HttpRequest, pk: int, name: str) -> HttpResponse:
    """Make an edit by name, solve, and show the workspace again."""
    row = get_object_or_404(Project, pk=pk, owner=request.user)  # the edit reads the document when it has the row for itself
    stage, select = _stage(request), request.POST.get("select", "")
    change = ACTIONS.get(name)
    if change is None:
        raise Http404
    longer = next((n for n, values in request.POST.lists() if any(len(v) > max(LONGEST, change.longest(n)) for v in values)), None)
    if longer is not None:
        notice = Notice("error", f"What was typed is longer than {max(LONGEST, change.longest(longer))} characters: shorten it.")
        return show_workspace(request, row, stage, select, 422, notice=notice)
    expect([request.POST.get("cas", "")])  # a species that is taken: others' edits do not wait until it is gathered
    try:
        done = actions.edit(
            row,
            _version(request),
            lambda o: o.label,
            lambda d: change.change(d, request.POST),
            _client(request),
            change.whole,
        )
    except actions.Conflict as conflict:
        again = [(k, v) for k, v in request.POST.lists() if k not in ("version", "client", "csrfmiddlewaretoken")]
        told = Refused(
            newest=conflict.newest,
            action=name,
            form=[(k, v) for k, vs in again for v in vs],
            typed=request.POST.get("value") or request.POST.get("equation") or "",
        )
        return show_workspace(request, own(request, pk), stage, select, 409, conflict=told)
    except (EditError, SpeciesError) as error:
        notice = Notice("error", str(error), request.POST.get("value") or request.POST.get("equation") or "")
        return show_workspace(request, own(request, pk), stage, select, 422, notice=notice)
    except DatabaseError:
        raise
    except Exception as error:  # a net under every action: its transaction is undone, the document as it was
        notice = Notice("error", fault_words(request, error))
        return show_workspace(request, own(request, pk), stage, select, 422, notice=notice)
    more = {"notice": Notice("info", done.said)} if done.said else {}
    return _shown_or_taken_back(request, row, done.stage or stage, select if done.select is None else done.select, more)


def _shown_or_taken_back(request: HttpRequest, row: Project, stage: str, select: str, more: dict[str, Notice]) -> HttpResponse:
    """The workspace after an edit; what cannot be shown is not kept."""
    try:
        return show_workspace(request, row, stage, select, **more)
    except (DocumentError, DatabaseError):
        raise
    except Exception as error:
        kept = actions.stored.get()
        if kept is None or not actions.take_back(row, kept):
            raise
        text = f"What came of this edit could not be shown, so it is taken back. {_fault(request, error)}"
        return show_workspace(request, own(request, row.pk), stage, select, 422, notice=Notice("error", text))


def fault_words(request: HttpRequest, error: Any) -> str:
    """A sentence for an action that broke; what broke is logged under the reference."""
    if isinstance(error, KeyError | ValueError):
        return "This cannot be done here: what it needs is missing or of another kind. Reload the page and try again."
    return _fault(request, error)


def _fault(request: HttpRequest, error: Any) -> str:
    reference = new_reference()
    log.error("fault %s at %s", reference, request.path, exc_info=error)
    return f"Gulch met a fault of its own (reference {reference}); the project is unchanged."


@login_required
@require_POST
def try_knob(request: HttpRequest, pk: int) -> HttpResponse:
    """Solve with a slider where it stands, without saving."""
    row = own(request, pk)
    space = Workspace(row, _stage(request))
    try:
        address, text, value = slider_text(space.document, request.POST.get("id", ""), int(request.POST.get("position", "0")))
    except (QuantityError, ValueError) as error:
        return show_workspace(request, row, _stage(request), request.POST.get("select", ""), 422, notice=Notice("error", str(error)))
    trial = solving.tried(row, space.document, {address: value}, _client(request))
    if trial is None:
        return HttpResponse(status=204)  # overtaken by a newer position, or too hard to follow a hand
    return show_workspace(request, row, _stage(request), request.POST.get("select", ""), trial=trial, trial_values={address: text})


@login_required
@require_POST
def history(request: HttpRequest, pk: int, way: str) -> HttpResponse:
    """Undo or redo."""
    row = own(request, pk)
    stage, select = _stage(request), request.POST.get("select", "")
    try:
        label = (actions.undo if way == "undo" else actions.redo)(row, _version(request), _client(request))
    except actions.Conflict:
        notice = Notice("info", "The project changed in another tab; this page now shows its newest state.")
        return show_workspace(request, own(request, pk), stage, select, notice=notice)
    words = "Undone" if way == "undo" else "Done again"
    text = f"{words}: {label}." if label else f"There is nothing to {way}."
    return show_workspace(request, row, stage, select, notice=Notice("info", text))


@login_required
@require_POST
def go_on(request: HttpRequest, pk: int) -> HttpResponse:
    """Continue the loops from their last iterate."""
    row = own(request, pk)
    solving.awaited(solving.go_on(row))
    return show_workspace(request, own(request, pk), "loops")


@login_required
@require_POST
def solve_again(request: HttpRequest, pk: int) -> HttpResponse:
    """Solve the current revision once more, after a solve was broken off."""
    solving.awaited(solving.again(own(request, pk)))
    return show_workspace(request, own(request, pk), _stage(request), request.POST.get("select", ""))


@login_required
@require_POST
def stop(request: HttpRequest, pk: int) -> HttpResponse:
    """Stop the solve under way."""
    solving.stop(own(request, pk))
    return show_workspace(request, own(request, pk), _stage(request), request.POST.get("select", ""))


@login_required
@require_GET
def progress(request: HttpRequest, pk: int, stage: str) -> HttpResponse:
    """How far the solve under way is; once it ends, the whole page again."""
    row = own(request, pk)
    job = solving.begin(row)
    if job is not None and not job.ended:
        told = {"progress": solving.progress_of(job), "row": row, "stage": stage, "compiling": solving.compiling()}
        return render(request, "workspace/_solving.html", told)
    return ended(request, row, stage if stage in STAGES else "process", request.GET.get("select", ""))


def ended(request: HttpRequest, row: Project, stage: str, select: str) -> HttpResponse:
    """What takes the place of progress: it asks for the page."""
    return render(request, "workspace/_ended.html", {"row": row, "stage": stage, "select": select})


@login_required
@require_GET
def revisions(request: HttpRequest, pk: int) -> HttpResponse:
    """Revisions with what each changed; named ones alone where that is asked for."""
    row = own(request, pk)
    named = request.GET.get("named") == "1"
    rows = row.revisions.select_related("parent").order_by("-number")
    page = Paginator(rows.exclude(name="") if named else rows, REVISIONS).get_page(request.GET.get("page"))
    shown = list(page)
    outcomes = outcomes_of(row, [r for one in shown for r in (one, one.parent) if r])
    for one in shown:
        one.changed = changed(one.parent, one, outcomes) if one.parent else None
    return render(request, "projects/revisions.html", {"row": row, "page": page, "shown": shown, "named": named})


@login_required
@require_POST
def name_revision(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Give a revision a name, or take it away."""
    revision = get_object_or_404(own(request, pk).revisions, number=number)
    revision.name = request.POST.get("name", "").strip()[:60]
    revision.save(update_fields=["name"])
    return redirect("revisions", pk)


@login_required
@require_GET
def compare_revisions(request: HttpRequest, pk: int) -> HttpResponse:
    """Two revisions side by side: every difference, and the gauges."""
    row = own(request, pk)
    asked = [request.GET.get(k, "") for k in ("from", "to")]
    found = {str(r.number): r for r in row.revisions.filter(number__in=[n for n in asked if n.isascii() and n.isdigit() and len(n) < 9])}
    if len({*asked}) < 2 or any(n not in found for n in asked):
        messages.error(request, "Choose two different revisions of the list to compare.")
        return redirect("revisions", pk)
    before, after = (found[n] for n in sorted(asked, key=int))
    seen = changed(before, after, outcomes_of(row, (before, after)), most=500)
    return render(request, "projects/compare.html", {"row": row, "before": before, "after": after, "seen": seen})


@login_required
@require_POST
def restore(request: HttpRequest, pk: int, number: int) -> HttpResponse:
    """Make an old revision's document the newest."""
    try:
        actions.restore(own(request, pk), _version(request), number)
    except actions.Conflict as conflict:
        newest = conflict.newest
        messages.error(
            request,
            f"The project was changed meanwhile (revision {newest.number}: {newest.label}). Look at it, then go back if you still want to.",
        )
        return redirect("revisions", pk)
    except Revision.DoesNotExist:
        raise Http404 from None
    return redirect("stage", pk, "process")


@login_required
@require_GET
def species_search(request: HttpRequest, pk: int) -> HttpResponse:
    """Search results as one types."""
    row = own(request, pk)
    query = request.GET.get("q", "")[:80]
    present = {s["cas"] for s in row.current.document.get("species", [])}
    found = [(m, m.cas in present, told_shortcomings(m.cas)) for m in find(query)] if query.strip() else []
    foresee([m.cas for m, is_there, _ in found if not is_there][:FORESEEN])
    context = {"found": found, "query": query, "row": row, "air": query.strip().lower() == "air"}
    return render(request, "workspace/_found.html", context)


@login_required
@require_GET
def find_anything(request: HttpRequest, pk: int) -> HttpResponse:
    """What the finder offers for what is typed, as JSON."""
    return JsonResponse({"rows": finding.found(own(request, pk).current.worked, request.GET.get("q", "")[: finding.LONGEST])})


@login_required
@require_GET
def known(request: HttpRequest, pk: int, of: str) -> HttpResponse:
    """What the browser completes by itself: commands of the finder, names in formulas, as JSON."""
    if of not in finding.KNOWN:
        raise Http404
    document = own(request, pk).current.worked
    with standing(document):
        return JsonResponse({"rows": finding.KNOWN[of](document)})
