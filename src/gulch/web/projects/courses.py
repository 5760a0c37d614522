"""Properties over temperature or pressure of a species or of a solved stream: as plots beside it, and as a file."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from itertools import zip_longest
from typing import TYPE_CHECKING, Any
from urllib.parse import urlencode

import numpy as np
from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from gulch.engine.exchange import safe
from gulch.engine.quantities import DISPLAY_SETS, QuantityError, parse, pretty_unit, show, to_unit
from gulch.engine.work import DrawCourses, Ending, unpack
from gulch.web.projects import solving
from gulch.web.projects.files import attachment
from gulch.web.projects.turnstile import waited
from gulch.web.projects.views import own
from gulch.web.projects.workspace import Workspace

if TYPE_CHECKING:
    from django.http import HttpRequest


PATIENCE = 20.0  # s
AROUND, TIMES = 100.0, 5.0  # K to both sides of a stream's own temperature; by how much its pressure falls and rises
ENDS = {"temperature": (120.0, 3000.0), "pressure": (1e2, 1e8)}  # between which states are asked for, SI
LETTERS = {"temperature": "T", "pressure": "P"}


@dataclass
class Drawn:
    """A property over temperature or pressure. id: of its plot's data; data: what the browser draws; source: of the numbers."""

    id: str
    data: dict[str, Any]
    source: str

    @property
    def block(self) -> str:
        """The id of the data's block."""
        return f"{self.id}-data"


@dataclass
class Asked:
    """What is asked: of a species, one of its data where that is named; or of a stream along a range as typed.

    held: the other of temperature and pressure, in words; trouble: why nothing is shown.
    """

    of: str
    stream: bool
    only: str = ""
    along: str = "temperature"
    low: str = ""
    high: str = ""
    held: str = ""
    trouble: str = ""

    @property
    def again(self) -> str:
        """The rest of an address that asks for the same."""
        return urlencode({"along": self.along, "low": self.low, "high": self.high} if self.stream else {"only": self.only})

    @property
    def kinds(self) -> list[tuple[str, bool]]:
        """What a stream's properties can be drawn along, and whether they are."""
        return [(k, k == self.along) for k in ENDS]


@login_required
@require_GET
def courses(request: HttpRequest, pk: int, of: str) -> HttpResponse:
    """The plots, or with ?file=csv the table."""
    row = own(request, pk)
    space = Workspace(row, "process", of)
    asked, task = _task(space, of, request.GET)
    found: list[dict[str, Any]] = []
    if task is not None:
        job = solving.workers().submit(task, key=("courses", pk), owner=request.user.pk)
        if waited(job, PATIENCE) and job.ending is Ending.DONE and job.value is not None:
            answer = unpack(job.value[1])
            found, asked.trouble = answer.get("courses", []), answer.get("trouble", "")
        elif job.ending is None:
            solving.workers().stop(job.key)
            asked.trouble = f"The plots were not ready after {PATIENCE:.0f} s, and were given up. Ask again."
        else:
            asked.trouble = f"The plots were not computed: {job.ending.value}. {job.words}".strip()
    found = [c for c in found if asked.only in ("", c["name"])]
    if not found and not asked.trouble:
        asked.trouble = "Nothing is known of it over temperature."
    if request.GET.get("file") == "csv" and found:
        return attachment(HttpResponse(_csv(space, found), content_type="text/csv; charset=utf-8"), row, f"{of}.csv")
    drawn = [_drawn(space, f"{asked.only or 'course'}-{i}", c) for i, c in enumerate(found)]
    return render(request, "workspace/_courses.html", {"asked": asked, "courses": drawn, "row": row})


def _task(space: Workspace, of: str, given: Any) -> tuple[Asked, DrawCourses | None]:
    document = space.document.dump()
    if any(s.id == of for s in space.document.species):
        return Asked(of, stream=False, only=str(given.get("only", ""))[:40]), DrawCourses(document, species=of)
    found = space.solution.streams.get(of) if space.solution else None
    if space.document.stream(of) is None:
        raise Http404
    if found is None or not found.total or found.temperature is None:
        return Asked(of, stream=True, trouble=f"{of} is not solved yet, or carries nothing."), None
    T, P = found.temperature, found.pressure
    along = "pressure" if given.get("along") == "pressure" else "temperature"
    coldest, hottest = ENDS[along]
    usual = (P / TIMES, P * TIMES) if along == "pressure" else (T - AROUND, T + AROUND)
    held, at = ("temperature", T) if along == "pressure" else ("pressure", P)
    asked = Asked(of, stream=True, along=along, held=f"at {show(at, held, space.display)}")
    ends = []
    for name, value in zip(("low", "high"), np.clip(usual, coldest, hottest), strict=True):
        text = str(given.get(name, ""))[:40].strip()
        setattr(asked, name, text or show(float(value), along, space.display))
        try:
            ends.append(parse(text, along) if text else float(value))
        except QuantityError as error:
            asked.trouble = str(error)
    if not asked.trouble and not coldest <= ends[0] < ends[1] <= hottest:
        low, high = (show(v, along, space.display) for v in ENDS[along])
        asked.trouble = f"The range must rise, between {low} and {high}."
    if asked.trouble:
        return asked, None
    return asked, DrawCourses(document, "", dict(found.flow), along, at, ends[0], ends[1])


def _numbers(values: list[float | None], dimension: str, display: str) -> list[float | None]:
    unit = DISPLAY_SETS[display].unit(dimension)
    return [None if v is None else float(f"{to_unit(v, unit, dimension):.7g}") for v in values]


def _unit(dimension: str, display: str) -> str:
    return pretty_unit(DISPLAY_SETS[display].unit(dimension))


def _drawn(space: Workspace, id_: str, course: dict[str, Any]) -> Drawn:
    axis = {"label": "", "unit": _unit(course["dimension"], space.display)}
    series = [{"label": course["label"], "axis": 0, "y": _numbers(course["values"], course["dimension"], space.display)}]
    group = {"id": course["name"], "label": course["label"], "axes": [axis], "series": series, "marks": [], "log": course["log"]}
    along = course["along"]
    x, unit = _numbers(course["x"], along, space.display), _unit(along, space.display)
    data = {"kind": "profile", "x": x, "x_label": LETTERS[along], "x_unit": unit, "groups": [group]}
    return Drawn(id_, data, course["source"])


def _csv(space: Workspace, courses: list[dict[str, Any]]) -> str:
    """A column for the temperature or pressure before each property that stands at others; shorter columns end earlier."""
    columns: list[tuple[str, list]] = []
    before = None
    for c in courses:
        if c["x"] != before:
            along = c["along"]
            columns.append((f"{LETTERS[along]} [{_unit(along, space.display)}]", _numbers(c["x"], along, space.display)))
            before = c["x"]
        unit = _unit(c["dimension"], space.display)
        columns.append((f"{c['label']} [{unit}]" if unit else c["label"], _numbers(c["values"], c["dimension"], space.display)))
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([safe(head) for head, _ in columns])
    for cells in zip_longest(*(values for _, values in columns)):
        writer.writerow(["" if v is None else f"{v:.7g}" for v in cells])
    return text.getvalue()
