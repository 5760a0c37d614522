"""Pieces of the notebook about what was asked of the process: scans, the best, variants, worth."""

from gulch.web.scans import jobs
from gulch.web.scans.best import BestPage
from gulch.web.scans.presenter import scan_words, shown
from gulch.web.scans.today import result_today
from gulch.web.scans.worth import WorthPage
from gulch.web.variants.presenter import VariantsPage

MOST_ROWS = 30  # points of a scan that are printed; of more than that the plot tells more


def scan(section, space, id_):
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
    section.say("".join(text for text, _ in seen["answer"].pieces).strip())
    section.figure(f"scan:{id_}", section.title, seen["plot"])
    for words, at in seen["table"]["remarks"]:
        section.say(f"{at}: {words}", "warning")
    for at, why in seen["table"]["failed"]:
        section.say(f"{at}: left out, {why}", "warning")
    if seen["table"]["count"] > MOST_ROWS:
        section.say(f"{seen['table']['count']} points; the scan's own files hold them.")
        return
    rows = [[*r["values"], *(text + ("" if ok else " ▲") for text, ok in r["cells"])] for r in seen["table"]["rows"]]
    section.table(tuple(seen["table"]["heads"]), rows)
    if any("▲" in t for r in rows for t in r):
        section.say("▲ where a limit is broken.")


def _outdated(section, space, run):
    if jobs.outdated(run, space.document):
        section.say(f"Made on revision {run.revision.number}: the process has changed since.", "warning")


def search(section, space, id_):
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
        section.table(tuple(page.curve_heads()), [[*r["reads"], *r["values"]] for r in page.curve()])
        return
    if page.found["values"] is not None:
        section.table(("Limit", "reads", "giving way gives"), [row[:3] for row in page.holds()], worded=(1, 2))
        section.table(("Knob", "now", "best", "within 1 % of it"), list(page.flat()), worded=(3,))
        section.say(page.band_words)
        section.say(page.proof)
        for reading, place, _ in page.peaks():
            section.say(f"Another peak: {reading} at {place}.")


def variants(section, space, answers):
    """Base and variants side by side."""
    section.empty = "No variant yet."
    if not space.whole.variants or answers is None:
        return
    page = VariantsPage(space, answers)
    names = [c["name"] for c in page.columns]
    for title, rows in page.tables():
        section.table((title, "", *names), [[r["label"], r["unit"], *(t for t, _ in r["cells"])] for r in rows], worded=(1,))
    differ = [[where, base or "–", *(t or "as the base" for t in there)] for where, base, there in page.inputs()]
    section.table(("Inputs that differ", *names), differ, worded=range(1, 99))
    for c in page.columns:
        if c["trouble"]:
            section.say(f"{c['name']}: {c['trouble']}", "error")
    if page.pending:
        section.say("Some variants are still being solved.", "warning")


def worth(section, space, _):
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
