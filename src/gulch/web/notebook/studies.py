"""Pieces of the notebook about what was asked of the process: scans, the best, variants, worth."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from gulch.engine.exchange import on_branches
from gulch.web.measured.presenter import FitPage
from gulch.web.scans import jobs
from gulch.web.scans.best import BestPage
from gulch.web.scans.presenter import scan_words, shown
from gulch.web.scans.sure import SureAnswer, SurePage
from gulch.web.scans.swings import SwingsAnswer, SwingsPage
from gulch.web.scans.today import result_today
from gulch.web.scans.worth import WorthPage
from gulch.web.sizing.answers import SizingAnswer
from gulch.web.sizing.presenter import SizingPage
from gulch.web.variants.presenter import VariantsPage

if TYPE_CHECKING:
    from gulch.web.measured.answers import FitAnswer
    from gulch.web.notebook.parts import Section
    from gulch.web.projects.models import ScanRun
    from gulch.web.projects.workspace import Workspace


ANSWERED = ("variants", "swings", "sure", "sizing", "measured")  # pieces that workers answer
MOST_ROWS = 30  # points of a scan that are printed; of more than that the plot tells more


class Asked(NamedTuple):
    """What workers have found for the pieces that want it; None where a piece is not in the notebook."""

    variants: dict | None = None
    swings: SwingsAnswer | None = None
    sure: SureAnswer | None = None
    sizing: SizingAnswer | None = None
    fits: list[FitAnswer] | None = None


def scan(section: Section, space: Workspace, id_: str) -> None:
    """The newest run of a scan: its answer, its plot and its points."""
    entry = space.document.scan(id_)
    section.empty = "This scan has not run yet."
    if entry is None:
        return
    section.title = f"Scan over {scan_words(space, entry)}"
    run = jobs.newest(space.row, space.document, entry, space.whole.working)
    result = result_today(run, space.document, entry) if run is not None else None
    if not result or not result["points"] or not result["gauges"]:
        return
    seen = shown(result, entry, space)
    _outdated(section, space, run)
    section.say("".join(text for text, _ in seen.answer.pieces).strip())
    section.say(" ".join(on_branches(result, space.display)))
    section.figure(f"scan:{id_}", section.title, seen.plot)
    for words, at in seen.table.remarks:
        section.say(f"{at}: {words}", "warning")
    for at, why in seen.table.failed:
        section.say(f"{at}: left out, {why}", "warning")
    if seen.table.count > MOST_ROWS:
        section.say(f"{seen.table.count} points; the scan's own files hold them.")
        return
    rows = [[*r.values, *(text + ("" if ok else " ▲") for text, ok in r.cells)] for r in seen.table.rows]
    section.table(tuple(seen.table.heads), rows)
    if any("▲" in t for r in rows for t in r):
        section.say("▲ where a limit is broken.")


def _outdated(section: Section, space: Workspace, run: ScanRun | None) -> None:
    if jobs.outdated(run, space.document):
        section.say(f"Made on revision {run.revision.number}: the process has changed since.", "warning")


def search(section: Section, space: Workspace, id_: str) -> None:
    """The best, or a trade-off: what was found, what holds it, how sure it is."""
    entry = space.document.search(id_)
    section.empty = "This question has not been answered yet."
    if entry is None:
        return
    page = BestPage(space, entry)
    section.title = f"Best: {page.words}" if not page.trade else f"Trade-off: {page.words}"
    if not page.found:
        return
    _outdated(section, space, page.run)
    section.say("".join(text for text, _ in page.pieces))
    section.say(page.ended, "warning")
    if page.plot:
        section.figure(f"search:{id_}", page.words, page.plot)
    if page.trade:
        section.table(tuple(page.curve_heads()), [[*r.reads, *r.values] for r in page.curve()])
        return
    if page.found["values"] is not None:
        section.table(("Limit", "reads", "giving way gives"), [row[:3] for row in page.holds()], worded=(1, 2))
        section.table(("Knob", "now", "best", "within 1 % of it"), list(page.flat()), worded=(3,))
        section.say(page.band_words)
        section.say(page.proof)
        for reading, place, _ in page.peaks():
            section.say(f"Another peak: {reading} at {place}.")


def swings(section: Section, space: Workspace, asked: Asked) -> None:
    """How far each knob moves a gauge over its range."""
    page = SwingsPage(space, asked.swings)
    section.empty = page.trouble or "Each knob is being moved."
    if not page.found:
        return
    section.figure("swings", f"Swing of {page.shown['label']} by knob, the largest first", page.plot())
    for words in page.remarks():
        section.say(words, "warning")
    heads = ("Knob", "moved from", *(g["label"] for g in page.gauges))
    section.table(heads, [[label, ends, *cells] for label, ends, cells in page.table()], worded=(1,))


def sure(section: Section, space: Workspace, asked: Asked) -> None:
    """The band that unsure data leave every gauge."""
    page = SurePage(space, asked.sure)
    section.empty = page.trouble or ("What is unsure is being sampled." if page.pending else "Nothing is said to be unsure.")
    if not page.found:
        return
    section.table(
        ("Not sure", "now", "within ±", "moves with"), [[r[1], r[2], r[3], r[5] or "none"] for r in page.rows()], worded=(1, 2, 3)
    )
    for cause, rows in page.correlated():
        section.say(f"Correlated by {cause}, as normal deviates: {'; '.join(f'{a} with {b} {r}' for a, b, r in rows)}.")
    for words, on, _ in page.fitted():
        section.say(f"Sampled together, as fitted to {on}: {words}.")
    rows = [
        [label, now, band, "; ".join(f"{share}{f' ± {off}' if off else ''} % {words}" for share, off, words in parts) or "–"]
        for label, now, band, _, parts in page.bands()
    ]
    section.table(("Gauge", "now", "nine samples in ten", "which datum it rests on"), rows, worded=(2, 3))
    section.say(f"{page.found['samples']} solves. A share counts what a datum does by itself and together with others.")


def measured(section: Section, space: Workspace, asked: Asked) -> None:
    """What the measurements say of the rate laws: each fit with its numbers, its rivals and its curves."""
    section.empty = "Nothing has been fitted yet."
    for answer in asked.fits or ():
        if answer.entry is None:
            continue
        page = FitPage(space, answer, "")
        name = answer.entry.name or f"fit of {answer.entry.set}"
        on = ", ".join(words for _, words, used in page.sheets() if used)
        if page.answer is None:
            section.say(f"{name}: {page.trouble or 'being fitted.'}", "warning")
            continue
        section.say(f"{name}, on {on}: {page.headline()} {' '.join(page.said())}")
        rows = [[n["symbol"], n["value"], n["unit"], n["profile"], n["linear"]] for n in page.numbers()]
        section.table(("Number", "value", "unit", "95 % by the profile", "95 % linear"), rows, worded=(2, 3, 4))
        if page.rivals() and page.study is not None:
            section.say(page.study.told)
            laws = [
                [r.name, f"{r.p}" if r.p else "–", f"{r.aicc:.1f}" if not r.trouble else r.trouble, f"{100 * r.odds:.0f} %"]
                for r in page.rivals()
            ]
            section.table(("Law", "numbers", "AICc", "odds"), laws, worded=(2,))
        for id_, title, data in page.plots()[:2]:
            section.figure(f"{id_}:{answer.entry.id}", title, data)


def sizing(section: Section, space: Workspace, asked: Asked) -> None:
    """Volumes for a conversion on the inverse-rate diagram."""
    page = SizingPage(space, asked.sizing)
    section.empty = page.trouble or "No size has been asked for yet."
    if not page.found:
        return
    e = page.entry
    section.say(f"For a conversion of {e.target}, from {e.stream} by {e.set}, as {e.phase}, {e.heat}.")
    section.figure("sizing", "Inverse-rate diagram: a volume is an area", page.data())
    section.table(("", "volume", "leaves at", ""), [[what, v, t, note] for what, v, t, note, _ in page.rows()], worded=(3,))


def variants(section: Section, space: Workspace, asked: Asked) -> None:
    """Base and variants side by side."""
    section.empty = "No variant yet."
    if not space.whole.variants or asked.variants is None:
        return
    page = VariantsPage(space, asked.variants)
    names = [c.name for c in page.columns]
    for title, rows in page.tables():
        section.table((title, "", *names), [[r.label, r.unit, *(t for t, _ in r.cells)] for r in rows], worded=(1,))
    differ = [[where, base or "–", *(t or "as the base" for t in there)] for where, base, there in page.inputs()]
    section.table(("Inputs that differ", *names), differ, worded=range(1, 99))
    for c in page.columns:
        if c.trouble:
            section.say(f"{c.name}: {c.trouble}", "error")
    if page.pending:
        section.say("Some variants are still being solved.", "warning")


def worth(section: Section, space: Workspace, _: str) -> None:
    """What the process is worth, from typed prices."""
    section.empty = "There are no prices yet."
    page = WorthPage(space) if space.document.prices is not None else None
    if page is None or not page.account:
        return
    currency = page.prices.currency
    section.table(
        ("Account", "", "amount", f"{currency} an hour", "a year"),
        [[name, f"{what}, {of}" if of != name else what, amount, hour, year] for what, name, of, amount, hour, year in page.parts()],
        worded=(1,),
        name="account",
    )
    if page.total:
        section.say(f"Worth: {page.total[0]} {currency} an hour, {page.total[1]} a year of {space.document.operating_hours} hours.")
    for words in page.missing:
        section.say(words, "warning")
    if page.prices.remark or page.prices.date:
        section.say(f"Prices: {', '.join(t for t in (page.prices.date, page.prices.remark) if t)}")
