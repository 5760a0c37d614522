"""Variants as differences: what they change, what they add and leave out, and one of them made the base."""

import pytest
from helpers import demo

from gulch.engine.document import VariantEdit, VariantEntry
from gulch.engine.project.variants import applied, lost, make_base, misfits


def variant(*edits, name="other", remark=""):
    project = demo()
    project.variants = [VariantEntry(id="v", name=name, remark=remark, edits=list(edits))]
    return project, project.variants[0]


def test_an_entry_is_added_behind_the_one_it_names():
    knob = {"id": "new", "input": "H1.pressure_drop", "low": "0 bar", "high": "1 bar"}
    ids = [k.id for k in demo().knobs]
    assert len(ids) > 2
    for after, place in ((ids[0], 1), (ids[-1], len(ids)), (None, 0), ("gone", len(ids))):
        project, v = variant(VariantEdit(at="knobs/new", to=knob, after=after))
        assert [k.id for k in applied(project, v).knobs] == [*ids[:place], "new", *ids[place:]]
        assert lost(project, v) == []


def test_an_entry_takes_the_place_of_the_one_with_its_name():
    gauges = demo().dump()["gauges"]
    project, v = variant(VariantEdit(at=f"gauges/{gauges[2]['id']}", to=gauges[2] | {"label": "another"}))
    found = applied(project, v).gauges
    assert [g.id for g in found] == [g["id"] for g in gauges] and found[2].label == "another" and found[0].label == gauges[0]["label"]


def test_only_the_entry_that_is_named_goes_and_what_is_gone_already_is_told():
    ids = [g.id for g in demo().gauges]
    project, v = variant(VariantEdit(at=f"gauges/{ids[1]}", gone=True), VariantEdit(at="gauges/none", gone=True))
    assert [g.id for g in applied(project, v).gauges] == [ids[0], *ids[2:]]
    assert [e.at for e in lost(project, v)] == ["gauges/none"] and len(misfits(project, v)) == 1


def test_the_former_base_keeps_its_differences_and_others_their_remarks():
    project, v = variant(VariantEdit(at="units/SPLIT/drawn", to="9 %"), remark="more purge")
    cold = [VariantEdit(at="units/COOL/temperature", to="60 degC")]
    project.variants.append(VariantEntry(id="w", name="cold", remark="as it was built", edits=cold))
    project.variants.append(VariantEntry(id="x", name="former base"))
    project.remarks = "Of the whole project."
    before, drawn = applied(project, project.variants[1]), project.unit("SPLIT").drawn
    new, name = make_base(project, "v")
    assert name == "other" and new.unit("SPLIT").drawn == "9 %" and new.remarks == "Of the whole project."
    former, cold, _ = new.variants
    assert (former.name, applied(new, former).unit("SPLIT").drawn) == ("former base 2", drawn)
    assert (cold.name, cold.remark) == ("cold", "as it was built")
    assert applied(new, cold).unit("SPLIT").drawn == before.unit("SPLIT").drawn == drawn
    assert applied(new, cold).unit("COOL").temperature == "60 degC"


def test_a_variant_that_is_not_there_cannot_be_the_base():
    with pytest.raises(ValueError, match="variant"):
        make_base(demo(), "none")
