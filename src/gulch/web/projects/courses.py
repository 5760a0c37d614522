"""Properties over temperature of a species or of a solved stream: as plots beside it, and as a file."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from urllib.parse import urlencode

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from gulch.engine.exchange import safe
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, pretty_unit, show, to_unit
from gulch.engine.work import Ending, OverTemperature, unpack
from gulch.web.projects import solving
from gulch.web.projects.files import attachment
from gulch.web.projects.turnstile import waited
from gulch.web.projects.views import own
from gulch.web.projects.workspace import Workspace

if TYPE_CHECKING:
    from django.http import HttpRequest


PATIENCE = 20.0  # s
AROUND = 100.0  # K to both sides of a stream's own temperature
COLDEST, HOTTEST = 120.0, 3000.0  # K


@dataclass
class Drawn:
    """A property over temperature. id: of its plot's data; data: what the browser draws; source: of the numbers."""

    id: str
    data: dict[str, Any]
    source: str

    @property
    def block(self) -> str:
        """The id of the data's block."""
        return f"{self.id}-data"


@dataclass
class Asked:
    """What is asked: of a species, or of a stream between two temperatures as typed; trouble: why nothing is shown."""

    of: str
    stream: bool
    low: str = ""
    high: str = ""
    trouble: str = ""

    @property
    def range(self) -> str:
        """The rest of an address that asks for the same range."""
        return f"&{urlencode({'low': self.low, 'high': self.high})}" if self.stream else ""


@login_required
@require_GET
def over_temperature(request: HttpRequest, pk: int, of: str) -> HttpResponse:
    """The plots, or with ?file=csv the table."""
    row = own(request, pk)
    space = Workspace(row, "process", of)
    asked, task = _task(space, of, request.GET)
    courses: list[dict[str, Any]] = []
    if task is not None:
        job = solving.workers().submit(task, key=("over temperature", pk), owner=request.user.pk)
        if waited(job, PATIENCE) and job.ending is Ending.DONE and job.value is not None:
            answer = unpack(job.value[1])
            courses, asked.trouble = answer.get("courses", []), answer.get("trouble", "")
        elif job.ending is None:
            solving.workers().stop(job.key)
            asked.trouble = f"The plots were not ready after {PATIENCE:.0f} s, and were given up. Ask again."
        else:
            asked.trouble = f"The plots were not computed: {job.ending.value}. {job.words}".strip()
    if request.GET.get("file") == "csv" and courses:
        return attachment(HttpResponse(_csv(space, courses), content_type="text/csv; charset=utf-8"), row, f"{of}.csv")
    drawn = [_drawn(space, i, c) for i, c in enumerate(courses)]
    return render(request, "workspace/_courses.html", {"asked": asked, "courses": drawn, "row": row})


def _task(space: Workspace, of: str, given: Any) -> tuple[Asked, OverTemperature | None]:
    document = space.document.dump()
    if any(s.id == of for s in space.document.species):
        return Asked(of, stream=False), OverTemperature(document, species=of)
    found = space.solution.streams.get(of) if space.solution else None
    if space.document.stream(of) is None:
        raise Http404
    if found is None or not found.total or found.temperature is None:
        return Asked(of, stream=True, trouble=f"{of} is not solved yet, or carries nothing."), None
    T = found.temperature
    asked = Asked(of, stream=True)
    ends = []
    for name, usual in (("low", max(T - AROUND, COLDEST)), ("high", min(T + AROUND, HOTTEST))):
        text = str(given.get(name, ""))[:40].strip()
        setattr(asked, name, text or show(usual, "temperature", space.display))
        try:
            ends.append(parse(text, "temperature") if text else usual)
        except QuantityError as error:
            asked.trouble = str(error)
    if not asked.trouble and not COLDEST <= ends[0] < ends[1] <= HOTTEST:
        low, high = (show(t, "temperature", space.display) for t in (COLDEST, HOTTEST))
        asked.trouble = f"The range must rise, between {low} and {high}."
    if asked.trouble:
        return asked, None
    return asked, OverTemperature(document, "", dict(found.flow), found.pressure, ends[0], ends[1])


def _numbers(values: list[float | None], dimension: str, display: str) -> list[float | None]:
    unit = DISPLAY_SETS[display].unit(dimension)
    return [None if v is None else float(f"{to_unit(v, unit, dimension):.7g}") for v in values]


def _unit(dimension: str, display: str) -> str:
    return pretty_unit(DISPLAY_SETS[display].unit(dimension))


def _drawn(space: Workspace, number: int, course: dict[str, Any]) -> Drawn:
    axis = {"label": "", "unit": _unit(course["dimension"], space.display)}
    series = [{"label": course["label"], "axis": 0, "y": _numbers(course["values"], course["dimension"], space.display)}]
    group = {"id": course["name"], "label": course["label"], "axes": [axis], "series": series, "marks": []}
    x, unit = _numbers(course["T"], "temperature", space.display), _unit("temperature", space.display)
    data = {"kind": "profile", "x": x, "x_label": "T", "x_unit": unit, "groups": [group]}
    return Drawn(f"course-{number}", data, course["source"])


def _csv(space: Workspace, courses: list[dict[str, Any]]) -> str:
    """A column for the temperature before each property whose temperatures are others."""
    columns: list[tuple[str, list]] = []
    before = None
    for c in courses:
        if c["T"] != before:
            columns.append((f"T [{_unit('temperature', space.display)}]", _numbers(c["T"], "temperature", space.display)))
            before = c["T"]
        unit = _unit(c["dimension"], space.display)
        columns.append((f"{c['label']} [{unit}]" if unit else c["label"], _numbers(c["values"], c["dimension"], space.display)))
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([safe(head) for head, _ in columns])
    for cells in zip(*(values for _, values in columns), strict=True):
        writer.writerow(["" if v is None else f"{v:.7g}" for v in cells])
    return text.getvalue()
