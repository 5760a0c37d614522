"""Bad input: each gives a sentence with where, what and what to do, and nothing is solved."""

import pytest
from helpers import demo, document, feed

from gulch.engine.document import DocumentError, load, loads
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.project.edit import take_assumed


def changed(path, value):
    """The demo with one place of its data changed; path as keys and list positions or ids."""
    data = demo().dump()
    place = data
    for key in path[:-1]:
        place = next(x for x in place if x["id"] == key) if isinstance(place, list) and isinstance(key, str) else place[key]
    if value is None:
        del place[path[-1]]
    else:
        place[path[-1]] = value
    return load(data)


BAD = [
    (("reactions", "hydration", "equation"), "C2H4 + 2 H2O = ethanol", "hydration.equation", "not balanced"),
    (("reactions", "hydration", "equation"), "C2H4 + H2O", "hydration.equation", "no equals sign"),
    (("reactions", "hydration", "conversion", "key"), "ethane", "hydration.key", "not one of its reactants"),
    (("reactions", "hydration", "conversion", "value"), "150 %", "hydration.conversion", "above 100"),
    (("reactions", "hydration", "conversion", "value"), "lots", "hydration.conversion", "does not start with a number"),
    (("streams", "water_feed", "given", "flow", "water"), "-5 kmol/h", "water_feed.flow.water", "negative"),
    (("streams", "water_feed", "given", "flow", "water"), "0 kmol/h", "water_feed.flow", "carries nothing"),
    (("streams", "water_feed", "given", "flow", "water"), "5 bar", "water_feed.flow.water", "unit of pressure"),
    (("streams", "water_feed", "given", "temperature"), "-300 degC", "water_feed.temperature", "absolute zero"),
    (("streams", "water_feed", "given", "temperature"), "25", "water_feed.temperature", "no unit"),
    (("streams", "water_feed", "given", "pressure"), "70 barn", "water_feed.pressure", "not a unit|unit of"),
    (("streams", "water_feed", "to"), "NOWHERE", "water_feed", "not a unit"),
    (("streams", "S1", "to"), None, "H1", "no inlet"),
    (("streams", "gas", "from"), "DRUM", "gas", "which outlet"),
    (("streams", "gas", "from"), "DRUM.steam", "gas", "no outlet"),
    (("streams", "gas", "from"), "DRUM.liquid", "product", "Two streams leave"),
    (("streams", "water_feed", "given", "flow", "gold"), "1 kmol/h", "water_feed.flow.gold", "not a species"),
    (("units", "R1", "set"), "other", "R1.set", "does not have"),
    (("units", "R1", "set"), None, "R1.set", "no reaction set"),
    (("units", "R1", "heat", "temperature"), "5000 degC", "R1.temperature", "above"),
    (("reaction_sets", 0, "steps"), [["hydration"], ["cracking"]], "main.steps", "does not have"),
    (("reaction_sets", 0, "steps"), [["hydration"], ["hydration"]], "main.steps", "more than once"),
    (("species", 0, "cas"), "7732-18-5", "species.ethylene", "same species"),
    (("species", 0, "cas"), "9999999-99-4", "species.ethylene", "no species with CAS"),
    (("units", "H1", "id"), "R1", "R1", "more than one"),
    (("knobs", "drum_T", "high"), "1 degC", "knob.drum_T", "low end"),
    (("gauges", "purity", "at_least"), "5 bar", "gauge.purity", "unit of pressure"),
]


@pytest.mark.parametrize(("path", "value", "where", "words"), BAD, ids=lambda v: "-".join(map(str, v)) if isinstance(v, tuple) else None)
def test_bad_input_gets_a_sentence(path, value, where, words):
    import re

    project = changed(path, value)
    found = [m for m in check(project) if m.level == "error" and m.where == where]
    assert found, [(m.where, m.what) for m in check(project)]
    assert any(re.search(words, m.what) for m in found)
    assert all(m.todo for m in found)
    solution = solve(project)
    assert not solution.solved and not solution.streams


def test_deleted_species_still_used_by_a_reaction():
    data = demo().dump()
    data["species"] = [s for s in data["species"] if s["id"] != "ether"]
    found = [m.what for m in check(load(data)) if m.where == "etherification.equation"]
    assert found and "ether" in found[0]


@pytest.mark.parametrize(("typed", "asks"), [("0.75 %", True), ("0.0075", True), ("75 %", False), ("1 %", False), ("0 %", False)])
def test_a_conversion_below_one_per_cent_is_asked_about(typed, asks):
    project = changed(("reactions", "hydration", "conversion", "value"), typed)
    found = [m for m in check(project) if m.level == "question"]
    assert bool(found) == asks
    if asks:
        assert "75 %" in found[0].what and found[0].answers[0] == ["75 %", "75 %"]
        project.reactions[0].conversion.meant = True
        assert not [m for m in check(project) if m.level == "question"]


def test_conversions_of_one_step_add_up_to_more_than_100():
    data = demo().dump()
    data["reactions"].append(
        {
            "id": "cracking",
            "equation": "2 ethylene = ethylene + ethylene",
            "conversion": {"key": "ethylene", "value": "50 %"},
        }
    )
    data["reactions"][-1]["equation"] = "C2H4 + H2O = ethanol"
    data["reactions"][0]["conversion"]["value"] = "60 %"
    data["reaction_sets"][0]["steps"] = [["hydration", "cracking"]]
    assert {m.level for m in check(load(data)) if m.where == "main.steps"} == {"warning"}  # an equilibrium reactor asks none
    data["units"][2] = {"id": "R1", "kind": "stoichiometric-reactor", "set": "main"}
    found = [m for m in check(load(data)) if m.where == "main.steps"]
    assert found and found[0].level == "error" and "110 %" in found[0].what
    data["reaction_sets"][0]["steps"] = [["hydration"], ["cracking"]]
    assert not [m for m in check(load(data)) if m.where == "main.steps"]


def test_fractions_that_do_not_add_up():
    data = demo().dump()
    given = {
        "temperature": "25 degC",
        "pressure": "70 bar",
        "basis": "mole-fractions",
        "total": "100 kmol/h",
        "fraction": {"ethylene": "60 %", "ethane": "30 %"},
    }
    data["streams"][0]["given"] = given
    found = [m for m in check(load(data)) if m.where == "ethylene_feed.fraction"]
    assert "90 %" in found[0].what and found[0].answers
    given["fraction"]["ethane"] = "40 %"
    assert not [m for m in check(load(data)) if m.level == "error"]
    given["total"] = None
    assert any("Total flow" in m.what for m in check(load(data)))


def test_all_four_bases_describe_the_same_feed():
    flows = []
    M = {"ethylene": 28.05316, "ethane": 30.06904}
    mass = {s: n * M[s] for s, n in {"ethylene": 98.0, "ethane": 2.0}.items()}
    for given in (
        {"basis": "molar", "flow": {"ethylene": "98 kmol/h", "ethane": "2 kmol/h"}},
        {"basis": "mass", "mass_flow": {s: f"{m} kg/h" for s, m in mass.items()}},
        {"basis": "mole-fractions", "total": "100 kmol/h", "fraction": {"ethylene": "98 %", "ethane": "2 %"}},
        {
            "basis": "mass-fractions",
            "total": f"{sum(mass.values())} kg/h",
            "mass_fraction": {s: str(m / sum(mass.values())) for s, m in mass.items()},
        },
        {"basis": "mole-fractions", "total": f"{sum(mass.values())} kg/h", "fraction": {"ethylene": "0.98", "ethane": "0.02"}},
    ):
        data = demo().dump()
        data["streams"][0]["given"] = {"temperature": "25 degC", "pressure": "70 bar"} | given
        flows.append(solve(load(data)).streams["ethylene_feed"].flow["ethylene"])
    assert flows == pytest.approx([98 / 3.6] * 5, rel=1e-5)


def test_outside_the_heat_capacity_data_is_warned_of():
    project = changed(("units", "R1", "heat", "temperature"), "1800 degC")
    found = [m for m in check(project) if m.where == "R1.temperature"]
    assert found and found[0].level == "warning" and "extrapolated" in found[0].todo


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not readable JSON"),
        ("{", "not readable JSON"),
        ("[1, 2]", "JSON object"),
        ('{"format": "other"}', "not a Gulch project"),
        ('{"format": "gulch-project", "version": 9}', "version 9"),
        ('{"format": "gulch-project", "version": 1, "units": [{"id": "A", "kind": "teapot"}]}', "A.*kind is not one of"),
        ('{"format": "gulch-project", "version": 1, "units": [{"id": "A", "kind": "mixer", "colour": "red"}]}', "A.*colour.*does not know"),
        ('{"format": "gulch-project", "version": 1, "species": [{"id": "1a", "cas": "x"}]}', "species"),
        ("[" * 100000, "not readable JSON"),
        (b"\xff\xfe\x00", "not readable JSON"),
    ],
)
def test_corrupt_and_foreign_files(text, words):
    with pytest.raises(DocumentError, match=words):
        loads(text)


def test_empty_project_says_how_to_begin():
    project = load({"format": "gulch-project", "version": 1})
    assert "Chemistry" in check(project)[0].todo
    assert not solve(project).solved


def test_document_keeps_what_was_typed():
    project = demo()
    assert loads(project.to_json()).dump() == project.dump()
    assert '"220 degC"' in project.to_json()


@pytest.mark.parametrize("value", ["-3", "0", "x", ""])
def test_a_constant_that_cannot_be_is_said_once(value):
    project = document(
        {"benzene": "71-43-2", "toluene": "108-88-3", "xylene": "106-42-3"},
        [{"id": "R", "kind": "equilibrium-reactor", "set": "s"}],
        [feed("f", "R", {"toluene": "10 kmol/h"}), {"id": "p", "from": "R"}],
        [{"id": "r", "equation": "2 toluene = benzene + xylene", "equilibrium": {"source": "constant", "value": value}}],
        [{"id": "s", "steps": [["r"]]}],
    )
    said = [m.what for m in check(project) if m.level == "error"]
    assert len(said) == 1 and said[0].startswith("Equilibrium constant of r:")


@pytest.mark.parametrize(("kind", "more"), [("decanter", {"mode": "shares"}), ("species-separator", {}), ("washer", {})])
def test_shares_left_out_are_counted_as_assumed(kind, more):
    project = document(
        {"methanol": "67-56-1", "water": "7732-18-5", "benzene": "71-43-2"},
        [{"id": "D", "kind": kind, "share": {"methanol": "80 %"}} | more],
        [feed("f", "D", {"methanol": "10 kmol/h", "water": "10 kmol/h", "benzene": "3 kmol/h"})],
    )
    (said,) = [m.what for m in check(project) if m.level == "assumed" and m.what.startswith("D:")]
    assert "share" in said
    assert set(take_assumed(project, "D", {})) and project.unit("D").share == {"methanol": "80 %", "water": "0 %", "benzene": "0 %"}
    assert not [m for m in check(project) if m.level == "assumed" and "share" in m.what]
