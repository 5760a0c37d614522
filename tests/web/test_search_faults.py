"""What a user may do to a search, a list or prices that must end in a sentence."""

import pytest
from test_search_pages import act, ask, now, small, words  # noqa: F401  (fixtures of the small project)
from test_stages import page, text_of

from gulch.engine.work import Ending, FindBest
from gulch.engine.work.inline import Inline
from gulch.engine.work.job import Job
from gulch.web.projects.models import ScanRun

LIMITED = {"id": "A", "field": "at_most", "value": "0.3e-3"}


def test_a_gauge_that_held_the_best_may_be_removed(client, small, act):  # noqa: F811
    act("gauge-edit", on=small, **(LIMITED | {"field": "at_least"}))
    act("search-add", on=small)
    act("search-edit", on=small, id="best1", aim="B")
    ask(client, small, "best1")
    act("gauge-remove", on=small, id="A")
    assert "the question has changed" in words(client, small, "best1")


def test_a_knob_that_a_target_turns_is_left_out_by_itself(client, small, act):  # noqa: F811
    """V is the target's: leaving another knob out, or taking it in again, must not put V on the list."""
    act("target", on=small, gauge="A", knob="V", value="0.5e-3 kmol/h")
    act("search-add", on=small)
    act("search-turn", {"on": "1"}, on=small, id="best1", knob="F", low="600")
    assert [t.knob for t in now(small).search("best1").over] == ["F"]
    act("search-edit", on=small, id="best1", aim="B")
    ask(client, small, "best1")
    why = small.scan_runs.get().why  # A is held, so the residence time is, and B with it
    assert "No knob moves" in why and "cannot be turned" not in why and "a target turns it" in words(client, small, "best1")


@pytest.mark.parametrize(
    ("name", "form"),
    [
        ("search-edit", {"id": "best1", "way": "sideways"}),
        ("search-edit", {"id": "best1", "aim": "magic"}),
        ("price-species", {"id": "ethanol", "per": "stone"}),
        ("prices-edit", {"work_per": "fortnight"}),
        ("scan-list", {"id": "scan1", "listed": "water\treactor_T\n130\t220\t9"}),
        ("scan-list", {"id": "scan1", "listed": "\t".join(["water"] * 7) + "\n" + "\t".join(["130"] * 7)}),
    ],
)
def test_what_no_page_offers_is_refused_and_nothing_is_lost(client, row, act, name, form):  # noqa: F811
    before = now(row).dump()
    said = text_of(act(name, on=row, status=422, **form))
    assert said.strip() and now(row).dump() == before
    assert page(client, row, "scans", "?select=best1")


class Slow(Inline):
    """Workers who end the jobs of searches when they are told to, and not before."""

    def __init__(self):
        super().__init__()
        self.jobs = []

    def submit(self, task, on_end=None, **more):
        if not isinstance(task, FindBest):
            return super().submit(task, on_end=on_end, **more)
        self.jobs.append(Job(task, on_end=on_end))
        return self.jobs[-1]

    def stop(self, key):
        return 0


def test_what_was_stopped_and_gone_on_with_is_not_ended_by_the_end_of_the_stopped_part(client, row, monkeypatch):
    """A worker ends within a second of the stop; a user may click sooner."""
    slow = Slow()
    page(client, row, "scans")
    monkeypatch.setattr("gulch.web.projects.solving.workers", lambda: slow)
    ask(client, row, "best1")
    run = row.scan_runs.get(scan="best1")
    assert run.state == ScanRun.WAITING
    client.post(f"/p/{row.pk}/scan-run/{run.pk}/cancel/", {"select": "best1"})
    run.refresh_from_db()
    assert run.state == ScanRun.CANCELLED
    client.post(f"/p/{row.pk}/scan-run/{run.pk}/resume/", {"select": "best1"})
    first, second = slow.jobs
    first.end(Ending.STOPPED)
    run.refresh_from_db()
    assert run.state == ScanRun.WAITING and "solves, at most" in words(client, row, "best1")
    second.end(Ending.STOPPED)
    run.refresh_from_db()
    assert run.state == ScanRun.CANCELLED
