"""The interface for programs, version 1: list, read, write, solve and scan the user's own projects.

Documents are as in files; figures are in SI: K, Pa, mol/s, W. Whatever is refused comes with a sentence as `detail`.
"""

import json
from collections.abc import Callable
from typing import Any

from django.http import Http404, HttpRequest
from ninja import NinjaAPI, Schema
from ninja.security import HttpBearer

from gulch.engine.document import MAX_BYTES, DocumentError
from gulch.engine.project.inputs import addresses, write
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.scans import ScanError
from gulch.engine.work import FitLaws
from gulch.web.api.tokens import Refused, known
from gulch.web.measured.answers import key_of
from gulch.web.projects import actions, solving
from gulch.web.projects.models import Outcome, Project, ScanRun
from gulch.web.scans import jobs

PATIENCE = 10.0  # s that an answer waits for a solve; then it says that it is under way
MOST_INPUTS = 200
LISTED = 500


class Trouble(Exception):
    """A refusal: the HTTP status and a sentence."""

    def __init__(self, status: int, detail: str) -> None:
        super().__init__(detail)
        self.status = status


class Bearer(HttpBearer):
    """A token in the header; the request's user is its owner. One that only reads may ask and not change."""

    def authenticate(self, request: HttpRequest, token: str) -> Any:
        token = known(token)
        if token.reads_only and request.method not in ("GET", "HEAD"):
            raise Trouble(403, f"The token “{token.name}” may only read: make one that may change projects under “Tokens”.")
        request.user = token.owner
        return request.user


api = NinjaAPI(title="Gulch", version="1", urls_namespace="api-v1", auth=Bearer(), docs_url=None, description=__doc__)


class Listed(Schema):
    """A project in the list. solved: null while nobody knows."""

    id: int
    name: str
    version: int
    changed: str
    solved: bool | None


class Said(Schema):
    """Why something was refused, as a sentence."""

    detail: str


class Figures(Schema):
    """state: solved, targets not met, a loop is open, not solved, or solving: ask again then.

    solution: what came out, in SI, as `gulch solve --json` prints it.
    """

    state: str
    version: int
    solution: dict | None = None


class Inputs(Schema):
    """Inputs by address, as typed with their unit: {"SPLIT.drawn": "8 %"}; version: of the project as it was read, to hear of conflicts."""

    inputs: dict[str, str]
    version: int | None = None


class Run(Schema):
    """A scan under way or done. result: axes, gauges and the points that are there, in SI."""

    id: int
    scan: str
    state: str
    done: int
    total: int
    why: str
    result: dict | None = None


@api.exception_handler(Trouble)
def _trouble(request: HttpRequest, error: Trouble) -> Any:
    return api.create_response(request, {"detail": str(error)}, status=error.status)


@api.exception_handler(Refused)
def _refused(request: HttpRequest, error: Exception) -> Any:
    return api.create_response(request, {"detail": str(error)}, status=401)


@api.exception_handler(DocumentError)
def _unreadable(request: HttpRequest, error: Exception) -> Any:
    return api.create_response(request, {"detail": str(error)}, status=422)


@api.exception_handler(Http404)
def _missing(request: HttpRequest, error: Exception) -> Any:
    return api.create_response(request, {"detail": "There is no such thing among your projects."}, status=404)


def _own(request: HttpRequest, pk: int) -> Any:
    row = Project.objects.select_related("current", "good_outcome").filter(pk=pk, owner=request.user).first()
    if row is None:
        raise Trouble(404, f"There is no project {pk} among yours.")
    return row


def _document(request: HttpRequest) -> Any:
    """The project in a request's body. Raises Trouble."""
    if len(request.body) > MAX_BYTES:
        raise Trouble(413, f"The project is larger than {MAX_BYTES // 1_000_000} MB.")
    return actions.received(request.user, request.body)


def _listed(rows: Any) -> Any:
    """Rows as they are listed; whether they are solved is asked for all at once."""
    outcomes = Outcome.objects.filter(project__in=rows, digest__in=[row.current.digest for row in rows])
    known = {(pk, digest): solved for pk, digest, solved in outcomes.values_list("project_id", "digest", "solved")}
    return [_entry(row, known.get((row.pk, row.current.digest))) for row in rows]


def _entry(row: Project, solved: bool | None) -> Any:
    return {"id": row.pk, "name": row.name, "version": row.version, "changed": row.changed.isoformat(), "solved": solved}


@api.get("/projects", response=list[Listed], summary="The user's projects, the newest first")
def projects(request: HttpRequest) -> Any:
    rows = Project.objects.filter(owner=request.user).select_related("current").defer("current__document")
    return _listed(list(rows[:LISTED]))


@api.post("/projects", response={201: Listed, 413: Said, 422: Said}, summary="A new project from a document in the body")
def create(request: HttpRequest) -> Any:
    return 201, _listed([actions.create_project(request.user, _document(request), "Sent by a program")])[0]


@api.get("/projects/{pk}", response={200: dict, 404: Said}, summary="The document of a project")
def read(request: HttpRequest, pk: int) -> Any:
    return _own(request, pk).current.document


@api.put(
    "/projects/{pk}",
    response={200: Figures, 404: Said, 409: Said, 413: Said, 422: Said},
    summary="Put a whole document in place of the project's, as one revision, and solve; version: of the project as it was read",
)
def replace(request: HttpRequest, pk: int, version: int | None = None) -> Any:
    row, new = _own(request, pk), _document(request)

    def change(document: Any) -> Any:
        for field in type(document).model_fields:
            setattr(document, field, getattr(new, field))

    return _edited(row, version, "Replaced by a program", change, whole=True)


@api.get("/projects/{pk}/figures", response={200: Figures, 404: Said}, summary="What the project solves to")
def figures(request: HttpRequest, pk: int) -> Any:
    return _figures(_own(request, pk))


@api.post(
    "/projects/{pk}/inputs", response={200: Figures, 404: Said, 409: Said, 422: Said}, summary="Set inputs, as one revision, and solve"
)
def set_inputs(request: HttpRequest, pk: int, asked: Inputs) -> Any:
    row = _own(request, pk)
    if not asked.inputs or len(asked.inputs) > MOST_INPUTS:
        raise Trouble(422, f"Give from one to {MOST_INPUTS} inputs.")

    def change(document: Any) -> Any:
        known = addresses(document)
        for address, text in asked.inputs.items():
            if address not in known:
                raise Trouble(422, f"There is no input {address} in this project.")
            try:
                parse(text, known[address].dimension)
            except QuantityError as error:
                raise Trouble(422, f"{known[address].label}: {error}") from None
            write(document, address, text)

    return _edited(row, asked.version, f"Set {', '.join(asked.inputs)} by a program"[:200], change)


def _edited(row: Project, version: int | None, label: str, change: Callable, whole: bool = False) -> Any:
    """Make an edit and answer with its figures. Raises Trouble where the project stands elsewhere, or the edit cannot be made."""
    try:
        actions.edit(row, version, label, change, whole=whole)
    except actions.Conflict as conflict:
        raise Trouble(409, f"The project was changed meanwhile: it stands at revision {conflict.newest.number}. Read it again.") from None
    except actions.EditError as error:
        raise Trouble(422, str(error)) from None
    row.refresh_from_db()
    return _figures(row)


def _figures(row: Project) -> Any:
    job = solving.figures(row, PATIENCE)
    found = row.outcome()
    if found is None:
        return {"state": "solving" if job is not None else "not solved", "version": row.version}
    data = found.data()
    return {"state": _state(found.solved, data), "version": row.version, "solution": data}


def _state(solved: bool, data: dict[str, Any] | None) -> Any:
    """What became of a solve, in words: solved only where every target is met and no loop left open."""
    if not solved:
        return "not solved"
    if not all(t["met"] for t in data.get("targets", ())):
        return "targets not met"
    return "a loop is open" if data.get("opened") else "solved"


class Fitted(Schema):
    """state: done or fitting: ask again then. found: the answer, its rivals and what to measure next, as `gulch fit --json` prints it."""

    state: str
    found: dict | None = None


@api.get("/projects/{pk}/fits/{fit}", response={200: Fitted, 404: Said}, summary="What the measurements say of the rate laws")
def fit(request: HttpRequest, pk: int, fit: str) -> Any:
    row = _own(request, pk)
    if row.current.worked.fit(fit) is None:
        raise Trouble(404, f"The project has no fit {fit}.")
    outcome, pending = solving.answer(row, FitLaws(row.current.worked.dump(), fit), key_of(row.pk, fit), PATIENCE)
    if outcome is None:
        return {"state": "fitting" if pending else "not fitted"}
    return {"state": "done", "found": json.loads(json.dumps(outcome.data()))}


@api.post("/projects/{pk}/scans/{scan}/runs", response={201: Run, 404: Said, 422: Said}, summary="Begin a scan")
def run_scan(request: HttpRequest, pk: int, scan: str) -> Any:
    row = _own(request, pk)
    if row.current.worked.scan(scan) is None:
        raise Trouble(404, f"The project has no scan {scan}.")
    try:
        return 201, _run(jobs.start(row, scan))
    except ScanError as error:
        raise Trouble(422, str(error)) from None


@api.get("/projects/{pk}/runs/{run}", response={200: Run, 404: Said}, summary="How far a scan is, with its points")
def scan_run(request: HttpRequest, pk: int, run: int) -> Any:
    found = _own(request, pk).scan_runs.filter(pk=run).first()
    if found is None:
        raise Trouble(404, f"The project has no run {run}.")
    return _run(found)


@api.delete("/projects/{pk}/runs/{run}", response={200: Run, 404: Said}, summary="Stop a scan; its points stay")
def stop_run(request: HttpRequest, pk: int, run: int) -> Any:
    found = _own(request, pk).scan_runs.filter(pk=run).first()
    if found is None:
        raise Trouble(404, f"The project has no run {run}.")
    jobs.stop(found)
    return _run(found)


def _run(run: ScanRun) -> Any:
    run.refresh_from_db()
    shown = {"id": run.pk, "scan": run.scan, "state": run.state, "done": run.done, "total": run.total, "why": run.why}
    return shown | {"result": json.loads(json.dumps(jobs.result_of(run)))}
