"""Running scans and searches: each point is kept as it comes, so that nothing done is lost."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.document import load
from gulch.engine.project.choices import choices, choose
from gulch.engine.project.edit import EditError
from gulch.engine.project.variants import worked
from gulch.engine.scans import (
    Listed,
    Recall,
    ScanError,
    blank,
    blank_answer,
    blocks,
    branched,
    grid_of,
    mends,
    most_solves,
    noted,
    ready_plan,
    rest_on,
    touched,
)
from gulch.engine.units import KINDS
from gulch.engine.work import Ending, FindBest, RefineScan, ScanPart, asked_digest, world_digest
from gulch.engine.work.packing import unpack
from gulch.web.projects import solving
from gulch.web.projects.models import ScanPoint, ScanRun
from gulch.web.scans.running import Running, changing, key_of, under_way

if TYPE_CHECKING:
    from gulch.engine.document import Project as Document
    from gulch.engine.document.studies import ScanEntry, SearchEntry
    from gulch.web.projects.models import Revision


LOOKED_BACK = 6  # earlier runs whose points are taken over
LOOKED_THROUGH = 25  # runs among which the one that answers is looked for: variants and choices have one each
LOOKED_OVER = 400  # newest runs of a project of which its list of questions tells
MOST_BESIDE = 12  # other runs that are offered to be compared with


def document_of(revision: Revision, variant: str) -> Document:
    """The Project of a revision as a variant ("" for the base); the base where the variant is no more.

    A variant "=address=value" is what is worked on with another value of a choice. Raises ScanError where there is no such value,
    or where it cannot be built.
    """
    whole = load(revision.document)
    if variant.startswith("="):
        address, _, value = variant[1:].rpartition("=")
        try:
            return choose(worked(whole), address, value)
        except KeyError as error:
            raise ScanError(f"This choice is gone: {error.args[0]} Reload the page.") from None
        except EditError as error:
            raise ScanError(str(error)) from None
    whole.working = variant if whole.variant(variant) is not None else None
    return worked(whole)


def asked_of(revision: Revision, variant: str, id_: str) -> Document:
    """`document_of`, in which a search still has its aims. Raises ScanError where a choice takes one away."""
    document = document_of(revision, variant)
    before, now = load(revision.document).search(id_), document.search(id_)
    if variant.startswith("=") and before and now and (before.aim, before.against) != (now.aim, now.against):
        raise ScanError("What is aimed at is no result there: choose another aim, or leave this choice out.")
    return document


def newest(row: Any, document: Document, entry: Any, variant: str | None) -> ScanRun | None:
    """The newest run that answers what a scan or search of a Project asks now; without one, the newest of the variant, or of any.

    A variant made of a point asks the same as the base did, and so does what an undo brings back.
    """
    runs = list(row.scan_runs.filter(scan=entry.id).select_related("revision")[:LOOKED_THROUGH])
    active = next((r for r in runs if r.active), None)
    digest = asked_digest(document, entry) if runs else ""
    same = next((r for r in runs if (r.result or {}).get("digest") == digest), None)
    own = next((r for r in runs if r.variant == (variant or "")), None)
    return (active if active is not None and active.variant == (variant or "") else None) or same or own or next(iter(runs), None)


def newest_of_all(row: Any, variant: str | None) -> dict[str, tuple]:
    """{scan: (pk, state, points done)} of the newest run of every scan and search: of the variant, else of any. One query."""
    out, others = {}, {}
    for scan, of, pk, state, done in row.scan_runs.values_list("scan", "variant", "pk", "state", "done")[:LOOKED_OVER]:
        (out if of == (variant or "") else others).setdefault(scan, (pk, state, done))
    return others | out


def beside(run: ScanRun | None) -> list[ScanRun]:
    """Other finished runs of a scan that it can be compared with: the newest of each variant and revision, the newest first."""
    found = {}
    done = run.project.scan_runs.filter(scan=run.scan, state=ScanRun.DONE).exclude(pk=run.pk).select_related("revision")
    turned = _turned(run)
    for other in done[:40]:
        if _turned(other) != turned:
            continue
        found.setdefault((other.variant, (other.result or {}).get("digest")), other)
    return list(found.values())[:MOST_BESIDE]


def of_choices(run: ScanRun) -> list[ScanRun]:
    """A search's runs of every variant and value of a choice on one revision, the newest of each: what they turn may differ."""
    found = {run.variant: run}
    done = run.project.scan_runs.filter(scan=run.scan, state=ScanRun.DONE, revision=run.revision_id).exclude(pk=run.pk)
    for other in done.select_related("revision")[:40]:
        found.setdefault(other.variant, other)
    return list(found.values())[: MOST_BESIDE + 1]


def _turned(run: ScanRun | None) -> tuple:
    """What a run turns: runs that turn something else cannot lie on the same axes."""
    result = run.result or {}
    return result.get("listed"), [a.get("address") for a in result.get("axes", ())]


def every(whole: Document, choice: str = "") -> list[tuple[str, str]]:
    """[(variant, words)] of a whole Project: the base and all variants, or what is worked on with every value of a choice.

    choice: its address, see `project.choices`. Raises ScanError where it is gone.
    """
    if not choice:
        return [("", "base"), *((v.id, v.name) for v in whole.variants)]
    found = next((c for c in choices(worked(whole)) if c.address == choice), None)
    if found is None:
        raise ScanError("This choice is gone: reload the page.")
    return [(whole.working or "" if v == found.now else f"={choice}={v}", words) for v, words in found.options.items()]


def unbuilt(run: ScanRun, choice: str) -> list[tuple[str, str, str]]:
    """[(variant, words, why)] of what was to be searched beside a run and could not be. choice: as of `every`."""
    whole = load(run.revision.document)
    newest: dict[str, ScanRun] = {}
    for other in run.project.scan_runs.filter(scan=run.scan, revision=run.revision_id).only("variant", "state", "why"):
        newest.setdefault(other.variant, other)
    out = []
    for variant, words in every(whole, choice):
        other = newest.get(variant)
        if other is None:
            try:
                ready_plan(asked_of(run.revision, variant, run.scan))
            except ScanError as error:
                out.append((variant, words, str(error)))
        elif other.state == ScanRun.FAILED:
            out.append((variant, words, other.why))
    return out


def start_all(row: Any, id_: str, choice: str = "") -> list[str]:
    """Begin a scan for the base and every variant, or for every value of a choice; returns sentences on those that cannot begin."""
    troubles = []
    for variant, name in every(load(row.current.document), choice):
        try:
            start(row, id_, variant)
        except ScanError as error:
            troubles.append(f"{name}: {error}")
    return troubles


def start(row: Any, id_: Any, variant: Any = None) -> ScanRun:
    """Begin a scan or a search of a project's current revision; returns the ScanRun. Raises ScanError.

    variant: id of the variant to run, "" for the base; the one that is worked on unless given.
    """
    if variant is None:
        variant = load(row.current.document).working or ""
    document = asked_of(row.current, variant, id_)
    scan, search = document.scan(id_), document.search(id_)
    entry = scan or search
    if entry is None:
        raise ScanError("The scan is gone: reload the page.")
    if scan is not None:
        total, result = grid_of(document, scan).count, blank(document, scan).to_dict()
        ready_plan(document)
    elif search is not None:
        total, result = most_solves(ready_plan(document), search), blank_answer(ready_plan(document), search)
    for older in row.scan_runs.filter(scan=id_, variant=variant, state__in=[ScanRun.WAITING, ScanRun.RUNNING]):
        stop(older)
    result["digest"] = asked_digest(document, entry)
    if scan is not None:
        result["world"] = world_digest(document, scan)
    run = row.scan_runs.create(revision=row.current, scan=id_, variant=variant, total=total, result=result, state=ScanRun.CANCELLED)
    if scan is not None:
        reuse(run, document, scan)
    job_of(run, document, solving.start_of(row)).begin()
    run.refresh_from_db()
    return run


def reuse(run: ScanRun, document: Document, scan: ScanEntry) -> None:
    """Take over points that earlier runs have reached: where a range was widened or refined, only new ones are solved.

    Not where a unit or a loop has several states: which one runs hangs on the points before.
    """
    if any(KINDS[u.kind].follows for u in document.units) or branched(ready_plan(document)):
        return
    known, recall = {}, Recall(document)
    for older in run.project.scan_runs.filter(scan=run.scan).exclude(pk=run.pk)[:LOOKED_BACK]:
        if (older.result or {}).get("world") == run.result["world"]:
            known = {_place(p["values"]): p for p in points_of(older) if p["solved"] and recall.holds(p) and "doubted" in p} | known
    if not known:
        return
    grid, rows = grid_of(document, scan), []
    touching = rest_on(ready_plan(document), grid.gauges)
    for i in range(grid.count):
        point = known.get(_place(grid.at(i)))
        if point is None:
            continue
        missing = [g for g in grid.gauges if g["id"] not in point["gauges"]]
        point["gauges"] |= {g["id"]: recall.gauge(point, g["reads"], grid.overrides(i)) for g in missing}
        point["doubts"] = touched(point["doubted"], touching)
        rows.append(ScanPoint(run=run, place=i, data=point))
    ScanPoint.objects.bulk_create(rows)
    ScanRun.objects.filter(pk=run.pk).update(done=len(rows))


def _place(values: list[float]) -> tuple:
    return tuple(f"{v:.10g}" for v in values)


def job_of(run: ScanRun, document: Document, begin_from: bytes | None) -> Running:
    """The Walk or Seek of a run."""
    scan = document.scan(run.scan)
    return Walk(run, document, begin_from, scan) if scan is not None else Seek(run, document, begin_from, the_search(document, run.scan))


def the_search(document: Document, id_: str) -> SearchEntry:
    """The search that a run is of, which stands in the document it was begun with."""
    found = document.search(id_)
    assert found is not None
    return found


def resume(run: ScanRun) -> None:
    """Compute the points that a run lacks; a search that ran out of solves may take as many again."""
    if run.ran_out:
        document = document_of(run.revision, run.variant)
        plan, entry = ready_plan(document), the_search(document, run.scan)
        run.result = blank_answer(plan, entry) | {"digest": run.result["digest"]}
        run.total, run.state = run.done + most_solves(plan, entry), ScanRun.CANCELLED
        run.save(update_fields=["result", "total", "state"])
    if run.resumable:
        document = document_of(run.revision, run.variant)
        job_of(run, document, solving.start_of(run.project)).begin()


def stop(run: ScanRun) -> None:
    """Stop a run; its finished points stay."""
    ScanRun.objects.filter(pk=run.pk, state__in=[ScanRun.WAITING, ScanRun.RUNNING]).update(state=ScanRun.CANCELLED)
    solving.workers().stop(key_of(run))
    run.refresh_from_db()


def notice_lost(run: ScanRun) -> None:
    """A run that says it is under way while nobody works on it (its last word could not be written) can be gone on with."""
    if not run.active or run.pk in under_way:
        return
    with changing:
        run.refresh_from_db()
        if run.active and run.pk not in under_way:
            run.state, run.why = ScanRun.FAILED, "How the scan ended could not be stored; its points are kept."
            run.done = run.points.count()
            run.save(update_fields=["state", "why", "done"])


def result_of(run: ScanRun) -> dict[str, Any] | None:
    """A run's record with the points that are there, as `ScanResult.to_dict` gives it; None before it began."""
    if run.result is None:
        return None
    if run.result.get("points"):  # of a run that an older version kept whole, or the curve of a trade-off
        return run.result
    return run.result | {"points": noted(points_of(run), run.result.get("notes") or {})}


def points_of(run: ScanRun) -> list[dict[str, Any]]:
    """The points of a run as they are kept."""
    return [p.data for p in run.points.all()]


def outdated(run: ScanRun | None, document: Document) -> bool:
    """Whether a run answers another question than its scan or search asks now."""
    entry = document.scan(run.scan) or document.search(run.scan)
    digest = (run.result or {}).get("digest")
    return entry is None or digest != asked_digest(document, entry) if digest else run.revision_id != run.project.current_id


class Walk(Running):
    """A scan under way: its parts in the workers' queue."""

    def __init__(self, run: ScanRun, document: Document, begin_from: bytes | None, entry: ScanEntry) -> None:
        super().__init__(run, document, begin_from, entry)
        self.grid = grid_of(document, entry)
        self.left, self.mended = 0, False

    def hand_in_first(self) -> None:
        self.hand_in(blocks(ready_plan(self.document), self.grid, self.points))

    def hand_in(self, parts: list[tuple], ahead: Any = False) -> None:
        """Have some parts walked; without any, the run is over. ahead: before other runs that wait, for this one is nearly done."""
        plain = self.document.dump()
        with self.lock:
            self.left += len(parts)
        for part in parts:
            self.submit(ScanPart(plain, self.entry.id, part, self.begin_from), on_item=self.keep, on_end=self.part_ended, ahead=ahead)
        if not parts:
            self.refine()

    def part_ended(self, job: Any) -> None:
        with self.lock:
            self.left -= 1
            if job.ending is not Ending.DONE:
                self.worst = job
            if self.left:
                return
            again = [] if self.mended or self.worst else mends(self.points, self.grid)
            self.mended = True
        if again:
            self.hand_in(again, ahead=True)
        else:
            self.refine()

    def refine(self) -> None:
        """Have edges and peaks solved between the points of one knob; then the run is over."""
        points = [self.points[i] for i in sorted(self.points)]
        if self.worst or isinstance(self.grid, Listed) or len(points) < self.grid.count:
            self.finish()
            return
        self.submit(RefineScan(self.document.dump(), self.entry.id, points, self.begin_from), on_end=self.refined, ahead=True)

    def refined(self, job: Any) -> None:
        if job.ending is Ending.DONE:
            self.found(unpack(job.value[1]))
        else:
            self.worst = job
        self.finish()


class Seek(Running):
    """A search under way: one task, which tells each of its solves and goes on from those that are kept."""

    def hand_in_first(self) -> None:
        known = [self.points[i] for i in sorted(self.points)]
        self.submit(FindBest(self.document.dump(), self.entry.id, self.begin_from, known), on_item=self.keep, on_end=self.ended)

    def ended(self, job: Any) -> None:
        trouble = ""
        if job.ending is Ending.DONE:
            found = unpack(job.value[1])
            trouble = found.get("trouble", "")
            if not trouble and not self.found(found):
                trouble = "What it found could not be stored: the disk may be full. Go on with it later."
        else:
            self.worst = job
        self.finish(trouble)


def abandon_unfinished() -> None:
    """Runs that were under way when the server stopped can be gone on with."""
    ScanRun.objects.filter(state__in=[ScanRun.WAITING, ScanRun.RUNNING]).update(
        state=ScanRun.CANCELLED, why="The server stopped while this scan ran: its points are kept."
    )
