"""The best for every value of a choice: which wins and by how much, the losers beside it, one press to take it."""

import pytest
from test_stages import page, text_of

from gulch.demo import projects
from gulch.engine.document import load
from gulch.web.projects.actions import create_project


@pytest.fixture
def row(user):
    reformer = next(p for p in projects() if p.name.endswith("reformer"))
    return create_project(user, reformer, "Reformer")


def test_the_best_of_every_choice_says_which_wins_and_by_how_much(client, row, act):
    search = load(row.current.document).searches[0].id
    assert client.post(f"/p/{row.pk}/scan-run/", {"id": search, "all": "1", "choice": "REF.mode"}).status_code == 200
    runs = {r.variant: r for r in row.scan_runs.all()}
    assert set(runs) >= {"", "=REF.mode=adiabatic"} and all(r.state == r.DONE for r in runs.values())
    reads = {v: r.result.get("reads") for v, r in runs.items()}
    html = page(client, row, "scans", f"?select={search}")
    told = " ".join(text_of(html[html.index('id="best-chosen"') :].split("</table>")[0]).split())
    best = max((v for v in reads if reads[v] is not None), key=lambda v: reads[v])
    assert best == "" and "Heat of REF: held at a temperature wins in" in told
    assert told.index("★ held at a temperature") < told.index("adiabatic")
    assert reads["=REF.mode=adiabatic"] is None and "adiabatic nothing inside all limits" in told
    assert "nothing else comes inside all limits" in told
    act("take-chosen", choice="=REF.mode=adiabatic", point="{}", select=search)
    assert load(row.current.document).unit("REF").heat.mode == "adiabatic"
    html = page(client, row, "scans", f"?select={search}")  # what was chosen then keeps its name, whatever is chosen now
    told = " ".join(text_of(html[html.index('id="best-chosen"') :].split("</table>")[0]).split())
    assert "★ held at a temperature" in told and told.count("adiabatic nothing inside all limits") == 1
    assert "is gone" in act("take-chosen", status=422, choice="=REF.mode=nonsense", point="{}")


def test_the_margin_and_the_losers_stand_beside_the_winner(client, user):
    row = create_project(user, next(p for p in projects() if p.name.endswith("acid")), "Acid")
    search = load(row.current.document).searches[0].id
    client.post(f"/p/{row.pk}/scan-run/", {"id": search, "all": "1", "choice": "TANK.mode"})
    reads = {r.variant: r.result["reads"] for r in row.scan_runs.all() if r.result.get("reads") is not None}
    html = page(client, row, "scans", f"?select={search}")
    told = " ".join(text_of(html[html.index('id="best-chosen"') :].split("</table>")[0]).split())
    assert len(reads) == 3 and reads["=TANK.mode=jacket"] < max(reads.values())
    assert (
        "Heat of TANK: adiabatic and given duty do best in conversion of anhydride, as well as each other" in told
    )  # no duty is no heat exchanged
    behind = 100.0 * (max(reads.values()) - reads["=TANK.mode=jacket"])
    assert f"jacket {100.0 * reads['=TANK.mode=jacket']:.3f} % {behind:.2f} points" in told
    assert told.count("nothing inside all limits") == 2 and told.count("Take it") == 2


def test_a_trade_off_of_every_choice_says_who_holds_the_common_front(client, user):
    row = create_project(user, next(p for p in projects() if p.name.endswith("ethanol")), "Ethanol")
    search = next(s.id for s in load(row.current.document).searches if s.against)
    assert client.post(f"/p/{row.pk}/scan-run/", {"id": search, "all": "1"}).status_code == 200  # every variant
    html = page(client, row, "scans", f"?select={search}")
    told = " ".join(text_of(html[html.index('id="best-chosen"') :].split("</table>")[0]).split())
    assert "holds all of the common front" in told and "purge 10 %" in told  # the purge is a knob, so both are the same
    assert "★" in told and " with " in told


def test_kinds_of_reactors_are_a_choice_and_what_cannot_be_built_says_why(client, user):
    acid = next(p for p in projects() if p.name.endswith("acid"))
    acid.unit("TANK").heat.mode = "duty"
    acid.gauges[0].at_least = None
    row = create_project(user, acid, "Acid")
    search = load(row.current.document).searches[0].id
    client.post(f"/p/{row.pk}/scan-run/", {"id": search, "all": "1", "choice": "TANK.kind"})
    reads = {r.variant: r.result["reads"] for r in row.scan_runs.all() if r.result.get("reads") is not None}
    assert set(reads) == {"", "=TANK.kind=plug-flow", "=TANK.kind=recycle-reactor"}
    html = page(client, row, "scans", f"?select={search}")
    told = " ".join(text_of(html[html.index('id="best-chosen"') :].split("</table>")[0]).split())
    assert "> Kind of TANK: " in told and "do best in conversion of anhydride, as well as each other" in told
    for kind in ("tube with dispersion", "tanks in series"):
        assert f"{kind} not to be had: “given duty” is no heat mode of" in told
    assert "choose another one for TANK first." in told


def test_a_limit_that_another_kind_cannot_hold_is_said(client, user):
    acid = next(p for p in projects() if p.name.endswith("acid"))
    next(g for g in acid.gauges if g.id == "states").at_most = "1"
    row = create_project(user, acid, "Acid")
    search = load(row.current.document).searches[0].id
    html = client.post(f"/p/{row.pk}/scan-run/", {"id": search, "all": "1", "choice": "TANK.kind"}).content.decode()
    assert "The limit on steady states cannot be kept with a plug flow, which has no such result: take it off first." in text_of(html)


def test_an_aim_that_another_kind_does_not_have_is_said(client, user):
    acid = next(p for p in projects() if p.name.endswith("acid"))
    acid.searches[0].aim, acid.unit("TANK").heat.mode = "states", "duty"
    row = create_project(user, acid, "Acid")
    search = load(row.current.document).searches[0].id
    html = client.post(f"/p/{row.pk}/scan-run/", {"id": search, "all": "1", "choice": "TANK.kind"}).content.decode()
    assert "plug flow: What is aimed at is no result there: choose another aim, or leave this choice out." in text_of(html)
    assert "is gone" not in text_of(html)
