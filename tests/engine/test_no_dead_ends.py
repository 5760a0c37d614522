"""Edits and commands after which a user can always go on: names, outlets, variants, files, typed constants."""

import json
import os
import subprocess
import sys

import numpy as np
import pytest
from helpers import LIGHT, demo, document, feed

from gulch.engine.cli import parser, run
from gulch.engine.document import DocumentError, GaugeEntry, ScanEntry, SizingEntry, load
from gulch.engine.explain import solve
from gulch.engine.explain.checks import check
from gulch.engine.project import edit, variants
from gulch.engine.project.basis import in_basis
from gulch.engine.project.edit import EditError
from gulch.engine.project.inputs import addresses, write
from gulch.engine.scans.grid import grid_of
from gulch.engine.units import KINDS


def errors(project):
    return [m.what for m in check(project) if m.level == "error"]


# Names


def test_a_new_name_reaches_everything_that_names_the_old_one():
    project = demo()
    project.sizing = SizingEntry(stream="S1")
    project.ledger.pinned = ["S1", "gas"]
    project.ties = []
    project.gauges = [
        *project.gauges,
        GaugeEntry(id="own", reads="gauge.own", formula="S1.flow.water / water_feed.flow.water"),
    ]
    id_ = variants.add(project, "tied")
    worked = variants.worked(project)
    worked.ties = [edit_tie("water_feed.flow.water", "1.1 * ethylene_feed.flow.ethylene")]
    project = variants.folded(project, worked)
    project.working = None
    for old, new in (("S1", "mixed"), ("water_feed", "steam"), ("ethylene_feed", "fresh")):
        edit.rename(project, old, new)
    assert project.sizing.stream == "mixed" and project.ledger.pinned == ["mixed", "gas"]
    assert project.gauge("own").formula == "mixed.flow.water / steam.flow.water"
    tied = variants.applied(project, project.variant(id_))
    assert (tied.ties[0].sets, tied.ties[0].formula) == ("steam.flow.water", "1.1 * fresh.flow.ethylene")
    assert solve(tied).solved and solve(project).gauges["own"] > 1.0


def edit_tie(sets, formula):
    from gulch.engine.document import TieEntry

    return TieEntry(sets=sets, formula=formula)


# Outlets


def test_inserting_a_splitter_into_a_return_keeps_the_main_way():
    project = demo()
    id_ = edit.append_unit(project, "recycle", "splitter")
    drawn = next(s for s in project.streams if s.source == f"{id_}.drawn")
    rest = next(s for s in project.streams if s.source == f"{id_}.rest")
    assert drawn.to is None and rest.to == "MIX" and project.stream("recycle").to == id_
    edit.remove(project, id_)
    assert project.stream("recycle").to == "MIX" and solve(project).solved


def test_outlets_follow_a_choice_and_come_back():
    project = document(
        LIGHT,
        [{"id": "R", "kind": "stirred-tank", "set": "main"}, {"id": "H", "kind": "heater"}],
        [feed("f", "R", {"water": "10 kmol/h"}), {"id": "out", "from": "R", "to": "H"}, {"id": "p", "from": "H"}],
    )
    unit = project.unit("R")
    with edit.outlets_kept(project, unit):
        unit.phase = "both"
    made = [s for s in project.streams if s.source == "R.vapour"]
    assert project.stream("out").source == "R.liquid" and project.stream("out").to == "H" and len(made) == 1
    edit.exchange_outlet(project, "out", "vapour")
    assert project.stream("out").source == "R.vapour" and made[0].source == "R.liquid"
    with edit.outlets_kept(project, unit):
        unit.phase = "liquid"
    assert [s.id for s in project.streams if (s.source or "").startswith("R")] == ["out"] and project.stream("out").to == "H"
    with pytest.raises(EditError, match="cannot leave by"):
        edit.exchange_outlet(project, "out", "vapour")


# Feeds


@pytest.mark.parametrize("basis", ["mass", "mole-fractions", "mass-fractions", "mole-ratios", "molar"])
def test_another_basis_keeps_the_amounts(basis):
    """36 kmol/h methanol (32.042 g/mol) and 72 kmol/h water (18.015): 1153.5 and 1297.1 kg/h."""
    project = document(
        LIGHT, [{"id": "M", "kind": "mixer"}], [feed("f", "M", {"methanol": "36 kmol/h", "water": "72 kmol/h"}), {"id": "p", "from": "M"}]
    )
    edit.set_basis(project, "f", basis)
    flow = solve(project).streams["f"].flow
    assert (flow["methanol"], flow["water"]) == (pytest.approx(10.0, rel=1e-9), pytest.approx(20.0, rel=1e-9))
    if basis == "mass":
        assert float(project.stream("f").given.mass_flow["methanol"].split()[0]) == pytest.approx(1153.5, abs=0.1)


def solve_at(project, values):
    """The Solution with some inputs typed otherwise."""
    other = project.model_copy(deep=True)
    for address, text in values.items():
        write(other, address, text)
    edit.turn(other, values)
    return solve(other)


def test_knobs_and_scans_follow_a_feed_into_another_basis():
    """500 kg/h of water typed come back as 500 kg/h, and what turned its moles turns its mass over the same range."""
    project = document(
        LIGHT,
        [{"id": "M", "kind": "mixer"}],
        [feed("f", "M", {"methanol": "36 kmol/h", "water": "72 kmol/h"}), {"id": "p", "from": "M"}],
        knobs=[{"id": "w", "input": "f.flow.water", "low": "50 kmol/h", "high": "100 kmol/h"}],
        gauges=[{"id": "g", "reads": "p.fraction.water"}],
        scans=[{"id": "s", "over": [{"knob": "w", "points": 3, "low": "60 kmol/h"}]}],
    )
    edit.set_basis(project, "f", "mass")
    assert project.knobs[0].input == "f.mass_flow.water"
    assert float(project.knobs[0].high.split()[0]) == pytest.approx(1801.5, abs=0.1)
    assert float(project.scans[0].over[0].low.split()[0]) == pytest.approx(1080.9, abs=0.1)
    assert check(project) == [m for m in check(project) if m.level != "error"]
    project.stream("f").given.mass_flow["water"] = "500 kg/h"
    edit.set_basis(project, "f", "molar")
    edit.set_basis(project, "f", "mass")
    assert project.stream("f").given.mass_flow["water"] == "500 kg/h"
    assert project.knobs[0].high.startswith("1801.")


@pytest.mark.parametrize("before", ["molar", "mass", "mole-fractions", "mass-fractions", "mole-ratios"])
@pytest.mark.parametrize("basis", ["molar", "mass", "mole-fractions", "mass-fractions", "mole-ratios"])
def test_a_knob_turns_the_same_amount_in_any_basis(before, basis):
    """At the ends of its range the feed has, as a composition, what it had: fractions follow from flows turned one at a time."""
    project = document(
        LIGHT,
        [{"id": "M", "kind": "mixer"}],
        [feed("f", "M", {"methanol": "36 kmol/h", "water": "72 kmol/h"}), {"id": "p", "from": "M"}],
        gauges=[{"id": "g", "reads": "p.fraction.water"}],
    )
    edit.set_basis(project, "f", before)
    if before == "mole-ratios":  # counted on water, which is most
        assert project.stream("f").given.to_species == "water"
    key = {"molar": "flow", "mass": "mass_flow", "mole-fractions": "fraction", "mass-fractions": "mass_fraction"}.get(before)
    address, ends = (f"f.{key}.water", ("20 %", "60 %")) if "fractions" in before else (f"f.{key}.water", ("20 kmol/h", "60 kmol/h"))
    if before == "mass":
        ends = ("400 kg/h", "900 kg/h")
    if before == "mole-ratios":
        address, ends = "f.ratio.methanol", ("0.2", "3")
    knob = edit.knob_on(project, address, *ends)
    project.scans.append(ScanEntry(id="s", over=[{"knob": knob.id, "step": ends[0] if before != "mole-ratios" else "0.2"}]))
    points = grid_of(project, project.scans[0]).axes[0].values.size

    def at_ends():
        turned = [solve_at(project, {knob.input: text}).gauges["g"] for text in (knob.low, knob.high)]
        return sorted(turned)

    expected = at_ends()
    assert edit.set_basis(project, "f", basis) == []
    assert at_ends() == pytest.approx(expected, rel=1e-8) and knob.input in addresses(project)
    if basis != before:
        assert project.scans[0].over[0].step is None and project.scans[0].over[0].points == points
    assert not [m for m in check(project) if m.level == "error"]


def test_knobs_of_a_feed_of_one_species_alone():
    """What turns its flow turns the total; what turns a species that is not there yet goes on turning that one."""
    project = document(LIGHT, [{"id": "M", "kind": "mixer"}], [feed("f", "M", {"water": "72 kmol/h"}), {"id": "p", "from": "M"}])
    own, other = (
        edit.knob_on(project, "f.flow.water", "50 kmol/h", "90 kmol/h"),
        edit.knob_on(project, "f.flow.co2", "0 kmol/h", "8 kmol/h"),
    )
    assert edit.set_basis(project, "f", "mole-fractions") == []
    assert (own.input, own.low, own.high) == ("f.total", "50 kmol/h", "90 kmol/h")
    assert (other.input, other.low, other.high) == ("f.fraction.co2", "0 %", "10 %")
    assert edit.set_basis(project, "f", "molar") == []
    assert (own.input, own.high) == ("f.flow.water", "90 kmol/h") and (other.input, other.high) == ("f.flow.co2", "8 kmol/h")
    edit.set_basis(project, "f", "mole-fractions")
    share = edit.knob_on(project, "f.fraction.water", "50 %", "100 %")
    assert edit.set_basis(project, "f", "molar") == [share]  # the others would have to come from nowhere


def test_a_knob_on_a_total_that_is_not_typed_any_more_is_told_of():
    project = document(
        LIGHT, [{"id": "M", "kind": "mixer"}], [feed("f", "M", {"methanol": "36 kmol/h", "water": "72 kmol/h"}), {"id": "p", "from": "M"}]
    )
    edit.set_basis(project, "f", "mole-fractions")
    knob = edit.knob_on(project, "f.total", "50 kmol/h", "150 kmol/h")
    assert edit.set_basis(project, "f", "mass-fractions") == [] and knob.low.endswith("kg/h")
    assert edit.set_basis(project, "f", "molar") == [knob]


@pytest.mark.parametrize(("text", "n"), [("1000 kg/h", 31.21), ("1 t/h", 31.21), ("5 kmol/h", 5.0), ("2 barrels", None)])
def test_a_flow_in_the_other_basis_is_converted(text, n):
    project = document(LIGHT, [], [feed("f", None, {"methanol": "1 kmol/h"})])
    got = in_basis(project, "f.flow.methanol", text, "molar flow")
    assert got == text if n is None else float(got.split()[0]) == pytest.approx(n, abs=0.01)


def test_air_is_filled_in():
    project = document({"nitrogen": "7727-37-9", "o2": "7782-44-7"}, [], [feed("f", None, {"nitrogen": "100 kmol/h"})])
    edit.add_air(project)
    assert project.species[-1].cas == "7440-37-1"
    edit.fill_with_air(project, "f")
    given = project.stream("f").given
    assert given.basis == "mole-fractions" and given.total == "100 kmol/h"
    shares = {k: float(v.split()[0]) for k, v in given.fraction.items()}
    assert sum(shares.values()) == pytest.approx(100.0, abs=1e-3) and shares["o2"] == pytest.approx(20.96, abs=0.02)


# Failures


def test_what_does_not_depend_on_a_failure_stands_and_the_rest_says_on_what():
    units = [
        {"id": "H", "kind": "heater", "temperature": "60 degC"},
        {"id": "V", "kind": "heater", "mode": "duty", "duty": "0 kW", "pressure_drop": "90 bar"},
        {"id": "C", "kind": "heater", "temperature": "30 degC"},
    ]
    s = solve(
        document(
            LIGHT,
            units,
            [
                feed("f", "H", {"water": "10 kmol/h"}),
                {"id": "a", "from": "H", "to": "V"},
                {"id": "b", "from": "V", "to": "C"},
                {"id": "c", "from": "C"},
            ],
        )
    )
    assert not s.solved and s.units["H"].solved and s.streams["a"].temperature == pytest.approx(333.15)
    assert not s.units["V"].solved and s.units["V"].waits_for is None and s.units["C"].waits_for == "V"
    assert "b" not in s.streams and "c" not in s.streams


# Gauges that read formulas


def test_a_gauge_reads_a_ratio_and_can_be_a_target():
    data = demo().dump()
    data["gauges"].append(
        {
            "id": "per",
            "reads": "gauge.per",
            "formula": "product.flow.ethanol / product.flow.water",
            "label": "ethanol per water",
        }
    )
    data["knobs"].append({"id": "T", "input": "COOL.temperature", "low": "30 degC", "high": "80 degC"})
    plain = solve(load(data))
    product = plain.streams["product"].flow
    assert plain.gauges["per"] == pytest.approx(product["ethanol"] / product["water"], rel=1e-12)
    wanted = 0.995 * plain.gauges["per"]
    data["targets"] = [{"id": "t", "gauge": "per", "knob": "T", "value": f"{wanted:.6f}"}]
    aimed = solve(load(data))
    assert aimed.complete and aimed.gauges["per"] == pytest.approx(wanted, rel=1e-5), [m.what for m in aimed.messages]


@pytest.mark.parametrize(
    ("formula", "said"),
    [
        ("product.flow.ethanol + product.temperature", "formula of gauge"),
        ("nowhere.flow", "formula of gauge"),
        ("product.flow.ethanol * product.flow.ethanol", "in a unit that no quantity here has"),
    ],
)
def test_a_gauge_formula_that_cannot_be_read_is_refused(formula, said):
    with pytest.raises(EditError, match=said):
        edit.gauge_on_formula(demo(), formula)


# Constants and orders


def test_a_constant_has_no_value_until_it_is_typed():
    project = demo()
    edit.set_equilibrium(project, "hydration", "source", "constant")
    assert any("no value is typed yet" in e for e in errors(project))
    edit.set_equilibrium(project, "hydration", "source", "formula")
    assert any("formula is empty" in e for e in errors(project))
    edit.set_equilibrium(project, "hydration", "b", "5000")
    assert not errors(project)


def test_a_rate_law_has_no_constant_until_it_is_typed():
    project = demo()
    edit.add_rate(project, "hydration")
    (said,) = errors(project)
    assert "k is empty" in said and "orders add to 2" in said and "L/mol/s" in said
    edit.set_rate(project, "hydration", "forward.k", "2 L/mol/s")
    assert not errors(project)


def test_an_order_typed_as_zero_is_an_answer():
    project = demo()
    edit.add_rate(project, "hydration")
    edit.set_rate(project, "hydration", "forward.k", "2 1/s")
    edit.set_order(project, "hydration", "ethylene", "1")
    edit.set_order(project, "hydration", "water", "")
    warned = [m.what for m in check(project) if "has no order in it" in m.what]
    assert len(warned) == 1 and "water" in warned[0]
    edit.set_order(project, "hydration", "water", "0")
    assert not [m for m in check(project) if "has no order in it" in m.what]


@pytest.mark.parametrize("typed", [{"source": "constant"}, {"source": "formula"}, {"source": "table"}])
def test_a_typed_constant_in_fugacities_serves_a_liquid_like_one_from_gibbs_energies(typed):
    """The same K, from Gibbs energies and typed, gives the same liquid (identity)."""
    streams = [feed("f", "R", {"a": "10 kmol/h"}, T="60 degC", P="20 bar"), {"id": "p", "from": "R"}]
    unit = {"id": "R", "kind": "equilibrium-reactor", "set": "main", "mixture": "liquid"}

    def isomers(equilibrium):
        reaction = {"id": "r1", "equation": "a = b"} | ({"equilibrium": equilibrium} if equilibrium else {})
        return solve(
            document(
                {"a": "106-97-8", "b": "75-28-5"},
                [unit],
                streams,
                [reaction],
                [{"id": "main", "steps": [["r1"]]}],
                "peng-robinson",
            )
        )

    own = isomers(None)
    ln_k = own.units["R"].reactions[0]["ln_k"]
    k = {
        "value": repr(2.718281828459045**ln_k),
        "a": repr(ln_k),
        "table": f"60 degC {2.718281828459045**ln_k!r}; 90 degC 2",
    }
    asked = typed | {
        {"constant": "value", "formula": "a", "table": "table"}[typed["source"]]: k[
            {"constant": "value", "formula": "a", "table": "table"}[typed["source"]]
        ]
    }
    got = isomers(asked)
    assert got.solved, [m.what for m in got.messages]
    assert got.streams["p"].flow["b"] == pytest.approx(own.streams["p"].flow["b"], rel=1e-9)
    assert "fugacities over 1 bar" in got.units["R"].reactions[0]["basis"]


# Files and commands


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda d: d["units"][2].__setitem__("heat", "adiabatic"), 'write for example {"mode": "adiabatic"}'),
        (lambda d: d["units"][1].__setitem__("temperature", 300), "the number 300 stands bare"),
        (lambda d: d["units"][2]["heat"].__setitem__("mode", "hot"), '"hot" is not one of'),
        (lambda d: d.__setitem__("streams", {}), "list in square brackets"),
        (lambda d: d["closing"].__setitem__("max_passes", 0), "must be at least 1"),
        (lambda d: d["units"][0].__setitem__("id", "9x"), "beginning with a letter"),
    ],
)
def test_a_mistake_in_a_file_is_a_sentence(change, said):
    data = demo().dump()
    change(data)
    with pytest.raises(DocumentError) as told:
        load(data)
    assert said in str(told.value) and "Input should" not in str(told.value) and "instance" not in str(told.value)


@pytest.fixture
def file(tmp_path):
    def write(data):
        path = tmp_path / "project.json"
        path.write_text(json.dumps(data), encoding="utf-8")
        return str(path)

    return write


def test_a_variants_edit_without_a_place_is_named_and_fails(file, capsys):
    data = demo().dump()
    data["variants"] = [{"id": "v", "name": "hotter", "edits": [{"at": "units/R9/heat/temperature", "to": "300 degC"}]}]
    for command in (["solve"], ["check"], ["scan"]):
        assert run(parser(), [*command, file(data), "--variant", "hotter"]) == 1
        assert "its edit of units R9 heat temperature finds no place" in capsys.readouterr().err
    assert run(parser(), ["solve", file(data), "--variant", "base"]) == 0


def test_addresses_are_listed_and_found_by_words(file, capsys):
    assert run(parser(), ["addresses", file(demo().dump()), "purge", "ethane"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert any("purge.flow.ethane" in line for line in lines) and all("purge" in line.lower() for line in lines)


def test_output_may_be_cut_short(file):
    """`gulch solve FILE | head -1` says nothing of pipes."""
    command = f"{sys.executable} -m gulch.main solve {file(demo().dump())} --json | head -1"
    done = subprocess.run(["bash", "-c", command], capture_output=True, text=True, timeout=120)
    assert done.stdout.strip() and "Traceback" not in done.stderr and "Broken" not in done.stderr


def test_a_tie_between_two_inputs_is_no_loop():
    project = load(demo().dump() | {"ties": [{"sets": "water_feed.flow.water", "formula": "1.3 * ethylene_feed.flow.ethylene"}]})
    solution = solve(project)
    assert solution.solved and len(solution.loops) == 1 and solution.loops[0].tears


def test_sentences_name_species_as_the_user_does():
    species = [
        {"id": "co_gas", "cas": "630-08-0", "name": "carbon monoxide"},
        {"id": "h2", "cas": "1333-74-0"},
        {"id": "meoh", "cas": "67-56-1"},
    ]
    data = document(
        {},
        [{"id": "R", "kind": "stoichiometric-reactor", "set": "main"}],
        [feed("co_gas_feed", "R", {"co_gas": "1 kmol/h", "h2": "9 kmol/h"}), {"id": "p", "from": "R"}],
        [{"id": "r1", "equation": "co_gas + 2 h2 = meoh", "conversion": {"key": "h2", "value": "80 %"}}],
        [{"id": "main", "steps": [["r1"]]}],
    ).dump() | {"species": species}
    said = " ".join(f"{m.what} {m.todo}" for m in solve(load(data)).messages)
    assert "carbon monoxide is used up" in said and "co_gas_feed" not in said.replace("co_gas_feed:", "") and "co_gas " not in said


def test_a_name_that_holds_its_own_id_is_not_written_twice():
    from gulch.demo import projects

    said = " ".join(m.what for m in solve(projects()[3]).messages)
    assert "acetic anhydride" in said and "acetic acetic" not in said


def test_what_a_variant_changes_is_told_in_the_words_of_the_form():
    base = demo()
    other = base.model_copy(deep=True)
    other.unit("R1").heat.mode = "adiabatic"
    other.reaction_sets[0].steps = [["hydration", "etherification"]]
    told = [variants.words(base, e) for e in variants.differences(base.dump(), other.dump())]
    modes = KINDS[base.unit("R1").kind].mode.options
    assert (f"unit R1, {KINDS[base.unit('R1').kind].mode.label.lower()}", modes["isothermal"], modes["adiabatic"]) in told
    assert not any("other entries" in text for row in told for text in row)


def test_a_conversion_that_another_species_stops_is_counted_on_that_one():
    """HCl runs out before the NaOH that the conversion counts on: more HCl would be the opposite of washing it out."""
    project = document(
        {"HCl": "7647-01-0", "NaOH": "1310-73-2", "NaCl": "7647-14-5", "water": "7732-18-5"},
        [{"id": "R", "kind": "stoichiometric-reactor", "set": "main"}],
        [feed("f", "R", {"HCl": "1 kmol/h", "NaOH": "2 kmol/h", "water": "50 kmol/h"}), {"id": "p", "from": "R"}],
        [{"id": "r1", "equation": "HCl + NaOH = NaCl + water", "conversion": {"key": "NaOH", "value": "100 %"}}],
        [{"id": "main", "steps": [["r1"]]}],
    )
    said = next(m for m in solve(project).messages if "is used up" in m.what)
    assert "Count the conversion on HCl, which runs out before NaOH does" in said.todo
    nu = np.array([-1.0, -1.0, 1.0, 1.0])
    assert edit.limiting_reactant(project, nu) == "HCl"


@pytest.mark.skipif(not os.path.exists("/dev/full"), reason="no device that is always full")
def test_a_full_disk_under_the_output_is_a_sentence(tmp_path):
    file = tmp_path / "p.json"
    file.write_text(json.dumps(demo().dump()))
    with open("/dev/full", "w") as full:
        said = subprocess.run([sys.executable, "-m", "gulch.main", "solve", str(file)], stdout=full, stderr=subprocess.PIPE, text=True)
    assert said.returncode == 1 and "could not be written: No space left" in said.stderr and "Traceback" not in said.stderr


def test_a_gauge_that_divides_by_zero_says_so():
    project = demo()
    project.gauges = [
        *project.gauges,
        GaugeEntry(id="q", reads="gauge.q", formula="product.flow / water_feed.flow.ethane", label="quotient"),
    ]
    solution = solve(project)
    assert solution.gauges["q"] is None
    said = next(m for m in solution.messages if "quotient has no value" in m.what)
    assert "divides by zero" in said.what and "water_feed.flow.ethane is 0" in said.what


def test_a_bound_that_may_not_be_reached_is_not_said_to_be_passed():
    project = document(
        LIGHT,
        [{"id": "C", "kind": "shortcut-column", "light_key": "methanol", "heavy_key": "water", "light_recovery": "100 %"}],
        [
            feed("f", "C", {"methanol": "1 kmol/h", "water": "1 kmol/h"}),
            {"id": "d", "from": "C.distillate"},
            {"id": "b", "from": "C.bottoms"},
        ],
    )
    said = [what for what in errors(project) if "100 %" in what]
    assert len(said) == 1 and "has to stay below that" in said[0] and "above" not in said[0]


WATER = {"format": "gulch-project", "version": 1, "name": "w", "species": [{"id": "water", "cas": "7732-18-5"}]}
FED = WATER | {"streams": [{"id": "f", "given": {"flow": {"water": "1 kmol/h"}}}]}
HEATED = WATER | {
    "streams": [{"id": "f", "to": "H", "given": {"flow": {"water": "1 kmol/h"}}}, {"id": "p", "from": "H"}],
    "units": [{"id": "H", "kind": "heater"}],
}


@pytest.mark.parametrize(
    "data",
    [{"format": "gulch-project", "version": 1, "name": "e"}, WATER, FED, HEATED, HEATED | {"gauges": [{"id": "g", "reads": "no.such"}]}]
    + [HEATED | {"units": [{"id": "H", "kind": "heater", "temperature": "36 foo"}]}, HEATED | {"species": []}],
)
def test_check_and_solve_end_alike(tmp_path, data, capsys):
    """What `check` lets pass `solve` solves, here where nothing else can go wrong; what it stops is not solved."""
    file = tmp_path / "p.json"
    file.write_text(json.dumps(data))
    assert run(parser(), ["check", str(file)]) == run(parser(), ["solve", str(file)])
    capsys.readouterr()
    code = run(parser(), ["best", str(file), "--json"])
    assert code == 1 and set(json.loads(capsys.readouterr().out)) == {"error"}
    assert run(parser(), ["best", str(file), "--json", "--search", "none"]) == 2
    assert "no search none" in json.loads(capsys.readouterr().out)["error"]
    assert run(parser(), ["scan", str(file)]) == 2
