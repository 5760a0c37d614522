"""The same search for every value of a choice, or every variant: which wins, and by how much."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.exchange import in_sentence
from gulch.engine.project.choices import choices
from gulch.engine.quantities import difference_of, show, write
from gulch.engine.scans import ScanError
from gulch.engine.scans.fronts import stretches
from gulch.web.scans import jobs

if TYPE_CHECKING:
    from gulch.engine.project.choices import Chosen
    from gulch.engine.scans.fronts import Stretch
    from gulch.web.projects.models import ScanRun
    from gulch.web.projects.workspace import Workspace
    from gulch.web.scans.best import BestPage

ALIKE = 1e-6  # of the better reading, within which two choices do as well as each other


@dataclass
class ChosenRow:
    """What the search came to with one choice. take: what the press carries: the choice and the knobs, as JSON, or ""."""

    words: str
    reads: str
    behind: str
    place: str
    best: bool
    choice: str
    take: str


@dataclass
class ChosenPanel:
    """Which choice wins, in words, and every one that was searched; searching: how many are under way."""

    told: str
    rows: list[ChosenRow]
    searching: int


def run_words(space: Workspace, run: ScanRun, shown: ScanRun | None) -> str:
    """A run that another one is compared with: its variant, and its revision where that is another."""
    variant = space.whole.variant(run.variant)
    name = variant.name if variant is not None else "base"
    if run.variant.startswith("="):
        address, _, value = run.variant[1:].rpartition("=")
        name = next((c.options.get(value, value) for c in choices(space.document) if c.address == address), value)
    return name if run.revision_id == shown.revision_id else f"{name}, revision {run.revision.number}"


def offered(space: Workspace) -> list[tuple[str, str]]:
    """(address, words) of the choices for every value of which a question can be asked."""
    return [(c.address, in_sentence(c.label)) for c in choices(space.document)]


def chosen_panel(page: BestPage) -> ChosenPanel | None:
    """The ChosenPanel of a search; None where it was made once."""
    if page.run is None or not page.found:
        return None
    runs = jobs.of_choices(page.run)
    if page.trade:
        return _traded(page, runs)
    found = [(r, r.result) for r in runs if r.result and r.result.get("kind") == "best" and "solves" in r.result]
    lacking = _lacking(page.run, runs)
    if not found or len(found) + len(lacking) < 2:
        return None
    sign = 1.0 if page.found["highest"] else -1.0
    ranked = sorted(found, key=lambda f: -sign * f[1]["reads"] if f[1].get("reads") is not None else float("inf"))
    top = ranked[0][1].get("reads")
    rows = [_row(page, run, result, top, _named(page, run, runs)) for run, result in ranked]
    return _panel(page, _told(page, rows), rows + lacking, [result for _, result in found], runs)


def _panel(page: BestPage, told: str, rows: list[ChosenRow], results: list[dict[str, Any]], runs: list[ScanRun]) -> ChosenPanel:
    """The ChosenPanel of what was told of searches, with a word on those that are not over."""
    first, choice = runs[0], _compared(runs[0], runs)
    if any(result.get("ended") for result in results):
        told += " Not every search came to its end, so this may change."
    words = f"{choice.label}: {told}" if choice else told
    scans = page.space.row.scan_runs.filter(scan=first.scan, state__in=[first.WAITING, first.RUNNING]).exclude(pk=first.pk)
    return ChosenPanel(words[:1].upper() + words[1:], rows, scans.count())


def _lacking(run: ScanRun, runs: list[ScanRun]) -> list[ChosenRow]:
    """A row for each choice that could not be searched, with why."""
    choice = _compared(run, runs)
    if choice is None and len(runs) < 2:
        return []
    try:
        cannot = jobs.unbuilt(run, choice.address if choice else "")
    except ScanError:  # what was worked on then has no such choice
        return []
    return [ChosenRow(words, f"not to be had: {why}", "", "", False, variant, "") for variant, words, why in cannot]


def _traded(page: BestPage, runs: list[ScanRun]) -> ChosenPanel | None:
    """The ChosenPanel of a trade-off: which choice holds which stretch of the common front; None where it was made once."""
    found = [(r, r.result) for r in runs if r.result and r.result.get("kind") == "trade-off" and "solves" in r.result]
    lacking = _lacking(runs[0], runs)
    if not found or len(found) + len(lacking) < 2:
        return None
    aims = page.found["aims"]
    signs = np.array([1.0 if a["highest"] else -1.0 for a in aims])
    curves = [np.array([p["reads"] for p in result["points"]], float).reshape(-1, 2) * signs for _, result in found]
    held = stretches(curves) if any(len(c) for c in curves) else []
    names = [_named(page, run, runs) for run, _ in found]
    rows = [_front_row(page, run, curves[i] * signs, names[i], any(s.of == i for s in held)) for i, (run, _) in enumerate(found)]
    told = _front_told(page, held, names, float(signs[0])) if held else "None of them comes inside all limits."
    return _panel(page, told, rows + lacking, [result for _, result in found], runs)


def _front_row(page: BestPage, run: ScanRun, curve: np.ndarray, words: str, holds: bool) -> ChosenRow:
    """A choice's row: the ends of its curve, shape (k, 2) as read."""
    if not len(curve):
        return ChosenRow(words, "nothing inside all limits", "", "", False, run.variant, "")
    (_, dimension), (_, other) = ((a["label"], a["dimension"]) for a in page.found["aims"])
    ends = [f"{show(a, dimension, page.display, 4)} with {show(b, other, page.display, 4)}" for a, b in (curve[0], curve[-1])]
    return ChosenRow(words, f"from {ends[0]} to {ends[1]}", "", "", holds, run.variant, json.dumps({}))


def _front_told(page: BestPage, held: list[Stretch], names: list[str], sign: float) -> str:
    """Which choice holds the common front, and from where to where."""
    first = page.found["aims"][0]
    label = in_sentence(first["label"])
    if len({s.of for s in held}) == 1:
        return f"{names[held[0].of]} holds all of the common front."

    def at(value: float) -> str:
        return show(sign * value, first["dimension"], page.display, 4)

    parts = [f"{names[s.of]} from {at(s.low)} to {at(s.high)}" for s in held]
    return f"the common front is held, in {label}, by {', '.join(parts)}."


def _compared(run: ScanRun, runs: list[ScanRun]) -> Chosen | None:
    """The choice of which runs are compared, as one of them was made with it; None where they are variants."""
    address = next((r.variant[1:].rpartition("=")[0] for r in runs if r.variant.startswith("=")), None)
    if address is None:
        return None
    return next((c for c in choices(jobs.document_of(run.revision, run.variant)) if c.address == address), None)


def _named(page: BestPage, run: ScanRun, runs: list[ScanRun]) -> str:
    """Words for what a run is of: with choices beside it, what was chosen when it was made has the name of its own option."""
    choice = _compared(run, runs)
    if choice is None or choice.now is None:
        return run_words(page.space, run, page.run)
    return choice.options.get(choice.now, choice.now)


def _row(page: BestPage, run: ScanRun, result: dict[str, Any], top: float | None, words: str) -> ChosenRow:
    """A run's row beside the best reading of all."""
    reads, dimension = result.get("reads"), page.rows[page.found["gauge"]]["dimension"]
    if reads is None or top is None:
        return ChosenRow(words, "nothing inside all limits", "", "", False, run.variant, "")
    best = abs(reads - top) <= ALIKE * abs(top)
    behind = "" if best else show(abs(reads - top), difference_of(dimension), page.display, 3)
    point = {k["address"]: write(v, k["dimension"], page.display, 7) for k, v in zip(result["knobs"], result["values"], strict=True)}
    read, place = page.reading(reads, page.found["gauge"]), _place(page, result)
    return ChosenRow(words, read, behind, place, best, run.variant, json.dumps(point))


def _place(page: BestPage, result: dict[str, Any]) -> str:
    """Where the knobs stand at the best of a run."""
    knobs = zip(result["knobs"], result["values"], strict=True)
    return ", ".join(f"{in_sentence(k['label'])} {show(v, k['dimension'], page.display, 4)}" for k, v in knobs)


def _told(page: BestPage, rows: list[ChosenRow]) -> str:
    """Which wins."""
    winners = [r for r in rows if r.best]
    if not winners:
        return "None of them comes inside all limits."
    name = in_sentence(page.rows[page.found["gauge"]]["label"])
    if len(winners) == len(rows):
        return f"They do as well as each other in {name}."
    if len(winners) > 1:
        return f"{' and '.join(r.words for r in winners)} do best in {name}, as well as each other."
    next_best = next((r for r in rows if not r.best and r.behind), None)
    by = f" by {next_best.behind} over {next_best.words}" if next_best is not None else ": nothing else comes inside all limits"
    return f"{winners[0].words} wins in {name}{by}."
