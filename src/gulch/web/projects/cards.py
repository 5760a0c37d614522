"""The cards in the list of projects: what each is about, how it stands, its gauges, and a small drawing of its process.

Making a card reads a document and its figures, so it is kept with the project until either changes.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from django.utils.html import format_html, format_html_join

from gulch.engine.document import DocumentError
from gulch.engine.explain.features import features
from gulch.engine.project.couplings import readings
from gulch.engine.quantities import show
from gulch.web.convenience import where_it_can
from gulch.web.projects.models import Project

if TYPE_CHECKING:
    from django.db.models import QuerySet


FORM = 2  # of what is kept; another one is made anew
ABOUT = 160  # characters of the remarks
GAUGES = 3
COLUMN, ROW, PLATE = 26, 22, (16, 10)  # of the drawing


def carded(rows: QuerySet) -> list[Project]:
    """Projects with a `card` each; only those whose card is out of date are read. rows: a page of Projects with `current` selected."""
    rows = list(rows)
    old = [row for row in rows if row.summary is None or row.summary.get("key") != _key(row)]
    if old:
        whole = Project.objects.filter(pk__in=[row.pk for row in old]).select_related("current", "good_outcome").in_bulk()
        for row in old:
            row.summary = {"key": _key(row)} | _summary(whole[row.pk])
        with where_it_can():
            Project.objects.bulk_update(old, ["summary"])
    for row in rows:
        row.card = row.summary
        row.drawing = drawing(row.summary["map"])
    return rows


def _key(row: Project) -> str:
    return f"{FORM} {row.current_id} {row.good_outcome_id} {row.good_revision}"  # a digest knows nothing of remarks and labels


def _summary(row: Project) -> dict[str, Any]:
    out: dict[str, Any] = {"about": "", "shows": [], "gauges": [], "state": "empty", "units": 0, "map": {"nodes": [], "lines": []}}
    try:
        document = row.current.worked
    except (DocumentError, AttributeError):
        return out | {"state": "unreadable"}
    first = next((line.strip() for line in (document.remarks or "").splitlines() if line.strip()), "")
    out["about"] = first if len(first) <= ABOUT else first[: ABOUT - 1].rsplit(" ", 1)[0] + " …"
    out["units"] = len(document.units)
    out["shows"] = features(row.current.read)
    out["map"] = sketch(document)
    if not document.units:
        return out
    fresh = row.good_outcome_id is not None and row.good_revision == row.current.number
    out["state"] = "solved" if fresh else "not solved"
    if row.good_outcome is not None:
        values, known = row.good_outcome.data()["gauges"], readings(document)
        for gauge in document.gauges[:GAUGES]:
            if gauge.reads in known and values.get(gauge.id) is not None:
                text = show(values[gauge.id], known[gauge.reads].dimension, document.display)
                out["gauges"].append([gauge.label or gauge.id, text])
    return out


def sketch(document: Project) -> dict:
    """Units in columns by how far they stand from a feed, and the streams between them: {"nodes": [[x, y]], "lines": [[a, b]]}."""
    order = {u.id: i for i, u in enumerate(document.units)}
    pairs = [(s.source.split(".")[0], s.enters) for s in document.streams if s.source and s.enters]
    pairs = [(a, b) for a, b in pairs if a in order and b in order]
    column = dict.fromkeys(order, 0)
    for _ in order:  # the longest way along what runs forward
        for a, b in pairs:
            if order[a] < order[b]:
                column[b] = max(column[b], column[a] + 1)
    filled, nodes = {}, []
    for id_ in order:
        row = filled.setdefault(column[id_], 0)
        filled[column[id_]] += 1
        nodes.append([column[id_], row])
    return {"nodes": nodes, "lines": [[order[a], order[b]] for a, b in pairs]}


def drawing(found: dict) -> str:
    """The small drawing as SVG: plates, streams that run on as lines, returning ones as bows below."""
    nodes = found["nodes"]
    if not nodes:
        return ""
    at = [(8 + COLUMN * x, 10 + ROW * y) for x, y in nodes]
    width, deep = max(x for x, _ in at) + PLATE[0] + 8, max(y for _, y in at) + PLATE[1]
    lines = []
    for a, b in found["lines"]:
        (x1, y1), (x2, y2) = at[a], at[b]
        if nodes[b][0] > nodes[a][0]:
            lines.append((f"M{x1 + PLATE[0]} {y1 + 5} L{x2} {y2 + 5}", "on"))
        else:
            low = deep + 12
            lines.append((f"M{x1 + 8} {y1 + PLATE[1]} V{low} H{x2 + 8} V{y2 + PLATE[1]}", "back"))
    paths = format_html_join("", '<path d="{}" class="{}"/>', lines)
    plates = format_html_join("", '<rect x="{}" y="{}" width="{}" height="{}" rx="2"/>', ((x, y, *PLATE) for x, y in at))
    return format_html('<svg class="sketch" viewBox="0 0 {} {}" aria-hidden="true">{}{}</svg>', width, deep + 18, paths, plates)
