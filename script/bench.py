"""Measured times beside `thermo` and scipy, in one run, as ratios. Best of several repeats each."""

import itertools
import math
import sys
import time
from functools import partial
from pathlib import Path

import numba
import numpy as np
import thermo.unifac as thermos
from scipy.integrate import solve_ivp
from scipy.optimize import brentq, least_squares, minimize, root
from thermo import (
    PRMIX,
    CEOSGas,
    CEOSLiquid,
    ChemicalConstantsPackage,
    FlashVL,
    FlashVLN,
    HeatCapacityGas,
    PropertyCorrelationsPackage,
)

sys.path.insert(0, str(Path(__file__).parents[1] / "src"))

from five_units import FIVE
from thermo.eos_mix import PSRK

from gulch.demo import projects
from gulch.engine.chemistry.elements import by_elements
from gulch.engine.chemistry.equilibrium import by_extents, ln_equilibrium_constants
from gulch.engine.compiling import making, native, taking
from gulch.engine.document import load
from gulch.engine.explain import Plan
from gulch.engine.fitting.answer import answer
from gulch.engine.fitting.fit import Search, bounds_of, prepared
from gulch.engine.flowsheet.closing.loop import Loop
from gulch.engine.flowsheet.run import Run
from gulch.engine.flowsheet.solution import Solution
from gulch.engine.flowsheet.start import Start
from gulch.engine.fluids import LIQUID, R
from gulch.engine.fluids.activity import group_areas, ln_gamma_groups, pure_groups
from gulch.engine.fluids.mixture import Mixture
from gulch.engine.fluids.phase import ln_phi
from gulch.engine.phases import phase_model
from gulch.engine.scans import run_scan
from gulch.engine.settle import UNWATCHED, PassFailed

native.declare()


def best(function, repeats):
    times = []
    for _ in range(repeats):
        began = time.perf_counter()
        function()
        times.append(time.perf_counter() - began)
    return min(times)


def reference(model):
    """thermo's two-phase flash with the same constants."""
    s = model.species
    constants = ChemicalConstantsPackage(
        Tcs=[x.critical_temperature.value for x in s],
        Pcs=[x.critical_pressure.value for x in s],
        omegas=[x.acentric_factor.value for x in s],
        MWs=[x.molar_mass.value * 1e3 for x in s],
        CASs=[x.cas for x in s],
        names=[x.name for x in s],
        Hfgs=[x.formation_enthalpy.value for x in s],
    )
    heat = [HeatCapacityGas(CASRN=x.cas) for x in s]
    properties = PropertyCorrelationsPackage(constants=constants, HeatCapacityGases=heat, skip_missing=True)
    form = {"Tcs": constants.Tcs, "Pcs": constants.Pcs, "omegas": constants.omegas, "kijs": model.kij.tolist()}
    return FlashVL(
        constants, properties, liquid=CEOSLiquid(PRMIX, form, HeatCapacityGases=heat), gas=CEOSGas(PRMIX, form, HeatCapacityGases=heat)
    )


def scripted_loop(flash, tolerance=1e-9):
    """The five-unit loop as an engineer would script it: direct substitution with thermo's flashes."""
    feed = np.array([100.0, 130.0, 0.0, 0.0, 2.0, 1.0]) / 3.6
    back, passes = np.zeros(6), 0
    feed_state = flash.flash(T=423.15, P=68e5, zs=(feed / feed.sum()).tolist())
    h_back = 0.0
    while True:
        n = feed + back
        flash.flash(T=573.15, P=68e5, zs=(n / n.sum()).tolist())  # heater: outlet state for the duty
        _ = feed_state.H() * feed.sum() + h_back
        extent = 0.05 * n[0]
        n = n + extent * np.array([-1.0, -1.0, 1.0, 0.0, 0.0, 0.0])
        flash.flash(T=573.15, P=68e5, zs=(n / n.sum()).tolist())  # reactor
        drum = flash.flash(T=323.15, P=68e5, zs=(n / n.sum()).tolist())
        light = max(drum.phases, key=lambda p: p.V())
        gas = n.sum() * drum.betas[drum.phases.index(light)] * np.array(light.zs)
        new = 0.935 * gas
        h_back = light.H() * new.sum()
        passes += 1
        change = np.abs(new - back).max() / feed.sum()
        back = new
        if change * 0.94 / 0.06 < tolerance or passes >= 400:
            break
    # the mixer's temperature once, at the end
    n = feed + back
    H = (feed_state.H() * feed.sum() + h_back) / n.sum()
    brentq(lambda T: flash.flash(T=T, P=68e5, zs=(n / n.sum()).tolist()).H() - H, 300.0, 500.0, xtol=1e-4)
    return gas, passes


def liquids():
    """Three phases, and the fugacities of liquid models, beside thermo."""
    six = ("7732-18-5", "71-43-2", "110-82-7", "1333-74-0", "74-82-8", "64-17-5")
    z, T, P = np.array([0.3, 0.2, 0.1, 0.2, 0.1, 0.1]), 330.0, 20e5
    for kind in ("peng-robinson", "predictive-srk", "unifac"):
        model = phase_model(kind, six)
        assert len(model.at_temperature(T, P, z).phases) == 3
        ours = best(lambda model=model: model.at_temperature(T, P, z), 300)
        other = ours
        if kind == "peng-robinson":
            other = best(partial(three_phase_reference(model).flash, T=T, P=P, zs=z.tolist()), 5)
        row(f"PT flash, three phases, {kind}", ours, other, "thermo" if other != ours else "itself")
    styrene = ("7732-18-5", "100-41-4", "100-42-5", "1333-74-0", "74-82-8", "108-88-3")
    z, T, P = np.array([0.35, 0.1, 0.15, 0.25, 0.05, 0.1]), 320.0, 3e5
    for kind in ("peng-robinson", "modified-unifac", "nrtl"):
        model = phase_model(kind, styrene)
        assert len(model.at_temperature(T, P, z).phases) == 3
        ours = best(lambda model=model: model.at_temperature(T, P, z), 300)
        row(f"the same, of styrene and water, {kind}", ours, ours, "itself")
    thermos.load_unifac_ip()
    x = [0.3, 0.2, 0.45, 0.05]
    groups = [{1: 1, 2: 1, 14: 1}, {16: 1}, {9: 6}, {1: 1, 42: 1}]
    cas = ("64-17-5", "7732-18-5", "71-43-2", "64-19-7")

    for kind, shapes, acts in (("unifac", thermos.UFSG, thermos.UFIP), ("predictive-srk", thermos.PSRKSG, thermos.PSRKIP)):
        model = phase_model(kind, cas)
        ours = best(partial(many, 330.0, 1e6, np.array(x), 1000, *model.mix), 5) / 1000
        other = best(partial(theirs_of, model, kind, x, groups, shapes, acts), 30)
        row(f"fugacities, 4 species, {kind}", ours, other, "thermo", "in a compiled loop")
        if kind == "unifac":  # thermo's are activity coefficients only, ours above hold vapour pressures and more
            alone = best(partial(many_gammas, 330.0, np.array(x), 1000, *model.mix), 5) / 1000
            row(f"activity coefficients, 4 species, {kind}", alone, other, "thermo", "in a compiled loop")


@numba.njit
def many(T, P, x, times, kind, vapour, active, par, pairs, groups):
    """Fugacity coefficients of a liquid again and again, as a flash asks for them."""
    mix, total = Mixture(kind, vapour, active, par, pairs, groups), 0.0
    for _ in range(times):
        total += ln_phi(mix, T, P, x, LIQUID)[0]
    return total


@numba.njit
def many_gammas(T, x, times, kind, vapour, active, par, pairs, groups):
    """Activity coefficients by groups again and again, with all that hangs on temperature."""
    mix, total = Mixture(kind, vapour, active, par, pairs, groups), 0.0
    n, g = mix.par.shape[0], mix.groups.shape[1]
    areas, pure, out = np.empty((2 * n, g)), np.empty(n), np.empty(n)
    for _ in range(times):
        group_areas(T, mix.groups[:n], mix.groups[n], mix.groups[n + 1 :], areas)
        pure_groups(areas, pure)
        ln_gamma_groups(x, mix.par, areas, pure, out)
        total += out[0]
    return total


def theirs_of(model, kind, x, groups, shapes, acts):
    """The same by thermo: activity coefficients, or those of the equation that mixes by them."""
    found = thermos.UNIFAC.from_subgroups(chemgroups=groups, T=330.0, xs=x, version=0, interaction_data=acts, subgroups=shapes)
    if kind == "unifac":
        return found.gammas()
    s = model.species
    return PSRK(
        Tcs=[i.critical_temperature.value for i in s],
        Pcs=[i.critical_pressure.value for i in s],
        omegas=[i.acentric_factor.value for i in s],
        alpha_coeffs=[[0.0, 0.0, 1.0, 1.0]] * len(s),
        zs=x,
        T=330.0,
        P=1e6,
        ge_model=found,
    )


def three_phase_reference(model):
    """thermo's three-phase flash with the same constants."""
    flash = reference(model)
    return FlashVLN(flash.constants, flash.correlations, liquids=[flash.liquid, flash.liquid], gas=flash.gas)


def main():
    making.make_all()
    taking.take_all()  # all kernels under their names, which `many` calls
    model = phase_model("peng-robinson", tuple(s["cas"] for s in FIVE["species"]))
    z = np.array([0.6, 0.2, 0.08, 0.02, 0.08, 0.02])
    theirs = reference(model)
    T, P = 400.0, 60e5
    ours_state, their_state = model.at_temperature(T, P, z), theirs.flash(T=T, P=P, zs=z.tolist())
    light = max(their_state.phases, key=lambda p: p.V())
    error = max(
        abs(ours_state.light_share - their_state.betas[their_state.phases.index(light)]),
        np.abs(ours_state.y - light.zs).max(),
    )
    ours, other = (
        best(lambda: model.at_temperature(T, P, z), 2000),
        best(lambda: theirs.flash(T=T, P=P, zs=z.tolist()), 30),
    )
    row("PT flash, 6 species, two phases", ours, other, "thermo", f"same answer to {error:.0e}")
    liquids()

    equilibria()
    kinetics()
    fits()
    closing()

    plan = Plan(load(FIVE))
    cold = plan.run()
    ours = best(plan.run, 20)
    gas, passes = scripted_loop(theirs)
    other = best(lambda: scripted_loop(theirs), 1)
    error = np.abs(gas - np.array(list(cold.streams["gas"].flow.values()))).max() / gas.sum()
    row(
        "five-unit loop, cold",
        ours,
        other,
        "thermo + numpy script",
        f"{cold.loops[0].passes} passes beside {passes}, same answer to {error:.0e}",
    )
    warm = best(lambda: plan.run(start=cold.start, overrides={"SPLIT.drawn": 0.067}), 20)
    again = plan.run(start=cold.start, overrides={"SPLIT.drawn": 0.067})
    row("the same, warm after an edit", warm, ours, "cold", f"{again.loops[0].passes} passes")

    demo = projects()[0]
    demo_plan = Plan(demo)
    first = demo_plan.run()
    demo_cold = best(demo_plan.run, 20)
    row("demo, 7 units, cold", demo_cold, ours, "five-unit loop", f"{first.loops[0].passes} passes")
    row(
        "demo, 7 units, warm",
        best(lambda: demo_plan.run(start=first.start, overrides={"SPLIT.drawn": 0.067}), 20),
        demo_cold,
        "cold",
    )
    demo.scans[0].over[0].points = 100
    row(
        "scan of the demo, 100 points",
        best(lambda: run_scan(demo, demo.scans[0]), 1),
        demo_cold * 100,
        "100 cold solves",
    )


def nested(depth=3, per_loop=10):
    """`depth` loops one inside the other round `per_loop` units each, as one document."""
    units = [{"id": f"IN{k}", "kind": "mixer"} for k in range(depth)]
    units += [{"id": f"H{k}", "kind": "heater", "temperature": f"{40 + 5 * (k % 7)} degC"} for k in range(depth * (per_loop - 2))]
    units += [{"id": f"X{k}", "kind": "splitter", "drawn": f"{75 - 5 * k} %"} for k in reversed(range(depth))]
    ids = [u["id"] for u in units]
    streams = [{"id": f"s{k}", "from": f"{a}.rest" if a[0] == "X" else a, "to": b} for k, (a, b) in enumerate(itertools.pairwise(ids))]
    streams += [{"id": f"back{k}", "from": f"X{k}.drawn", "to": f"IN{k}"} for k in range(depth)]
    fed = {"temperature": "30 degC", "pressure": "20 bar", "flow": {s["id"]: "50 kmol/h" for s in FIVE["species"]}}
    return FIVE | {
        "units": units,
        "streams": [{"id": "feed", "to": "IN0", "given": fed}, *streams, {"id": "out", "from": f"{ids[-1]}.rest"}],
    }


def tear_system(plan):
    """(one pass, start, scale) of a plan's first loop, as any solver of equations would be given it."""
    run = Run(plan, plan.inputs, Solution(False, list(plan.species)), Start(), UNWATCHED, 1000, False)
    for group in plan.groups:
        if group.iterates:
            loop = Loop(run, group)
            return loop, loop.begin
        run.single(group.nodes[0])
    raise ValueError("no loop")


def closing():
    """Loops closed beside plain direct substitution and beside scipy's root on the same tear system."""
    cyclohexane = next(p for p in projects() if "cyclohexane" in p.name)
    untargeted = cyclohexane.model_copy(deep=True)
    untargeted.targets = []
    tight = load(FIVE | {"units": [u | ({"drawn": "2 %"} if u["kind"] == "splitter" else {}) for u in FIVE["units"]]})
    for what, project in (
        ("five units, gain 0.94", load(FIVE)),
        ("five units, gain 0.98", tight),
        ("three loops interlocking", untargeted),
        ("30 units, 3 nested loops", load(nested())),
    ):
        plan = Plan(project)
        ours = plan.run(explain=False)
        time_ours = best(lambda p=plan: p.run(explain=False), 5)
        project.closing.method, project.closing.max_passes = "direct", 5000
        direct = Plan(project)
        plain = direct.run(explain=False)
        time_direct = best(lambda p=direct: p.run(explain=False), 1)
        system, x0 = tear_system(plan)

        def scipy_root(system=system, x0=x0):
            system.passes = 0

            def change(u):
                x = u * system.scale
                return (system.one_pass(np.maximum(x, np.where(system.floor > -1e300, system.floor, x))) - x) / system.scale

            # hybr wants somewhere to begin: two direct passes, which ours makes too
            x = system.one_pass(system.one_pass(x0))
            return root(change, x / system.scale, method="hybr", tol=1e-9)

        try:
            began = time.perf_counter()
            found = scipy_root()
            theirs = f"scipy root {system.passes} passes, {(time.perf_counter() - began) / time_ours:.1f} × as long" + (
                "" if found.success else ", not converged"
            )
        except PassFailed:
            theirs = "scipy root broke off at a unit"
        assert ours.loops[0].settled
        direct_words = f"{plain.loops[0].passes} passes" + ("" if plain.loops[0].settled else ", not settled")
        row(what, time_ours, time_direct, "direct", f"{ours.loops[0].passes} passes beside {direct_words}; {theirs}")
    plan = Plan(cyclohexane)
    cold = plan.run()
    time_cold = best(plan.run, 10)
    row("cyclohexane, loops + target, cold", time_cold, time_cold, "itself", f"{cold.loops[0].passes} passes")
    moved = {"SPLIT.drawn": 0.085}
    warm = plan.run(start=cold.start, overrides=moved)
    row(
        "the same, warm after an edit",
        best(lambda: plan.run(start=cold.start, overrides=moved), 10),
        time_cold,
        "cold",
        f"{warm.loops[0].passes} passes",
    )


def minimised(flash, model, n0, T, P, atoms, start, bounds_low=1e-12):
    """The same equilibrium by scipy's general minimiser over amounts, with thermo's fugacities: SLSQP, elements as constraints."""
    b = atoms @ n0
    h, s = model.ideal_gas_properties(T)
    g0 = (h - T * s) / (R * T)

    def gibbs(n):
        n = np.maximum(n, bounds_low)
        x = n / n.sum()
        gas = flash.gas.to(T=T, P=P, zs=x.tolist())
        return float(n @ (g0 + np.log(x) + np.array(gas.lnphis()) + np.log(P / 1e5)))

    scale = 1.0 / n0.sum()
    found = minimize(
        lambda n: scale * gibbs(n),
        start,
        method="SLSQP",
        bounds=[(bounds_low, None)] * n0.size,
        constraints=[{"type": "eq", "fun": lambda n: atoms @ n - b, "jac": lambda n: atoms}],
        options={"ftol": 1e-13, "maxiter": 400},
    )
    return found.x


def extents_amounts(n0, nu, T, P, model):
    return by_extents(n0, nu, ln_equilibrium_constants(nu, T, model), T, P, model).n


def gibbs_amounts(n0, T, P, model):
    return by_elements(n0, np.zeros(n0.size, bool), T, P, model).n


def equilibria():
    """Three reactions by extents and ten species by element potentials, beside scipy's minimiser on thermo."""
    names = (
        "74-82-8",
        "7732-18-5",
        "630-08-0",
        "124-38-9",
        "1333-74-0",
        "67-56-1",
        "115-10-6",
        "74-85-1",
        "74-84-0",
        "7727-37-9",
    )
    for count, what in ((6, "equilibrium, 3 reactions, 6 species"), (10, "Gibbs reactor, 10 species")):
        model = phase_model("peng-robinson", names[:count])
        n0 = np.array([2.0, 4.0, 0.5, 0.1, 0.2, 0.0, 0.0, 0.0, 0.0, 1.0])[:count]
        T, P = 900.0, 30e5
        species = model.species
        atoms = np.array([[s.atoms.get(e, 0) for s in species] for e in ("C", "H", "O", "N")], float)
        atoms = atoms[(atoms @ n0) > 0.0]
        nu = np.array([[-1.0, -1.0, 1.0, 0.0, 3.0, 0.0], [0.0, -1.0, -1.0, 1.0, 1.0, 0.0], [0.0, 0.0, -1.0, 0.0, -2.0, 1.0]])
        ours = partial(extents_amounts, n0, nu, T, P, model) if count == 6 else partial(gibbs_amounts, n0, T, P, model)
        flash = reference(model)
        answer = ours()
        start = np.maximum(n0, 0.05)
        theirs = minimised(flash, model, n0, T, P, atoms, start)
        error = np.abs(theirs - answer).max() / n0.sum()
        row(
            what,
            best(ours, 200),
            best(partial(minimised, flash, model, n0, T, P, atoms, start), 2),
            "scipy on thermo",
            f"same answer to {error:.0e}",
        )


KINETIC = {
    "format": "gulch-project",
    "version": 1,
    "phase_model": {"kind": "peng-robinson"},
    "species": [
        {"id": "eb", "cas": "100-41-4"},
        {"id": "st", "cas": "100-42-5"},
        {"id": "h2", "cas": "1333-74-0"},
        {"id": "bz", "cas": "71-43-2"},
        {"id": "et", "cas": "74-85-1"},
        {"id": "tol", "cas": "108-88-3"},
        {"id": "me", "cas": "74-82-8"},
        {"id": "w", "cas": "7732-18-5"},
    ],
    "reactions": [
        {
            "id": "a",
            "equation": "eb = st + h2",
            "rate": {"forward": {"k": "2 1/s", "energy": "90 kJ/mol", "at": "600 degC"}},
        },
        {
            "id": "b",
            "equation": "eb = bz + et",
            "rate": {"forward": {"k": "0.05 1/s", "energy": "200 kJ/mol", "at": "600 degC"}},
        },
        {
            "id": "c",
            "equation": "eb + h2 = tol + me",
            "rate": {"forward": {"k": "10 L/mol/s", "energy": "95 kJ/mol", "at": "600 degC"}},
        },
    ],
    "reaction_sets": [{"id": "s", "steps": [["a", "b", "c"]]}],
    "streams": [
        {
            "id": "f",
            "to": "R",
            "given": {"temperature": "630 degC", "pressure": "5 bar", "flow": {"eb": "100 kmol/h", "w": "500 kmol/h"}},
        },
        {"id": "p", "from": "R"},
    ],
}


def kinetics():
    """Plug flow and stirred tank beside scipy's integrator and root finder on thermo's gas phase."""
    unit = {"id": "R", "set": "s", "phase": "vapour", "volume": "3 m3"}
    model = phase_model("peng-robinson", tuple(s["cas"] for s in KINETIC["species"]))
    theirs_flash = reference(model)
    nu = np.array([[-1, 1, 1, 0, 0, 0, 0, 0], [-1, 0, 0, 1, 1, 0, 0, 0], [-1, 0, -1, 0, 0, 1, 1, 0]], float)
    n0, T0, P = np.array([100.0, 0, 0, 0, 0, 0, 0, 500.0]) / 3.6, 903.15, 5e5
    dh = nu @ model.ideal_gas_enthalpies(298.15)

    def speeds(n, T):
        x = np.maximum(n, 0.0) / n.sum()
        state = make(x.tolist(), T)
        c = x / state.V()
        k = [
            2.0 * np.exp(-90e3 / R * (1 / T - 1 / 873.15)),
            0.05 * np.exp(-200e3 / R * (1 / T - 1 / 873.15)),
            0.01 * np.exp(-95e3 / R * (1 / T - 1 / 873.15)),
        ]
        return np.array([k[0] * c[0], k[1] * c[0], k[2] * c[0] * c[2]]), state

    makers = {
        "flash": lambda z, T: theirs_flash.flash(T=T, P=P, zs=z),
        "gas": lambda z, T: theirs_flash.gas.to(T=T, P=P, zs=z),
    }
    make = makers["flash"]

    def scripted(adiabatic):
        def change(V, y):
            r, state = speeds(y[:8], y[8])
            dT = -(r @ dh) / (state.Cp() * y[:8].sum()) if adiabatic else 0.0  # heat of reaction at 25 degC: the script's shortcut
            return np.r_[r @ nu, dT]

        return solve_ivp(change, (0.0, 3.0), np.r_[n0, T0], "LSODA", rtol=1e-8, atol=1e-10).y[:, -1]

    def scripted_tank():
        return root(lambda x: x - 3.0 * speeds(n0 + x @ nu, T0)[0], np.array([5.0, 0.2, 0.1]), tol=1e-10).x

    def plan(kind, mode):
        return Plan(load(KINETIC | {"units": [unit | {"kind": kind, "heat": {"mode": mode}}]}))

    for what, kind, mode, other in (
        ("plug flow, 3 reactions, isothermal", "plug-flow", "feed-temperature", lambda: scripted(False)),
        ("plug flow, 3 reactions, adiabatic", "plug-flow", "adiabatic", lambda: scripted(True)),
        ("stirred tank, isothermal", "stirred-tank", "feed-temperature", scripted_tank),
    ):
        ready = plan(kind, mode)
        solution, theirs = ready.run(explain=False), other()
        out = np.array(list(solution.streams["p"].flow.values()))
        their_n = theirs[:8] if kind == "plug-flow" else n0 + theirs @ nu
        error = np.abs(out - their_n).max() / n0.sum()
        ours, flashed = best(lambda r=ready: r.run(explain=False), 20), best(other, 1)
        make = makers["gas"]
        told = best(other, 1) / ours
        make = makers["flash"]
        row(
            what,
            ours,
            flashed,
            "scipy on thermo",
            f"same answer to {error:.0e}; told that all is gas it takes {told:.0f} ×",
        )
    states = Plan(next(p for p in projects() if "acid" in p.name))
    found = states.run()
    ours = best(states.run, 10)
    row("stirred tank, all steady states", ours, ours, "itself", f"{len(found.units['TANK'].values['steady'])} states")


def measured(rng, times, temperatures):
    """36 readings of A -> B -> C in batches with 2 % noise, as a table and as arrays."""
    lines, data = ["T, K\tt / min\tc_A [mol/L]\tc_B [mol/L]"], []
    for T in temperatures:
        k1, k2 = (k * math.exp(-E / R * (1 / T - 1 / 333.15)) for k, E in ((0.02, 6e4), (0.008, 8e4)))
        a, b = 2 * np.exp(-k1 * times), 2 * k1 / (k2 - k1) * (np.exp(-k1 * times) - np.exp(-k2 * times))
        both = np.array([a, b]) * (1 + 0.02 * rng.standard_normal((2, times.size)))
        lines += [f"{T}\t{t:g}\t{x:.8g}\t{y:.8g}" for t, x, y in zip(times, *both, strict=True)]
        data.append(both)
    return "\n".join(lines), np.array(data)


def fits():
    """Four numbers of two reactions from 36 readings, beside scipy's least squares on its integrator with differences."""
    times, temperatures = np.array([5.0, 15.0, 30.0, 50.0, 80.0, 120.0]), (323.15, 333.15, 343.15)
    table, data = measured(np.random.default_rng(1), times, temperatures)
    hexanes = zip("ABC", ("110-54-3", "107-83-5", "75-83-2"), strict=True)
    law = {"forward": {"k": "0.01 1/min", "energy": "60 kJ/mol", "at": "333 K"}}
    project = load(
        {
            "format": "gulch-project",
            "version": 1,
            "species": [{"id": i, "cas": cas, "name": i} for i, cas in hexanes],
            "phase_model": {"kind": "ideal"},
            "reactions": [{"id": "r1", "equation": "A = B", "rate": law}, {"id": "r2", "equation": "B = C", "rate": law}],
            "reaction_sets": [{"id": "main", "steps": [["r1", "r2"]]}],
            "measurements": [{"id": "m", "table": table, "charge": {"A": "2 mol/L"}}],
            "fits": [
                {
                    "id": "f",
                    "set": "main",
                    "sheets": ["m"],
                    "free": ["r1.k", "r1.energy", "r2.k", "r2.energy"],
                    "errors": {"": "0.02 mol/L"},
                }
            ],
        }
    )
    predicted, errors = prepared(project, project.fits[0])
    low, high = bounds_of(project.fits[0], predicted.laws)

    def ours():
        return Search(predicted, errors.sigma(), low, high).least(predicted.laws.start())

    method = "LSODA"

    def misses(p):
        out = []
        for T, both in zip(temperatures, data, strict=True):
            k = np.exp(p[[0, 2]]) * np.exp(-p[[1, 3]] * 1e3 / R * (1 / T - 1 / 333.15))

            def change(t, c, k=k):
                return [-k[0] * c[0], k[0] * c[0] - k[1] * c[1], k[1] * c[1]]

            found = solve_ivp(change, (0.0, 120.0), [2.0, 0.0, 0.0], method, t_eval=times, rtol=1e-8, atol=1e-11).y[:2]
            out.append(((found - both) / 0.02).ravel())
        return np.concatenate(out)

    def theirs():
        return least_squares(misses, [math.log(0.01), 60.0, math.log(0.01), 60.0], x_scale="jac", xtol=1e-10, ftol=1e-12).x

    phi, took = ours()[0], best(ours, 20)
    for method in ("LSODA", "RK45"):  # its quickest here, and the one that it takes by itself
        other = theirs()
        off = abs(phi[1] / 1e3 - other[1]) / other[1]
        row("fit, 2 reactions, 36 readings", took, best(theirs, 1), f"scipy, {method}, differences", f"same E to {off:.0e}")
    whole = best(lambda: answer(project, project.fits[0]), 3)
    row("the same, starts and profiles", whole, best(ours, 5), "one search", "from nothing to intervals of all four")


def row(what, ours, other, beside, remark=""):
    print(f"{what:34} {1e3 * ours:10.3f} ms   {beside} takes {other / ours:8.2f} × as long   {remark}", flush=True)


if __name__ == "__main__":
    main()
