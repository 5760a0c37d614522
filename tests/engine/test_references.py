"""References in a document: whatever names something follows its new name, and goes when it is gone."""

import json
import re
from typing import get_args, get_origin

import pytest

from gulch.engine.document import Part, load
from gulch.engine.project import edit
from gulch.engine.references import MARKERS, Own, Renaming, Thing, followed, item_thing


def everything():
    """A made-up document in which every field that refers to something does so."""
    return load(
        {
            "format": "gulch-project",
            "version": 1,
            "working": "v1",
            "species": [{"id": s, "cas": c} for s, c in (("ethylene", "74-85-1"), ("water", "7732-18-5"), ("ethanol", "64-17-5"))],
            "phase_model": {
                "kind": "peng-robinson",
                "interaction": [{"pair": ["ethylene", "water"], "value": 0.1}],
                "pairs": [{"pair": ["ethylene", "water"], "model": "nrtl", "b": ["100 K", "1 kJ/mol"]}],
                "measured": [{"pair": ["ethylene", "water"], "at": "1 atm", "points": [[0.5, None, "350 K"]]}],
            },
            "doubtful": ["R1.conversion", "tie.SEP.share.water", "knob.k1.low", "r-1.conversion"],
            "reactions": [
                {
                    "id": "r-1",
                    "equation": "ethylene + water = ethanol",
                    "conversion": {"key": "ethylene", "value": "5 %"},
                    "rate": {
                        "orders": {"ethylene": "1"},
                        "reverse_orders": {"ethanol": "1"},
                        "adsorption": [{"species": "water", "constant": {"k": "1 1/bar"}}],
                    },
                },
                {"id": "r-1b", "equation": "ethanol = ethylene + water"},
            ],
            "measures": {"key": "ethylene", "product": "ethanol"},
            "measurements": [
                {
                    "id": "m1",
                    "charge": {"ethylene": "1 mol/L"},
                    "reaction": "r-1",
                    "columns": {"2": {"what": "concentration", "species": "ethanol"}},
                }
            ],
            "fits": [
                {
                    "id": "f1",
                    "set": "main",
                    "sheets": ["m1"],
                    "free": ["r-1.k", "r-1.order.ethylene"],
                    "low": {"r-1.k": "1"},
                    "high": {"r-1.k": "9"},
                    "rivals": [{"name": "other", "laws": {"r-1": {"orders": {"ethylene": "2"}}}, "free": ["r-1.k"]}],
                    "found": {"numbers": ["r-1.k"], "values": [1.0]},
                }
            ],
            "reaction_sets": [{"id": "main", "steps": [["r-1"], ["r-1b"]], "preview": "feed"}],
            "streams": [
                {
                    "id": "feed",
                    "to": "R1",
                    "given": {
                        "flow": {"ethylene": "100 kmol/h", "water": "60 kmol/h"},
                        "mass_flow": {"water": "1 kg/h"},
                        "fraction": {"water": "1 %"},
                        "mass_fraction": {"water": "1 %"},
                        "to_species": "water",
                        "ratio": {"ethylene": "2"},
                    },
                },
                {"id": "S1", "from": "R1", "to": "SEP"},
                {"id": "S2", "from": "SEP.first", "to": "WASH.solvent"},
                {"id": "S3", "from": "SEP.second"},
                {"id": "gas", "to": "WASH.gas", "given": {"flow": {"ethylene": "1 kmol/h"}}},
            ],
            "units": [
                {
                    "id": "R1",
                    "kind": "equilibrium-reactor",
                    "set": "main",
                    "runs": {"r-1": "equilibrium", "r-1b": "extent"},
                    "held_extent": {"r-1b": "1 kmol/h"},
                    "own_approach": {"r-1": "1 K"},
                },
                {"id": "SEP", "kind": "species-separator", "share": {"water": "50 %"}},
                {"id": "WASH", "kind": "washer", "set": "main", "share": {"water": "50 %"}},
            ],
            "knobs": [{"id": "k1", "input": "R1.own_approach.r-1", "low": "0 K", "high": "5 K"}],
            "gauges": [
                {"id": "g1", "reads": "R1.extent.r-1"},
                {"id": "g2", "reads": "gauge.g2", "formula": "R1.extent.r_1-R1.extent.r-1b+S1.flow"},
            ],
            "numbers": [{"id": "steam_ratio", "label": "steam to oil", "value": "2.5"}],
            "ties": [{"sets": "SEP.share.water", "formula": "0.5*gauge.g2/S1.flow.water"}],
            "targets": [{"id": "t1", "gauge": "g1", "value": "1 kmol/h", "knob": "k1"}],
            "tears": [{"stream": "S1", "chosen": True, "flow": {"water": "1 kmol/h"}}],
            "scans": [{"id": "s1", "over": [{"knob": "k1"}], "gauges": ["g1", "g2"], "shows": "g1"}],
            "prices": {"species": {"ethanol": {"sold": "1"}}, "streams": {"S3": "waste"}, "building": {"own": {"R1": "1000"}}},
            "spreads": [
                {"what": "input", "input": "R1.own_approach.r-1", "by": "1 K"},
                {"what": "rate", "reaction": "r-1", "by": "10 %"},
                {"what": "sold", "species": "ethanol", "by": "10 %"},
            ],
            "searches": [{"id": "b1", "aim": "g1", "against": "g2", "over": [{"knob": "k1"}]}],
            "sizing": {"set": "main", "stream": "S1"},
            "region": {"set": "main", "stream": "S1", "x": "ethanol", "y": "ethanol"},
            "ledger": {"pinned": ["S1"]},
            "strip": {"knobs": ["k1"], "gauges": ["g2", "g1"], "hidden_knobs": ["k1"], "hidden_gauges": ["g1"]},
            "notebook": {
                "pieces": [
                    {"what": "unit", "unit": "R1"},
                    {"what": "stream", "stream": "S1"},
                    {"what": "scan", "scan": "s1"},
                    {"what": "search", "search": "b1"},
                    {"what": "result", "result": "R1.extent.r-1"},
                ]
            },
            "variants": [
                {
                    "id": "v1",
                    "name": "other",
                    "edits": [
                        {"at": "units/SEP/share/water", "to": "40 %"},
                        {"at": "streams/S1/to", "to": "WASH.solvent"},
                        {"at": "ties/SEP.share.water/formula", "to": "R1.extent.r-1/S1.flow"},
                        {"at": "units/P9", "to": {"id": "P9", "kind": "pump"}, "after": "WASH"},
                        {"at": "knobs/k1/input", "to": "R1.own_approach.r-1b"},
                        {"at": "units/R1/runs/r-1", "to": "extent"},
                    ],
                }
            ],
        }
    )


def models(part=Part):
    for sub in part.__subclasses__():
        yield sub
        yield from models(sub)


def marked(annotation):
    """Whether a marker stands inside a type."""
    return any(
        isinstance(a, MARKERS) or (get_origin(a) and marked(a)) for a in (annotation, *get_args(annotation)) if a is not annotation
    ) or any(isinstance(a, MARKERS) for a in getattr(annotation, "__metadata__", ()))


def filled(part, seen):
    """(model, field) of everything that is filled in a document."""
    for name in type(part).model_fields:
        value = getattr(part, name)
        if value not in (None, "", [], {}):
            seen.add((type(part).__name__, name))
        for v in value if isinstance(value, list) else value.values() if isinstance(value, dict) else [value]:
            if isinstance(v, Part):
                filled(v, seen)
    return seen


def test_the_document_above_fills_every_field_that_refers_to_something():
    used = filled(everything(), set())
    kinds = {type(u).__name__ for u in everything().units}
    for model in models():
        if "kind" in model.model_fields and model.__name__ not in kinds | {"PhaseModelEntry"}:
            continue  # the unit kinds share a few declarations, which the units above use
        for name, field in model.model_fields.items():
            if marked(field.annotation) or any(isinstance(m, MARKERS) for m in field.metadata):
                assert (model.__name__, name) in used, f"{model.__name__}.{name}"


@pytest.mark.parametrize("old", ["feed", "S1", "S2", "gas", "R1", "SEP", "WASH", "r-1", "r-1b"])
def test_renaming_reaches_everything_and_can_be_taken_back(old):
    project = everything()
    before = project.dump()
    edit.rename(project, old, "new-name")
    text = json.dumps(project.dump())
    assert "new-name" in text
    rest = re.findall(rf"(?<![\w\-]){re.escape(old)}(?![\w\-])", text)
    # a species, a name in an equation and the key of a feed are other things
    assert rest == [] or old in ("feed", "gas"), rest
    edit.rename(project, "new-name", old)
    back = json.dumps(project.dump()).replace("r_1-R1", "r-1-R1")
    assert back == json.dumps(before).replace("r_1-R1", "r-1-R1")


@pytest.mark.parametrize(
    ("thing", "old"),
    [
        (Thing.KNOB, "k1"),
        (Thing.GAUGE, "g2"),
        (Thing.SET, "main"),
        (Thing.SPECIES, "water"),
        (Thing.VARIANT, "v1"),
        (Thing.SCAN, "s1"),
        (Thing.TARGET, "t1"),
    ],
)
def test_every_kind_of_thing_can_be_followed(thing, old):
    before = everything().dump()
    after = followed(type(everything()), before, Renaming(thing, old, "other"))
    for part in (before, after):  # names of species in equations are the chemist's
        for r in part["reactions"]:
            r["equation"] = ""
    assert not re.search(rf"(?<![\w\-]){old}(?![\w\-])", json.dumps(after))
    assert followed(type(everything()), after, Renaming(thing, "other", old)) == before


def test_what_is_gone_takes_with_it_what_hangs_on_it():
    project = everything()
    edit.remove_reaction(project, "r-1")
    assert project.knobs == [] and project.targets == [] and project.scans == []  # by the knob's item
    assert [g.id for g in project.gauges] == ["g2"]  # a formula stays, and the checks name what it lacks
    assert project.reaction_sets[0].steps == [["r-1b"]] and project.unit("R1").runs == {"r-1b": "extent"}
    assert project.doubtful == ["R1.conversion", "tie.SEP.share.water"]
    edit.remove_species(project, "water")
    assert project.ties == [] and project.phase_model.interaction == project.phase_model.pairs == [] and project.tears[0].flow == {}
    given = project.stream("feed").given
    assert "water" not in {*given.flow, *given.mass_flow, *given.fraction, *given.mass_fraction}
    edit.remove(project, "SEP")
    assert project.ledger.pinned == ["S1"] and project.stream("S2") is None


def test_a_removed_stream_is_named_nowhere():
    project = everything()
    edit.remove(project, "R1")
    text = json.dumps({k: v for k, v in project.dump().items() if k not in ("variants", "gauges", "ties")})
    assert '"S1"' not in text and project.sizing.stream == "" and project.ledger.pinned == []


def test_items_of_addresses_are_told_apart():
    assert item_thing("extent") is Thing.REACTION and item_thing("flow") is Thing.SPECIES and item_thing("potential") is None
    assert any(isinstance(m, Own) for m in type(everything().units[0]).model_fields["id"].metadata)
