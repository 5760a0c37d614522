"""What the scans page shows."""

from __future__ import annotations

import json
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.exchange import Sentence, in_sentence
from gulch.engine.project.choices import choices
from gulch.engine.project.edit.naming import name_of_gauge, name_of_knob
from gulch.engine.project.unsure import anything_unsure
from gulch.engine.quantities import along, show, write
from gulch.engine.scans import gauges_of, limit_broken
from gulch.web.projects.words import pretty_text, show_unit
from gulch.web.projects.workspace import Workspace
from gulch.web.scans import jobs, plots
from gulch.web.scans.best import BestPage, searched
from gulch.web.scans.branches import branch_panel
from gulch.web.scans.chosen import run_words
from gulch.web.scans.remarks import own_remarks, remark_lines, typed_point, values_of
from gulch.web.scans.today import result_today

if TYPE_CHECKING:
    from gulch.engine.document.process import KnobEntry
    from gulch.engine.document.studies import ScanEntry, Sweep
    from gulch.web.projects.models import Project, ScanRun
    from gulch.web.scans.branches import BranchPanel


MOST_ROWS = 500  # of the table on the page; the file holds all
SHOWN_FAILED = 6  # points that did not solve of which the reasons are listed
NEAR = {1: 5, 2: 4}  # columns of the table that have room beside the plot, by how many are knobs
LIVE_POINTS = 2500  # of a run whose plot is sent anew while it goes on


@dataclass
class Shown:
    """Answer, table and plot of a result."""

    answer: Sentence
    table: Table
    plot: dict[str, Any]


@dataclass
class ScanPage:
    """The chosen scan with its form, its newest run, its answer, its table and its plot."""

    scan: ScanForm | None = None
    run: ScanRun | None = None
    outdated: bool = False
    answer: Sentence | None = None
    table: Table | None = None
    plot: dict[str, Any] | None = None
    beside: list[tuple] = field(default_factory=list)
    branches: BranchPanel | None = None


@dataclass
class ScanForm:
    """What a scan's form shows."""

    id: str
    words: str
    axes: list[AxisForm]
    listed: str
    count: int
    example: str
    gauges: list[tuple]
    shows: str
    choices: list[tuple]
    band: bool
    within: str
    unsure: bool
    aims: list[tuple]


@dataclass
class AxisForm:
    """The fields of one knob of a scan."""

    knob: str
    low: str
    high: str
    points: str | int
    spacings: list[tuple]


@dataclass
class Table:
    """The points of a scan as text."""

    remarks: list[tuple]
    heads: list[tuple]
    rows: list[TableRow]
    failed: list[tuple]
    more_failed: int
    count: int
    near: int  # gauges that have room beside the plot
    shown: int  # columns that have


@dataclass
class TableRow:
    """A point of a scan as text."""

    values: list
    typed: str
    point: str
    cells: list[tuple]
    remarks: list
    solved: bool
    why: Any
    inside: bool


def scan_page(space: Workspace, kept: list[int] | tuple = ()) -> ScanPage:
    """The chosen scan with its form, its newest run, its answer, its table and its plot. kept: ids of runs shown beside it."""
    scans = space.document.scans
    sought = searched(space)
    chosen = space.document.scan(space.select) or (scans[0] if scans else None)
    page = ScanPage()
    if chosen is None or sought is not None:
        return page
    page.scan = form(space, chosen)
    run = jobs.newest(space.row, space.document, chosen, space.whole.working)
    page.run = run
    result = result_today(run, space.document, chosen) if run is not None else None
    if result and result["points"] and result["gauges"]:
        page.outdated = jobs.outdated(run, space.document)
        seen = shown(result, chosen, space)
        page.answer, page.table, page.plot = seen.answer, seen.table, seen.plot
        page.branches = branch_panel(result, space)
        lay_beside(page, run, set(kept), space, chosen)
    elif run is not None and run.active:
        page.plot = {"kind": "empty"}
    return page


def lay_beside(page: ScanPage, run: ScanRun | None, kept: set[int], space: Workspace, entry: ScanEntry) -> None:
    """Offer other runs of the scan to be compared with, and add the lines of those that are kept to its plot."""
    others = jobs.beside(run)
    kept &= {r.pk for r in others}
    page.beside = [(",".join(map(str, sorted(kept ^ {r.pk}))), run_words(space, r, run), r.pk in kept) for r in others]
    if page.plot is not None and page.answer is not None and page.plot["kind"] == "lines":
        found = [(run_words(space, r, run), result_today(r, space.document, entry)) for r in others if r.pk in kept]
        plots.lay_beside(page.plot, found, space.display, page.answer.axes[0])


def so_far(row: Project, run: ScanRun) -> dict[str, Any]:
    """What is shown of a run under way: its plot, unless it is too much to send again and again, and the best reading of a search."""
    space = Workspace(row, "scans")
    search = space.document.search(run.scan)
    if search is not None:
        page = BestPage(space, search)
        return {"plot": page.plot, "so_far": page.so_far, "seeks": True}
    return {"plot": plot_so_far(space, run) if run.total <= LIVE_POINTS else None}


def sentence_of(result: dict[str, Any], entry: ScanEntry, space: Workspace) -> Sentence:
    """The Sentence of a result, beside the process as it is now."""
    reads = space.solution.gauges if space.solution else {}
    return Sentence(result, entry, space.display, reads, {a: found.text for a, found in space.inputs.items()})


def plot_so_far(space: Workspace, run: ScanRun) -> Any:
    """The plot of a scan under way, or None where there is none yet."""
    entry = space.document.scan(run.scan)
    result = result_today(run, space.document, entry) if entry is not None else None
    return plot(result, sentence_of(result, entry, space), space.display) if result and result["points"] and result["gauges"] else None


def shown(result: dict[str, Any], entry: ScanEntry, space: Workspace) -> Shown:
    """Answer, table and plot of a result."""
    sentence = sentence_of(result, entry, space)
    return Shown(sentence, table(result, space.display), plot(result, sentence, space.display))


def plot(result: dict[str, Any], sentence: Sentence, display: str) -> dict[str, Any]:
    """Lines along one knob, or contours over two."""
    return (plots.contours if len(sentence.axes) > 1 and not result.get("listed") else plots.lines)(result, sentence, display)


def form(space: Workspace, entry: ScanEntry) -> ScanForm:
    """What the scan's form shows."""
    gauges = [(g.id, g.label or (space.outputs[g.reads].label if g.reads in space.outputs else g.reads)) for g in space.document.gauges]
    return ScanForm(
        id=entry.id,
        words=scan_words(space, entry),
        axes=[axis_form(space, sweep) for sweep in entry.over] if not entry.listed else [],
        listed=listed_text(entry),
        count=len(entry.listed),
        example="\t".join(k.id for k in space.document.knobs[:3]),
        gauges=[(id_, label, id_ in entry.gauges or not entry.gauges) for id_, label in gauges],
        shows=name_of_told(space, entry),
        choices=[(c.address, in_sentence(c.label)) for c in choices(space.document)],
        band=entry.band,
        within=pretty_text(entry.within or ""),
        unsure=anything_unsure(space.document),
        aims=[(v, w, v == entry.aim) for v, w in (("highest", "highest"), ("lowest", "lowest"))],
    )


def listed_text(entry: ScanEntry) -> str:
    """The list of points as it is pasted: the knobs' ids, then a line a point."""
    if not entry.listed:
        return ""
    lines = ["\t".join(s.knob for s in entry.over), *("\t".join(row) for row in entry.listed)]
    return "\n".join(lines)


def name_of_told(space: Workspace, entry: ScanEntry) -> str:
    """The name of the gauge of which a scan tells the best: its own choice, else the first without limits, else the first."""
    recorded = gauges_of(space.document, entry)
    gauges = [g for g in space.document.gauges if g.id in recorded]
    free = [g for g in gauges if g.at_least is None and g.at_most is None]
    chosen = space.document.gauge(entry.shows or "") or next(iter(free or gauges), None)
    return name_of_gauge(chosen, space.outputs) if chosen is not None else ""


def axis_form(space: Workspace, sweep: Sweep) -> AxisForm:
    """The fields of one knob of a scan."""
    knob = space.document.knob(sweep.knob)
    return AxisForm(
        knob=knob_words(space, knob) if knob else sweep.knob,
        low=pretty_text(sweep.low or (knob.low if knob else "")),
        high=pretty_text(sweep.high or (knob.high if knob else "")),
        points=pretty_text(sweep.step) if sweep.step else sweep.points,
        spacings=[(v, w, v == sweep.spacing) for v, w in (("linear", "evenly"), ("log", "by equal factors"))],
    )


def scan_words(space: Workspace, scan: ScanEntry) -> str:
    names = [knob_words(space, knob) if (knob := space.document.knob(s.knob)) else s.knob for s in scan.over]
    return " × ".join(names)


def knob_words(space: Workspace, knob: KnobEntry) -> str:
    """A knob by its label, else by the words for its input."""
    return name_of_knob(knob, space.inputs)


def _written(point: dict[str, Any], axes: list[dict[str, Any]], display: str) -> dict[str, str]:
    """{address: document text} of a point."""
    return {a["address"]: write(v, a["dimension"], along(display, a), 7) for a, v in zip(axes, values_of(point), strict=True)}


def table(result: dict[str, Any], display: str) -> Table:
    """Rows of text, of the first points where there are very many; `point` is what carrying one back writes into the document."""
    axes = result.get("axes") or [result]
    heads = [(a["label"], show_unit(a["dimension"], along(display, a))) for a in axes]
    heads += [(g["label"], show_unit(g["dimension"], display)) for g in result["gauges"]]
    rows = []
    for p, own in zip(result["points"][:MOST_ROWS], own_remarks(result), strict=False):
        cells = [
            (show(p["gauges"].get(g["id"]), g["dimension"], display, unit=False), limit_broken(p, g) is None) for g in result["gauges"]
        ]
        rows.append(
            TableRow(
                values=[show(v, a["dimension"], along(display, a), unit=False) for a, v in zip(axes, values_of(p), strict=True)],
                typed=typed_point(p, axes, display),
                point=json.dumps(
                    {a["address"]: write(v, a["dimension"], along(display, a), 7) for a, v in zip(axes, values_of(p), strict=True)}
                ),
                cells=cells,
                remarks=own,
                solved=p["solved"],
                why=p["why"],
                inside=p["solved"] and all(ok for _, ok in cells),
            )
        )
    failed = [(typed_point(p, axes, display), p["why"]) for p in result["points"] if not p["solved"]]
    return Table(
        remarks=remark_lines(result, display),
        heads=heads,
        rows=rows,
        failed=failed[:SHOWN_FAILED],
        more_failed=len(failed) if len(failed) > SHOWN_FAILED else 0,
        count=len(result["points"]),
        near=NEAR.get(len(axes), 5) - len(axes),
        shown=NEAR.get(len(axes), 5),
    )
