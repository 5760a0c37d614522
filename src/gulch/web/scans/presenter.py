"""What the scans page shows."""

import re

from gulch.engine.flowsheet.results import beyond
from gulch.engine.quantities import DISPLAY_SETS, show, to_unit, write
from gulch.engine.scans import windows
from gulch.web.projects.words import pretty_text, show_unit
from gulch.web.scans import jobs


def scan_page(space):
    """The chosen scan with its form, its newest run, its table and its plot."""
    scans = space.document.scans
    chosen = space.document.scan(space.select) or (scans[0] if scans else None)
    page = {"scans": [(s.id, scan_words(space, s), s is chosen) for s in scans], "scan": None, "run": None}
    if chosen is None:
        return page
    sweep = chosen.over[0]
    knob = space.document.knob(sweep.knob)
    page["scan"] = {
        "id": chosen.id,
        "words": scan_words(space, chosen),
        "points": sweep.points,
        "knobs": [(k.id, knob_words(space, k), k.id == sweep.knob) for k in space.document.knobs],
        "low": pretty_text(sweep.low or (knob.low if knob else "")),
        "high": pretty_text(sweep.high or (knob.high if knob else "")),
        "gauges": [
            (
                g.id,
                g.label or space.outputs[g.reads].label if g.reads in space.outputs else g.reads,
                g.id in chosen.gauges or not chosen.gauges,
            )
            for g in space.document.gauges
        ],
    }
    run = space.row.scan_runs.filter(scan=chosen.id).select_related("revision").first()
    page["run"] = run
    result = jobs.result_of(run) if run is not None else None
    if result and result["points"]:
        page["outdated"] = run.revision_id != space.row.current_id
        page["table"] = table(result, space.display)
        page["plot"] = plot(result, space.display)
    return page


def scan_words(space, scan):
    knob = space.document.knob(scan.over[0].knob)
    return f"{scan.over[0].points} points of {knob_words(space, knob) if knob else scan.over[0].knob}"


def knob_words(space, knob):
    """A knob by its label, else by the words for its input."""
    found = space.inputs.get(knob.input)
    return knob.label or (found.label[:1].lower() + found.label[1:] if found else knob.input)


def inside(value, gauge):
    return value is None or beyond(value, gauge["at_least"], gauge["at_most"]) is None


def remarks_of(point):
    return [*([point["note"]] if point.get("note") else []), *point.get("warnings", ())]


def remark_kinds(result):
    """{remark with its numbers left out: [(typed value's place, remark)]} over the points that solved."""
    kinds = {}
    for at, p in enumerate(result["points"]):
        for words in remarks_of(p):
            kinds.setdefault(re.sub(r"[\d.,\u202f−]+", "#", words), []).append((at, words))
    return kinds


def remark_lines(result, display):
    """(words, at which points) of what the points say; remarks that differ in their numbers only stand together."""
    typed = [pretty_text(write(p["value"], result["dimension"], display, 7)) for p in result["points"]]
    lines = []
    for found in remark_kinds(result).values():
        places = list(dict.fromkeys(at for at, _ in found))
        whole = len(places) == sum(p["solved"] for p in result["points"])
        where = "at every point" if whole else typed[places[0]] if len(places) == 1 else f"{typed[places[0]]} to {typed[places[-1]]}"
        alike = " (and alike)" if len({words for _, words in found}) > 1 else ""
        lines.append((found[0][1] + alike, where))
    return lines


def own_remarks(result):
    """Remarks of each point, without those that every point makes alike."""
    solved = sum(p["solved"] for p in result["points"])
    common = {kind for kind, found in remark_kinds(result).items() if len({at for at, _ in found}) == solved}
    return [[w for w in remarks_of(p) if re.sub(r"[\d.,\u202f−]+", "#", w) not in common] for p in result["points"]]


def table(result, display):
    """Rows of text; `typed` is what carrying the point back writes into the document."""
    heads = [(result["label"], show_unit(result["dimension"], display))]
    heads += [(g["label"], show_unit(g["dimension"], display)) for g in result["gauges"]]
    rows = []
    for p, own in zip(result["points"], own_remarks(result), strict=True):
        cells = [
            (show(p["gauges"][g["id"]], g["dimension"], display, unit=False), inside(p["gauges"][g["id"]], g)) for g in result["gauges"]
        ]
        rows.append(
            {
                "value": show(p["value"], result["dimension"], display, unit=False),
                "typed": write(p["value"], result["dimension"], display, 7),
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
        "address": result["address"],
        "inside": sum(r["inside"] for r in rows),
    }


def plot(result, display):
    """Series in display units for the browser's plot; a gauge of another dimension goes on a further axis."""
    units = DISPLAY_SETS[display]

    def number(value, dimension):
        return None if value is None else to_unit(value, units.unit(dimension), dimension)

    dimensions = list(dict.fromkeys(g["dimension"] for g in result["gauges"]))
    return {
        "x": [number(p["value"], result["dimension"]) for p in result["points"]],
        "typed": [write(p["value"], result["dimension"], display, 7) for p in result["points"]],
        "x_label": result["label"],
        "x_unit": show_unit(result["dimension"], display),
        "address": result["address"],
        "axes": [{"dimension": d, "unit": show_unit(d, display)} for d in dimensions],
        "series": [
            {
                "label": g["label"],
                "axis": dimensions.index(g["dimension"]),
                "y": [number(p["gauges"][g["id"]], g["dimension"]) for p in result["points"]],
                "at_least": number(g["at_least"], g["dimension"]),
                "at_most": number(g["at_most"], g["dimension"]),
            }
            for g in result["gauges"]
        ],
        "inside": [p["solved"] and all(inside(p["gauges"][g["id"]], g) for g in result["gauges"]) for p in result["points"]],
        "windows": [[number(v, result["dimension"]) for v in ends] for ends in windows(result["points"], result["gauges"])],
        "remarks": [" · ".join(own) for own in own_remarks(result)],
        "limited": any(g["at_least"] is not None or g["at_most"] is not None for g in result["gauges"]),
    }
