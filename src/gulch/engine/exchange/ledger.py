"""The ledger: all streams in chosen columns, as numbers in the project's display units."""

from __future__ import annotations

import csv
import io
import re
from typing import TYPE_CHECKING, Any

from gulch.engine.project.results import SPECIES_RESULTS, STREAM_RESULTS, molar_masses, stream_results, value
from gulch.engine.quantities import DISPLAY_SETS, along, pretty_unit, to_unit

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.flowsheet.solution import Solution

CONTROLS = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]")


def columns_of(project: Project) -> dict[str, str]:
    """{key: label} of the columns that a project's ledger may have beside its species."""
    return {name: shown.label for name, shown in stream_results(project).items()}


def ledger(project: Project, solution: Solution) -> tuple:
    """(columns, rows). columns: {"key", "label", "unit", "dimension"}; rows: {"id", "role", "cells": [number or None]}."""
    display = DISPLAY_SETS[project.display]
    columns = [
        {"key": name, "label": STREAM_RESULTS[name].label, "dimension": STREAM_RESULTS[name].dimension}
        for name in project.ledger.columns
        if name in stream_results(project)
    ]
    for what in dict.fromkeys(w for w in (project.ledger.species, project.ledger.also) if w):
        dimension = SPECIES_RESULTS[what].dimension
        columns += [{"key": f"{what}.{s.id}", "label": s.shown, "dimension": dimension} for s in project.species]
    for c in columns:
        c["unit"] = pretty_unit(display.unit(c["dimension"]))
    molar_mass = molar_masses(project) if solution is not None else {}
    rows = []
    pinned = project.ledger.pinned
    shown = [s for s in project.streams if s.id in pinned or not (project.ledger.only_pinned and pinned)]
    for stream in sorted(shown, key=lambda s: s.id not in pinned):
        cells = []
        for c in columns:
            number = value(solution, f"{stream.id}.{c['key']}", molar_mass) if solution is not None else None
            cells.append(None if number is None else to_unit(number, display.unit(c["dimension"]), c["dimension"]))
        role = "feed" if stream.is_feed else ("product" if stream.to is None else "inner")
        rows.append({"id": stream.id, "role": role, "cells": cells, "pinned": stream.id in pinned})
    return columns, rows


def csv_text(project: Project, solution: Solution) -> str:
    """The ledger as CSV, units in the header, full precision."""
    columns, rows = ledger(project, solution)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    head = [f"{c['label']} [{c['unit']}]" if c["unit"] else c["label"] for c in columns]
    writer.writerow(["Stream", *(safe(h) for h in head)])
    for row in rows:
        writer.writerow([safe(row["id"]), *("" if c is None else f"{c:.10g}" for c in row["cells"])])
    return out.getvalue()


def scan_table(result: dict[str, Any], display: str) -> list[list]:
    """Rows of a ScanResult as plain data, the head first, in display units; None where nothing was computed."""
    units = DISPLAY_SETS[display]
    axes = result.get("axes") or [result]
    columns = [(a["label"], a["dimension"], DISPLAY_SETS[along(display, a)]) for a in axes]
    columns += [(g["label"], g["dimension"], units) for g in result["gauges"]]
    head = []
    for label, dimension, own in columns:
        unit = pretty_unit(own.unit(dimension))
        head.append(f"{label} [{unit}]" if unit else label)
    rows = [[*head, "Remark"]]
    for p in result["points"]:
        numbers = [*(p.get("values") or [p["value"]]), *(p["gauges"].get(g["id"]) for g in result["gauges"])]
        cells = [None if v is None else to_unit(v, s.unit(d), d) for v, (_, d, s) in zip(numbers, columns, strict=True)]
        rows.append([*cells, "; ".join(t for t in (p["why"], p.get("note", ""), *p.get("warnings", ())) if t)])
    return rows


def scan_csv(result: dict[str, Any], display: str) -> str:
    """A ScanResult as plain data, as CSV in display units."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    for row in scan_table(result, display):
        writer.writerow(["" if v is None else safe(v) if isinstance(v, str) else f"{v:.10g}" for v in row])
    return out.getvalue()


def safe(text: str) -> str:
    """Text that a spreadsheet will not take for a formula, nor for the end of a row, without what no workbook may hold."""
    text = CONTROLS.sub("", str(text))
    text = " ".join(str(text).split("\n")) if "\n" in str(text) else str(text)
    return f"'{text}" if text[:1] in ("=", "+", "-", "−", "@", "\t", "\r") or text.lstrip()[:1] in ("=", "+", "@") else text
