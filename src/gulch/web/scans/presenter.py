"""What the scans page shows."""

import json

from gulch.engine.flowsheet.results import beyond
from gulch.engine.quantities import show, write
from gulch.web.projects.words import pretty_text, show_unit
from gulch.web.projects.workspace import Workspace
from gulch.web.scans import plots
from gulch.web.scans.remarks import own_remarks, remark_lines, typed_point, values_of
from gulch.web.scans.sentence import Sentence
from gulch.web.scans.today import result_today


def scan_page(space):
    """The chosen scan with its form, its newest run, its answer, its table and its plot."""
    scans = space.document.scans
    chosen = space.document.scan(space.select) or (scans[0] if scans else None)
    page = {"scans": [(s.id, scan_words(space, s), s is chosen) for s in scans], "scan": None, "run": None}
    if chosen is None:
        return page
    page["scan"] = form(space, chosen)
    run = space.row.scan_runs.filter(scan=chosen.id).select_related("revision").first()
    page["run"] = run
    result = result_today(run, space.document, chosen) if run is not None else None
    if result and result["points"] and result["gauges"]:
        page["outdated"] = run.revision_id != space.row.current_id
        page |= shown(result, chosen, space)
    elif run is not None and run.active:
        page["plot"] = {"kind": "empty"}
    return page


def plot_so_far(row, run):
    """The plot of a run under way, or None."""
    space = Workspace(row, "scans")
    entry = space.document.scan(run.scan)
    result = result_today(run, space.document, entry) if entry is not None else None
    return shown(result, entry, space)["plot"] if result and result["points"] and result["gauges"] else None


def shown(result, entry, space):
    """Answer, table and plot of a result."""
    sentence = Sentence(result, entry, space)
    two = len(result.get("axes") or [0]) > 1
    out = {"answer": sentence, "table": table(result, space.display)}
    out["plot"] = plots.contours(result, sentence, space.display) if two else plots.lines(result, sentence, space.display)
    return out


def form(space, entry):
    """What the scan's form shows."""
    gauges = [(g.id, g.label or (space.outputs[g.reads].label if g.reads in space.outputs else g.reads)) for g in space.document.gauges]
    return {
        "id": entry.id,
        "words": scan_words(space, entry),
        "axes": [axis_form(space, entry, k) for k in range(2)],
        "gauges": [(id_, label, id_ in entry.gauges or not entry.gauges) for id_, label in gauges],
        "shows": [(id_, label, id_ == entry.shows) for id_, label in gauges],
        "aims": [(v, w, v == entry.aim) for v, w in (("highest", "highest"), ("lowest", "lowest"))],
    }


def axis_form(space, entry, k):
    """The fields of one knob of a scan; of a second one that there is not, empty ones."""
    sweep = entry.over[k] if k < len(entry.over) else None
    knob = space.document.knob(sweep.knob) if sweep else None
    return {
        "on": sweep is not None,
        "knobs": [(x.id, knob_words(space, x), sweep is not None and x.id == sweep.knob) for x in space.document.knobs],
        "low": pretty_text((sweep.low if sweep else "") or (knob.low if knob else "")),
        "high": pretty_text((sweep.high if sweep else "") or (knob.high if knob else "")),
        "points": pretty_text(sweep.step) if sweep and sweep.step else (sweep.points if sweep else ""),
        "spacings": [(v, w, sweep is not None and v == sweep.spacing) for v, w in (("linear", "evenly"), ("log", "by equal factors"))],
    }


def scan_words(space, scan):
    names = [knob_words(space, knob) if (knob := space.document.knob(s.knob)) else s.knob for s in scan.over]
    return " × ".join(names)


def knob_words(space, knob):
    """A knob by its label, else by the words for its input."""
    found = space.inputs.get(knob.input)
    return knob.label or (found.label[:1].lower() + found.label[1:] if found else knob.input)


def inside(value, gauge):
    return value is None or beyond(value, gauge["at_least"], gauge["at_most"]) is None


def table(result, display):
    """Rows of text; `typed` is what carrying the point back writes into the document."""
    axes = result.get("axes") or [result]
    heads = [(a["label"], show_unit(a["dimension"], display)) for a in axes]
    heads += [(g["label"], show_unit(g["dimension"], display)) for g in result["gauges"]]
    rows = []
    for p, own in zip(result["points"], own_remarks(result), strict=True):
        cells = [
            (show(p["gauges"][g["id"]], g["dimension"], display, unit=False), inside(p["gauges"][g["id"]], g)) for g in result["gauges"]
        ]
        rows.append(
            {
                "values": [show(v, a["dimension"], display, unit=False) for a, v in zip(axes, values_of(p), strict=True)],
                "typed": typed_point(p, axes, display),
                "point": json.dumps({a["address"]: write(v, a["dimension"], display, 7) for a, v in zip(axes, values_of(p), strict=True)}),
                "cells": cells,
                "remarks": own,
                "solved": p["solved"],
                "why": p["why"],
                "inside": p["solved"] and all(ok for _, ok in cells),
            }
        )
    failed = [r for r in rows if not r["solved"]]
    return {
        "remarks": remark_lines(result, display),
        "heads": heads,
        "rows": rows,
        "failed": failed,
        "inside": sum(r["inside"] for r in rows),
    }
