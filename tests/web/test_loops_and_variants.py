"""The loops and variants stages: their edits reach the document, what they show is what the engine found."""

import re

import pytest
from helpers import demo, document
from test_stages import page, text_of

from gulch.demo import projects
from gulch.engine.document import TargetEntry, load
from gulch.engine.project import variants
from gulch.engine.project.edit import EditError
from gulch.engine.quantities import show
from gulch.web.projects.actions import create_project
from gulch.web.scans import jobs
from gulch.web.variants.actions import hours_text


def now(row):
    return load(row.current.document)


@pytest.fixture
def cyclohexane(user):
    return create_project(user, projects()[4], "Demo project")


def test_loops_and_variants_open_for_an_empty_project(client, user):
    row = create_project(user, document({}), "Start")
    assert "No recycle loop yet" in page(client, row, "loops") and "needs a gauge and a knob" in page(client, row, "loops")
    assert "No variant yet" in page(client, row, "variants")


def test_loops_stage_shows_how_everything_closed(client, cyclohexane):
    words = text_of(page(client, cyclohexane, "loops"))
    assert "Loop A MIX → HX → H1 → R1" in words and "● settled" in words
    assert "Ways round, by their own gain" in words and "Comes back" in words and "Cut at S4" in words
    assert "100.0 kmol/h ✓" in words and "101.2 kmol/h" in words  # the target's gauge and knob
    assert "= 344.1 kmol/h" in re.sub(r"\s+", " ", words.replace("Untie", "")) or "344.1 kmol/h" in words
    html = page(client, cyclohexane, "loops")
    assert '"name": "target on cyclohexane in product"' in html and '"series":' in html


def test_closing_settings_and_their_limits(row, act):
    act("closing", method="wegstein", tolerance="1e-8", max_passes="300")
    closing = now(row).closing
    assert (closing.method, closing.tolerance, closing.max_passes) == ("wegstein", "1e-8", 300)
    assert row.latest["loops"][0]["method"] == "wegstein" and row.latest["solved"]
    assert "no method" in act("closing", 422, method="magic")
    assert "from 1 to 5000" in act("closing", 422, max_passes="0")
    assert "whole number" in act("closing", 422, max_passes="many")
    assert "The tolerance" in act("closing", tolerance="tiny", stage="loops")  # kept as typed, named, last figures kept
    assert not row.latest["solved"] and row.good["solved"]


def test_cut_guess_open_and_close(row, act):
    act("cut-at", stream="S2", instead="recycle")
    assert row.latest["loops"][0]["tears"] == ["S2"]
    act("cut-at", stream="", instead="S2")
    assert row.latest["loops"][0]["tears"] == ["recycle"] and now(row).tears == []
    act("guess", stream="recycle", text="temperature 60 °C\nethylene 600\nwater 3 kmol/h")
    assert now(row).tear("recycle").flow == {"ethylene": "600 kmol/h", "water": "3 kmol/h"}
    assert row.latest["loops"][0]["guess"]["recycle"]["ethylene"] == pytest.approx(600 / 3.6)
    assert "no line of a guess" in act("guess", 422, stream="recycle", text="something")
    html = act("open-loop", stream="recycle", stage="loops")
    assert "Open at" in html and "single pass, a loop is open" in html and row.latest["solved"]
    assert "close the loop first" in act("guess", 422, stream="recycle", text="")
    back = row.latest["opened"][0]["returned"]["ethylene"]
    act("close-loop", stream="recycle", text=f"ethylene {back * 3.6} kmol/h", keep_open="1")
    assert row.latest["opened"][0]["guess"]["ethylene"] == pytest.approx(back)
    act("close-loop", stream="recycle")
    assert row.latest["loops"][0]["settled"] and not row.latest["opened"]
    assert "no stream" in act("guess", 422, stream="nowhere", text="ethylene 1")


def test_target_by_its_edits(row, act):
    act("target", gauge="recycle_flow", knob="purge_share", value="600")
    entry = now(row).targets[-1]
    assert entry.value == "600 kmol/h" and row.latest["targets"][0]["met"]
    found = row.latest["found"]["SPLIT.drawn"]
    html = act("target-edit", id=entry.id, field="value", value="5000 kmol/h", stage="loops")
    assert "cannot be met" in html and "1 target not met" in html and "low end of its range" in html
    act("target-edit", id=entry.id, field="value", value="600 kmol/h")
    assert "What the gauge must read" in act("target", 422, gauge="recycle_flow", knob="purge_share", value="warm")
    assert "needs a gauge" in act("target", 422, gauge="zz", knob="purge_share", value="1")
    process = act("display", value="process-metric", stage="process")
    assert "set by the target on recycle flow" in process and "target 600 kmol/h" in process
    # switched off, the knob keeps what was found, so nothing moves
    act("target-edit", id=entry.id, field="on", value="", found=repr(found))
    assert row.latest["targets"] == [] and now(row).unit("SPLIT").drawn.startswith(f"{100 * found:.6g}"[:6])
    made = row.latest["gauges"]["recycle_flow"]
    assert made == pytest.approx(600 / 3.6, rel=1e-6)
    act("target-remove", id=entry.id)
    assert [t.id for t in now(row).targets] == ["hold_recycle"]


def test_tie_by_its_edits(row, act):
    act("tie", sets="water_feed.flow.water", formula="1.4*ethylene_feed.flow.ethylene")
    assert row.latest["found"]["water_feed.flow.water"] == pytest.approx(140 / 3.6)
    assert "is not an input" in act("tie", 422, sets="nothing.here", formula="1")
    assert "comes out in" in act("tie", 422, sets="water_feed.flow.water", formula="H1.temperature")
    html = act("display", value="process-metric", stage="process", select="water_feed")
    assert "tied: 1.4*ethylene_feed.flow.ethylene" in html and "readonly" in html
    assert "140.0 kmol/h" in html
    act("tie-remove", sets="water_feed.flow.water", value="140 kmol/h")
    assert now(row).ties == [] and now(row).stream("water_feed").given.flow["water"] == "140 kmol/h"


def test_purge_target_in_one_step(row, act):
    act("purge-target", splitter="SPLIT", species="ethane", share="3.9 %")
    document = now(row)
    assert document.targets[-1].value == "3.9 %" and document.gauge(document.targets[-1].gauge).reads == "gas.fraction.ethane"
    assert row.latest["targets"][0]["met"]
    gas = row.latest["streams"]["gas"]
    assert gas["flow"]["ethane"] / gas["total"] == pytest.approx(0.039, rel=1e-5)
    assert "not between 0 and 100" in act("purge-target", 422, splitter="SPLIT", species="ethane", share="130 %")
    assert "is gone" in act("purge-target", 422, splitter="SPLIT", species="argon", share="3 %")


def test_a_loop_that_breaks_says_why_and_keeps_the_last_figures(client, row, act):
    html = act("set", address="SPLIT.drawn", value="0 %", stage="process")
    words = text_of(html)
    assert "did not settle" in words and "ethane builds up" in words and "% at SPLIT to hold ethane" in words
    assert "the figures are those of revision 1" in words
    loops = text_of(page(client, row, "loops"))
    assert "✕ did not settle" in loops and "Go on from here" in loops and "by what SPLIT draws" in loops
    act("set", address="SPLIT.drawn", value="5 %")
    assert row.latest["solved"]


def test_each_revision_keeps_its_converged_state(client, row, act):
    first = row.latest
    assert "recycle" in first["start"]["tears"]
    act("set", address="SPLIT.drawn", value="9 %")
    assert row.latest["start"]["tears"]["recycle"] != first["start"]["tears"]["recycle"] and row.good == row.latest
    client.post(f"/p/{row.pk}/undo/", {"version": row.version})
    row.refresh_from_db()
    assert row.latest == first and row.good == first  # found again, not solved again


# Variants


def test_variants_are_worked_on_compared_and_made_the_base(client, user, act, row):
    act("variant-add", name="drawn 9 %")
    id_ = now(row).working
    html = act("set", address="SPLIT.drawn", value="9 %", stage="process")
    assert now(row).unit("SPLIT").drawn == "6.5 %" and [e.at for e in now(row).variant(id_).edits] == ["units/SPLIT/drawn"]
    assert 'id="variant-chip"' in html and "9 % drawn" in html
    at_nine = row.latest["gauges"]["recycle_flow"]
    words = text_of(page(client, row, "variants"))
    assert "unit SPLIT, first drawn share 6.5 %" in words and "as the base" in words and "worked on" in words
    act("variant-work", id="")
    assert row.latest["gauges"]["recycle_flow"] == pytest.approx(181.733, rel=1e-4)
    absolute = page(client, row, "variants")
    cells = re.search(r'id="row-recycle.flow".*?</tr>', absolute, re.S)[0]
    assert f"{at_nine * 3.6:.1f}" in cells and "654.2" in cells
    per_cent = re.search(r'id="row-recycle.flow".*?</tr>', page(client, row, "variants", "?compare=per-cent"), re.S)[0]
    assert f"{100 * at_nine * 3.6 / 654.2:.4g}"[:4] in per_cent
    act("operating-hours", value="7500 h")
    yearly = re.search(r'id="row-product.flow.ethanol".*?</tr>', page(client, row, "variants", "?compare=per-year"), re.S)[0]
    made = row.latest["gauges"]["made"] * 3.6 * 7500
    assert f"{made:.0f}" in re.sub(r"[\s\u202f]", "", re.sub("<[^>]+>", "", yearly)) and "kmol" in yearly
    act("variant-make-base", id=id_)
    assert now(row).unit("SPLIT").drawn == "9 %" and row.latest["gauges"]["recycle_flow"] == pytest.approx(at_nine, rel=1e-6)
    act("variant-name", id=id_, value="as it was")
    assert "cannot be the variant" in act("variant-name", 422, id=id_, value="base")
    act("variant-remove", id=id_)
    assert now(row).variant(id_) is None


def test_variant_that_does_not_solve_says_so_beside_the_others(client, row, act):
    act("variant-add", name="no way out")
    act("set", address="SPLIT.drawn", value="0 %")
    act("variant-work", id="")
    words = text_of(page(client, row, "variants"))
    assert "no way out: It does not solve" in words and "654.2" in words


def test_edits_that_concern_all_variants_are_refused_with_a_sentence(row, act):
    assert "type one" in act("variant-add", 422, name=" ")
    assert "is gone" in act("variant-work", 422, id="variant99")
    assert "no number of hours" in act("operating-hours", 422, value="9999")
    for text in ("-1", "many", ""):
        with pytest.raises(EditError):
            hours_text(text)
    assert hours_text("8 760 h") == "8760"


def test_undo_leaves_a_variant_and_export_holds_all(client, row, act):
    act("variant-add", name="other")
    act("set", address="SPLIT.drawn", value="9 %")
    exported = load(client.get(f"/p/{row.pk}/export.json").json())
    assert [v.name for v in exported.variants][-1] == "other" and exported.unit("SPLIT").drawn == "6.5 %"
    for _ in range(2):
        client.post(f"/p/{row.pk}/undo/", {"version": row.version})
        row.refresh_from_db()
    assert now(row).working is None and len(now(row).variants) == len(demo().variants)


def test_scan_of_a_variant_scans_the_variant(client, row, act):
    act("variant-work", id="single_pass")
    client.post(f"/p/{row.pk}/scan-run/", {"id": "scan1"})
    run = row.scan_runs.first()
    points = jobs.result_of(run)["points"]
    assert run.state == "done" and all(p["solved"] for p in points)
    assert variants.worked(now(row)).stream("recycle").to is None
    flows = {round(p["gauges"]["overall"], 6) for p in points}
    assert len(flows) == 1  # without recycle the purge share changes nothing upstream


def test_map_and_card_show_what_a_target_found_and_a_bare_share_in_per_cent(client, user):
    project = demo()
    project.unit("SPLIT").drawn = "0.08"
    html = page(client, create_project(user, project, "bare"), "process")
    assert "8.000 % drawn" in html and 'value="8.000 %"' in html
    project.targets = [TargetEntry(id="t", gauge="made", value="44 kmol/h", knob="purge_share")]
    row = create_project(user, project, "aimed")
    html = page(client, row, "process")
    row.refresh_from_db()
    words = show(row.latest["found"]["SPLIT.drawn"], "fraction")
    assert words != "8.000 %" and f"{words} drawn" in html and f'value="{words}"' in html
