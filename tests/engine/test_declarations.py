"""Nets over the declarations of all unit kinds: every input moves some result, every result has a value, random feeds close."""

import copy
import math
import zlib

import numpy as np
import pytest

from gulch.engine.declared.declarations import Choice, PerReaction, PerSpecies, PerStage, ReactionSet, SpeciesChoice
from gulch.engine.document import load
from gulch.engine.explain import solve
from gulch.engine.project.edit import complete_streams
from gulch.engine.units import KINDS

GAS = {"ethylene": "74-85-1", "water": "7732-18-5", "ethanol": "64-17-5", "nitrogen": "7727-37-9"}
AROMATICS = {"benzene": "71-43-2", "toluene": "108-88-3", "xylene": "95-47-6"}
ALCOHOL = {"methanol": "67-56-1", "water": "7732-18-5"}
HOT = {
    "temperature": "300 degC",
    "pressure": "70 bar",
    "flow": {"ethylene": "100 kmol/h", "water": "60 kmol/h", "nitrogen": "5 kmol/h"},
}
BOILING = {"temperature": "92 degC", "pressure": "1 bar", "flow": {"benzene": "40 kmol/h", "toluene": "60 kmol/h"}}
WET = {"temperature": "75 degC", "pressure": "2 bar", "flow": {"methanol": "30 kmol/h", "water": "70 kmol/h"}}
DRY = {"temperature": "150 degC", "pressure": "2 bar", "flow": {"methanol": "30 kmol/h", "water": "70 kmol/h"}}
HYDRATION = {
    "id": "hydration",
    "equation": "ethylene + water = ethanol",
    "conversion": {"key": "ethylene", "value": "5 %"},
    "rate": {
        "basis": "concentration",
        "per": "fluid",
        "reverse": "equilibrium",
        "forward": {"k": "2e-6 m3/(mol s)", "energy": "60 kJ/mol", "at": "300 degC"},
    },
}
PER_SURFACE = HYDRATION | {
    "rate": HYDRATION["rate"] | {"per": "surface", "forward": HYDRATION["rate"]["forward"] | {"k": "2e-8 m^6/(mol m2 s)"}}
}
PER_CATALYST = HYDRATION | {
    "rate": HYDRATION["rate"] | {"per": "catalyst", "forward": HYDRATION["rate"]["forward"] | {"k": "2e-9 m^6/(mol kg s)"}}
}

# kind -> (species, feed, what the unit needs to run)
BASE = {
    "batch-reactor": (GAS, HOT, {"set": "main"}),
    "semi-batch-reactor": (GAS, HOT, {"set": "main", "time": "1 h"}),
    "multibed-converter": (GAS, HOT, {"set": "main"}),
    "quench-converter": (GAS, HOT, {"set": "main"}),
    "equilibrium-reactor": (GAS, HOT, {"set": "main"}),
    "gibbs-reactor": (GAS, HOT, {"set": "main"}),
    "plug-flow": (GAS, HOT, {"set": "main", "diameter": "0.5 m"}),
    "side-fed-tube": (GAS, HOT, {"set": "main", "diameter": "0.5 m"}),
    "membrane-reactor": (GAS, HOT, {"set": "main", "permeance": {"ethanol": "1e-9 mol/(m2 s Pa)"}}),
    "recycle-reactor": (GAS, HOT, {"set": "main", "diameter": "0.5 m"}),
    "tanks-in-series": (GAS, HOT, {"set": "main"}),
    "dispersed-tube": (GAS, HOT, {"set": "main"}),
    "residence-time-reactor": (GAS, HOT, {"set": "main", "tracer": "0 s 0; 10 s 4; 60 s 0"}),
    "stirred-tank": (GAS, HOT, {"set": "main", "phase": "vapour"}),
    "stoichiometric-reactor": (GAS, HOT, {"set": "main"}),
    "electrolytic-reactor": (GAS, HOT, {"set": "main", "voltage": "2 V", "electrons": {"hydration": "2"}}),
    "decanter": (ALCOHOL, WET, {"share": {"methanol": "80 %", "water": "10 %"}}),
    "flash-drum": (AROMATICS, BOILING, {}),
    "three-phase-separator": (AROMATICS, BOILING, {}),
    "shortcut-column": (AROMATICS, BOILING, {"light_key": "benzene", "heavy_key": "toluene"}),
    "species-separator": (ALCOHOL, WET, {"share": {"methanol": "80 %"}}),
    "washer": (GAS, HOT | {"temperature": "60 degC", "pressure": "5 bar"}, {"share": {"ethylene": "100 %", "nitrogen": "100 %"}}),
    "exchanger": (ALCOHOL, DRY, {}),
    "heater": (ALCOHOL, WET, {}),
    "compressor": (ALCOHOL, DRY, {}),
    "expander": (ALCOHOL, DRY, {}),
    "pump": (ALCOHOL, WET, {}),
    "valve": (ALCOHOL, WET, {}),
    "mixer": (ALCOHOL, WET, {}),
    "splitter": (ALCOHOL, WET, {}),
}

AGEING = {"ageing": "order", "on_stream": "800 h", "bulk_density": "800 kg/m3"}
PELLETS = {"pellet": "sphere", "pellet_size": "40 mm", "diffusivity": "1e-8 m2/s", "void": "40 %", "bulk_density": "800 kg/m3"}
OF_CATALYSTS = (
    *("bulk_density", "surface", "activity", "on_stream", "decay", "decay_order", "pellet_size", "diffusivity", "porosity", "tortuosity"),
    *("pellet_density", "film_coefficient", "fluid_diffusivity", "fluid_viscosity"),
)

# (kind, input) -> (what else the unit needs for it to count, one value, another); None for "left out"
CHANGES = {
    ("*", "temperature"): ({"mode": "isothermal"}, "300 degC", "320 degC"),
    ("*", "duty"): ({"mode": "duty"}, "0 kW", "100 kW"),
    ("*", "pressure_drop"): ({}, "0 bar", "0.5 bar"),
    ("*", "approach"): ({}, "0 K", "15 K"),
    ("electrolytic-reactor", "voltage"): ({}, "2 V", "1.5 V"),
    ("electrolytic-reactor", "electrons"): ({}, "2", "1"),
    ("*", "void"): ({}, "100 %", "40 %"),
    ("*", "volume"): ({}, "1 m3", "2 m3"),
    ("*", "conductance"): ({}, "1 kW/K", "3 kW/K"),
    ("*", "coolant"): ({}, "25 degC", "200 degC"),
    ("*", "efficiency"): ({}, "75 %", "60 %"),
    ("equilibrium-reactor", "own_approach"): ({}, None, "15 K"),
    ("equilibrium-reactor", "held_extent"): ({"runs": {"hydration": "extent"}}, "1 kmol/h", "2 kmol/h"),
    ("gibbs-reactor", "held_extent"): ({}, None, "2 kmol/h"),
    ("gibbs-reactor", "inert"): ({}, None, "50 %"),
    ("plug-flow", "pressure_drop"): ({"falls": "drop"}, "0 bar", "5 bar"),
    ("plug-flow", "bulk_density"): ({}, "800 kg/m3", "1000 kg/m3"),
    ("stirred-tank", "bulk_density"): ({}, "800 kg/m3", "1000 kg/m3"),
    ("*", "bulk_density"): ({"volume": "2 m3"}, "800 kg/m3", "900 kg/m3"),
    ("*", "velocity"): ({"size_by": "gas"}, "1000 1/h", "2000 1/h"),
    ("*", "typed_time"): ({"size_by": "space-time"}, "10 s", "20 s"),
    ("*", "surface"): ({}, "100 m2/m3", "120 m2/m3"),
    ("plug-flow", "length"): ({"size_by": "length"}, "5 m", "7 m"),
    ("plug-flow", "catalyst_mass"): ({"size_by": "catalyst", "bulk_density": "800 kg/m3"}, "800 kg", "1600 kg"),
    ("plug-flow", "diameter"): ({"size_by": "length"}, "0.5 m", "0.7 m"),
    ("plug-flow", "tubes"): ({"size_by": "length"}, "1", "3"),
    ("plug-flow", "heating"): ({"mode": "per-length"}, "0 kW/m", "10 kW/m"),
    ("plug-flow", "conductance"): ({"mode": "coolant"}, "1 kW/K", "3 kW/K"),
    ("plug-flow", "coolant"): ({"mode": "coolant"}, "25 degC", "200 degC"),
    ("plug-flow", "capacity"): ({"mode": "cocurrent"}, "10 kW/K", "2 kW/K"),
    ("plug-flow", "particle"): ({"falls": "ergun", "void": "40 %"}, "3 mm", "2 mm"),
    ("plug-flow", "viscosity"): ({"falls": "ergun", "void": "40 %", "particle": "0.3 mm"}, "0.02 mPa s", "0.2 mPa s"),
    **{
        (kind, name): row
        for kind in ("batch-reactor", "semi-batch-reactor")
        for name, row in {
            "vessel": ({}, "1 m3", "2 m3"),
            "batches": ({"size_by": "batches"}, "4 1/d", "8 1/d"),
            "filling": ({"phase": "liquid"}, "80 %", "60 %"),
            "time": ({}, "1 h", "2 h"),
            "target": ({"until": "conversion", "mode": "isothermal", "temperature": "200 degC"}, "1 %", "2 %"),
            "stop_at": ({"until": "temperature", "mode": "adiabatic"}, "300.5 degC", "300.6 degC"),
            "area": ({"mode": "jacket", "coolant": "250 degC"}, "5 m2", "6 m2"),
            "coefficient": ({"mode": "jacket", "coolant": "250 degC"}, "400 W/(m2 K)", "500 W/(m2 K)"),
            "coolant": ({"mode": "jacket"}, "250 degC", "260 degC"),
            "duty": ({"mode": "duty"}, "0 kW", "1 kW"),
            "capacity": ({"mode": "jacket", "coolant": "250 degC"}, None, "0.2 kW/K"),
            "course": ({"mode": "course"}, "0 min 300 degC", "0 min 300 degC; 30 min 320 degC"),
            "heating_time": ({}, "0 min", "20 min"),
            "idle_time": ({}, "0 min", "20 min"),
            "cleaning_time": ({}, "0 min", "20 min"),
            "bulk_density": ({}, "800 kg/m3", "900 kg/m3"),
        }.items()
    },
    ("semi-batch-reactor", "target"): (
        {"until": "conversion", "mode": "isothermal", "temperature": "200 degC", "dose_for": "1 min"},
        "5 %",
        "6 %",
    ),
    ("semi-batch-reactor", "stop_at"): ({"until": "temperature", "mode": "adiabatic", "dose_for": "1 min"}, "325 degC", "326 degC"),
    **{
        (kind, name): row
        for kind in ("multibed-converter", "quench-converter")
        for name, row in {
            "volume": ({}, "1 m3", "2 m3"),
            "catalyst_mass": ({"size_by": "catalyst", "bulk_density": "800 kg/m3"}, "800 kg", "1600 kg"),
            "inlet": ({}, None, "320 degC"),
            "drop": ({}, "0 bar", "0.5 bar"),
            "cold_share": ({}, "50 %", "30 %"),
            "conductance": ({"mode": "coolant"}, "1 kW/K", "3 kW/K"),
            "coolant": ({"mode": "coolant"}, "25 degC", "200 degC"),
            "bulk_density": ({}, "800 kg/m3", "900 kg/m3"),
        }.items()
    },
    ("semi-batch-reactor", "dose_from"): ({}, "0 min", "10 min"),
    ("semi-batch-reactor", "dose_for"): ({}, "30 min", "10 min"),
    ("semi-batch-reactor", "doses_typed"): ({"dosing": "course"}, "0 min 0 %; 30 min 100 %", "0 min 0 %; 10 min 90 %; 30 min 100 %"),
    ("stirred-tank", "time"): ({"size_by": "time"}, "1 min", "2 min"),
    ("stirred-tank", "target"): ({"size_by": "conversion"}, "1 %", "2 %"),
    ("stirred-tank", "conductance"): ({"mode": "jacket"}, "1 kW/K", "3 kW/K"),
    ("stirred-tank", "coolant"): ({"mode": "jacket"}, "25 degC", "200 degC"),
    ("decanter", "temperature"): ({}, None, "40 degC"),
    ("decanter", "share"): ({}, "80 %", "60 %"),
    ("flash-drum", "temperature"): ({"mode": "temperature"}, "91 degC", "93 degC"),
    ("three-phase-separator", "temperature"): ({"mode": "temperature"}, "91 degC", "93 degC"),
    ("*", "pressure"): ({}, None, "0.8 bar"),
    ("shortcut-column", "light_recovery"): ({}, "99 %", "98 %"),
    ("shortcut-column", "heavy_recovery"): ({}, "99 %", "98 %"),
    ("shortcut-column", "light_in_bottoms"): ({"keys_by": "composition"}, "1 %", "2 %"),
    ("shortcut-column", "heavy_in_distillate"): ({"keys_by": "composition"}, "1 %", "2 %"),
    ("shortcut-column", "multiple"): ({}, "1.3", "1.5"),
    ("shortcut-column", "reflux"): ({"reflux_by": "ratio"}, "3", "4"),
    ("shortcut-column", "top_pressure"): ({}, None, "0.9 bar"),
    ("shortcut-column", "bottom_pressure"): ({}, None, "1.2 bar"),
    ("species-separator", "share"): ({}, "80 %", "60 %"),
    ("species-separator", "first_temperature"): ({}, None, "40 degC"),
    ("species-separator", "second_temperature"): ({}, None, "40 degC"),
    ("species-separator", "first_pressure"): ({}, None, "1 bar"),
    ("species-separator", "second_pressure"): ({}, None, "1 bar"),
    ("washer", "share"): ({}, "100 %", "90 %"),
    ("washer", "temperature"): ({}, None, "40 degC"),
    ("exchanger", "approach"): ({}, "10 K", "20 K"),
    ("exchanger", "conductance"): ({"mode": "conductance"}, "5 kW/K", "8 kW/K"),
    ("exchanger", "cold_outlet"): ({"mode": "cold"}, "50 degC", "60 degC"),
    ("exchanger", "hot_outlet"): ({"mode": "hot"}, "140 degC", "130 degC"),
    ("exchanger", "duty"): ({"mode": "duty"}, "10 kW", "20 kW"),
    ("exchanger", "hot_drop"): ({}, "0 bar", "0.5 bar"),
    ("exchanger", "cold_drop"): ({}, "0 bar", "0.5 bar"),
    ("heater", "temperature"): ({}, "90 degC", "80 degC"),
    ("*", "activity"): ({"bulk_density": "800 kg/m3"}, "100 %", "50 %"),
    ("*", "on_stream"): (AGEING, "100 h", "900 h"),
    ("*", "decay"): (AGEING, "1e-3 1/h", "2e-3 1/h"),
    ("*", "decay_order"): (AGEING, "1", "3"),
    ("*", "pellet_size"): (PELLETS, "30 mm", "60 mm"),
    ("*", "diffusivity"): (PELLETS, "1e-8 m2/s", "1e-9 m2/s"),
    ("*", "porosity"): (PELLETS, None, "30 %"),
    ("*", "tortuosity"): (PELLETS | {"porosity": "50 %"}, "3", "6"),
    ("*", "pellet_density"): (PELLETS, None, "3000 kg/m3"),
    ("*", "film_coefficient"): (PELLETS | {"film": "given"}, "1e-6 m/s", "1e-7 m/s"),
    ("plug-flow", "fluid_diffusivity"): (PELLETS | {"film": "bed"}, "1e-10 m2/s", "1e-11 m2/s"),
    ("plug-flow", "fluid_viscosity"): (PELLETS | {"film": "bed", "fluid_diffusivity": "1e-11 m2/s"}, "0.02 mPa s", "0.5 mPa s"),
    ("heater", "vapour_fraction"): ({"mode": "vapour-fraction"}, "40 %", "60 %"),
    ("compressor", "pressure"): ({}, "4 bar", "6 bar"),
    ("compressor", "stages"): ({"pressure": "8 bar", "between": "160 degC"}, "1", "2"),
    ("compressor", "between"): ({"pressure": "8 bar", "stages": "2"}, "160 degC", "180 degC"),
    ("pump", "pressure"): ({}, "4 bar", "6 bar"),
    ("splitter", "drawn"): ({}, "10 %", "20 %"),
    ("splitter", "second"): ({}, "10 %", "20 %"),
    ("splitter", "third"): ({"second": "10 %"}, "10 %", "20 %"),
}
CHANGES |= {("side-fed-tube", name): row for (kind, name), row in CHANGES.items() if kind == "plug-flow"}
CHANGES |= {("recycle-reactor", name): row for (kind, name), row in CHANGES.items() if kind == "plug-flow"}
CHANGES |= {
    ("recycle-reactor", "returned"): ({}, "1", "3"),
    ("membrane-reactor", "area"): ({}, "100 m2", "200 m2"),
    ("membrane-reactor", "permeance"): ({}, "1e-9 mol/(m2 s Pa)", "2e-9 mol/(m2 s Pa)"),
    ("dispersed-tube", "peclet"): ({"volume": "20 m3"}, "20", "2"),
    ("residence-time-reactor", "tracer"): ({}, "0 s 0; 10 s 4; 60 s 0", "0 s 0; 10 s 4; 90 s 0"),
}
CHANGES |= {
    (kind, "bulk_density"): ({}, "800 kg/m3", "1000 kg/m3")
    for kind in ("dispersed-tube", "tanks-in-series", "residence-time-reactor", "membrane-reactor")
}
# Inputs that only say where something is looked for: test_kinetics.py turns them.
ELSEWHERE = {
    ("plug-flow", "limit"),
    ("side-fed-tube", "limit"),
    ("recycle-reactor", "limit"),
    *(("recycle-reactor", name) for name in ("pressure_drop", "particle", "viscosity")),  # refused: test_not_ideal.py
    *((kind, "limit") for kind in ("multibed-converter", "quench-converter")),
    *((kind, name) for kind in ("batch-reactor", "semi-batch-reactor") for name in ("limit", "longest", "void")),  # test_batches.py
    ("stirred-tank", "near"),
    ("stirred-tank", "search_low"),
    ("stirred-tank", "search_high"),
}


def project(kind, with_=(), given=None, reaction=HYDRATION):
    species, feed, needs = BASE[kind]
    streams = [{"id": "feed", "to": "U", "given": given or feed}]
    if kind == "exchanger":
        cold = {"temperature": "20 degC", "pressure": "3 bar", "flow": {"water": "30 kmol/h"}}
        streams = [{"id": "feed", "to": "U.hot", "given": given or feed}, {"id": "cold", "to": "U.cold", "given": cold}]
    if kind == "membrane-reactor":
        sweep = HOT | {"pressure": "60 bar", "flow": {"nitrogen": "50 kmol/h"}}
        streams = [{"id": "feed", "to": "U.feed", "given": given or feed}, {"id": "sweep", "to": "U.sweep", "given": sweep}]
    if kind == "side-fed-tube":
        side = HOT | {"flow": {"water": "20 kmol/h"}}
        streams = [{"id": "feed", "to": "U.feed", "given": given or feed}, {"id": "side", "to": "U.side", "given": side}]
    if kind == "quench-converter":
        cold = HOT | {"temperature": "250 degC", "flow": {"ethylene": "20 kmol/h", "water": "10 kmol/h"}}
        streams = [{"id": "feed", "to": "U.feed", "given": given or feed}, {"id": "cold", "to": "U.cold", "given": cold}]
    if kind == "semi-batch-reactor":
        water = HOT | {"flow": {"water": "5 kmol/h"}}
        streams = [{"id": "feed", "to": "U.charge", "given": given or feed}, {"id": "dosed", "to": "U.dosed", "given": water}]
    if kind == "mixer":
        streams.append({"id": "other", "to": "U", "given": WET | {"pressure": "1.5 bar"}})
    out = load(
        {
            "format": "gulch-project",
            "version": 1,
            "species": [{"id": i, "cas": c} for i, c in species.items()],
            "phase_model": {"kind": "peng-robinson"},
            "streams": streams,
            "units": [_nested({"id": "U", "kind": kind} | needs | dict(with_))],
            "reactions": [reaction] if species is GAS else [],
            "reaction_sets": [{"id": "main", "steps": [["hydration"]]}] if species is GAS else [],
            "measures": {"key": "ethylene", "product": "ethanol"} if species is GAS else None,
        }
    )
    complete_streams(out)
    return out


def _nested(unit):
    """Entries of declared groups put where the document wants them."""
    out = copy.deepcopy(unit)
    for d in KINDS[unit["kind"]].inputs():
        key = d.name.removesuffix("_given")
        if getattr(d, "group", None) and key in out:
            out.setdefault(d.group, {})[key] = out.pop(key)
    return out


def figures(solution):
    """Every number of a solution, by where it stands."""
    assert solution.solved, [m.what for m in solution.messages if m.level == "error"]
    out = {}
    for name, value in solution.units["U"].values.items():
        out |= {(name, k): v for k, v in (value.items() if isinstance(value, dict) else [("", value)]) if isinstance(v, float)}
    for id_, s in solution.streams.items():
        out |= {(id_, "T"): s.temperature, (id_, "P"): s.pressure, (id_, "H"): s.enthalpy_flow}
        out |= {(id_, i): n for i, n in s.flow.items()}
    return {k: v for k, v in out.items() if v is not None}


def inputs():
    for kind, cls in KINDS.items():
        for d in cls.inputs():
            if not isinstance(d, Choice | ReactionSet | SpeciesChoice) and not (isinstance(d, PerReaction) and d.options):
                yield kind, d


@pytest.mark.parametrize(
    ("kind", "declared"), [pytest.param(k, d, id=f"{k}-{d.name}") for k, d in inputs() if (k, d.name) not in ELSEWHERE]
)
def test_every_input_moves_some_result(kind, declared):
    name = declared.name.removesuffix("_given")
    with_, *values = CHANGES.get((kind, name)) or CHANGES["*", name]
    found = []
    reaction = PER_SURFACE if name == "surface" else PER_CATALYST if name in OF_CATALYSTS else HYDRATION
    for text in values:
        if isinstance(declared, PerSpecies | PerReaction | PerStage):
            of_stage = str(declared.first) if isinstance(declared, PerStage) else ""
            item = of_stage or ("hydration" if isinstance(declared, PerReaction) else next(iter(BASE[kind][0])))
            more = {name: dict(BASE[kind][2].get(name, {})) | ({item: text} if text else {})}
        else:
            more = {name: text} if text else {}
        found.append(figures(solve(project(kind, dict(with_) | more, reaction=reaction))))
    one, other = found
    moved = [k for k in one.keys() | other.keys() if not math.isclose(one.get(k, 0.0), other.get(k, 0.0), rel_tol=1e-5, abs_tol=1e-9)]
    assert moved, f"{name} of {kind} changes nothing"


def test_every_input_is_turned_here_or_named():
    known = {n for k, n in CHANGES if k == "*"}
    assert not [
        (k, d.name)
        for k, d in inputs()
        if (k, d.name.removesuffix("_given")) not in CHANGES and d.name.removesuffix("_given") not in known and (k, d.name) not in ELSEWHERE
    ]


@pytest.mark.parametrize("kind", KINDS)
def test_every_choice_can_be_made(kind):
    """Each option of each choice gives a solved unit, or a sentence that says what it lacks."""
    for d in KINDS[kind].inputs():
        for option in d.options if isinstance(d, Choice) else ():
            solution = solve(project(kind, {d.name: option}))
            errors = [m for m in solution.messages if m.level == "error"]
            assert solution.solved or all(m.what.endswith((".", "?")) and m.todo for m in errors) and errors, (
                d.name,
                option,
            )


@pytest.mark.parametrize("kind", KINDS)
def test_every_result_has_a_value_somewhere(kind):
    """In one way or other of running the kind; what each value must be is checked kind by kind elsewhere."""
    ways = [{}] + [{d.name: option} for d in KINDS[kind].inputs() if isinstance(d, Choice) for option in d.options]
    ways += [with_ for (k, _), (with_, *_) in CHANGES.items() if k == kind or (k == "*" and "bulk_density" in with_)]
    ways.append({"volume": "2 m3", "bulk_density": "800 kg/m3"})
    own = {d.name for d in KINDS[kind].inputs()} | {"duty"}
    ways = [way for way in ways if own.issuperset(way)]
    missing = {r.key for r in KINDS[kind].results()} - {"carbon_activity", "carbon_formed", "coolant_leaves"}
    for way in ways:
        reaction = PER_CATALYST if "bulk_density" in way and getattr(KINDS[kind], "needs_rates", False) else HYDRATION
        values = solve(project(kind, way, reaction=reaction)).units
        values = values["U"].values if values else {}
        missing -= {name for name, v in values.items() if v is not None}
        if not missing:
            return
    assert not missing


@pytest.mark.parametrize("kind", KINDS)
def test_balances_close_on_random_feeds(kind):
    random = np.random.default_rng(zlib.crc32(kind.encode()))
    species, feed, _ = BASE[kind]
    solved = 0
    for _ in range(6):
        flow = {
            s: f"{random.uniform(1.0, 100.0):.6g} kmol/h" for s in (feed["flow"] if kind != "shortcut-column" else ("benzene", "toluene"))
        }
        T = float(feed["temperature"].split()[0]) + random.uniform(-8.0, 8.0)
        solution = solve(project(kind, given=feed | {"flow": flow, "temperature": f"{T:.6g} degC"}))
        if not solution.solved:
            continue
        solved += 1
        balances = solution.units["U"].balances
        assert abs(balances["mass"]) < 1e-9 and abs(balances["energy"]) < 1e-7
        assert all(abs(v) < 1e-9 for v in balances["elements"].values())
    assert solved >= 4
