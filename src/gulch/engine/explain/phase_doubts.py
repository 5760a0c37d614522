"""Where the phases of a solved stream need a word: two liquids, a phase not found, pairs that the model knows too little of."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.told import Code
from gulch.engine.explain.critical import near_critical
from gulch.engine.explain.model_advice import MODERATE
from gulch.engine.fluids import ELECTROLYTES, IDEAL, OMEGA, PC, TC, UNIFAC, UNKNOWN_TC, R
from gulch.engine.fluids.constants import HEAT_LOW, VOLUME_LOW
from gulch.engine.phases import DISSOLVED_NEED, LIQUID_PAIRS_NEED, poorly_known, taken_for_solvents
from gulch.engine.phases.model import WATER
from gulch.engine.phases.nonideal import boils_cold
from gulch.engine.phases.weak import HYDROGEN_CHLORIDE, MODELLED, STRONGEST
from gulch.engine.project.messages import Message
from gulch.engine.project.places import at_stream, at_unit
from gulch.engine.quantities import show
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.explain.solving import Plan
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.phases.model import PhaseModel


TRACE = 1e-3  # share of a second liquid up to which nobody need be told of it: what settled before and was warmed by a pump
MATTERS = 0.05  # mole fraction in a liquid from which a species counts there
FROM_IDEAL = 0.05  # of the volume of an ideal gas, by which a vapour may differ without a word
ACID_GASES = {"124-38-9", "7783-06-4", "7446-09-5", "463-58-1", "7782-50-5", "74-90-8"}
# Ammonia and amines, hydroxides and carbonates, which take up acid gases in water.
BASES = {
    "7664-41-7", "141-43-5", "111-42-2", "105-59-9", "110-97-4", "929-06-6", "110-85-0", "74-89-5", "124-40-3", "75-50-3", "102-71-6",
    "1310-73-2", "1310-58-3", "1305-62-0", "497-19-8", "584-08-7", "144-55-8",
}  # fmt: skip
# Taken up by water itself: hydrogen halides, nitric and sulfuric acid, sulfur trioxide, nitrogen dioxide, formaldehyde.
IONISED = {"7647-01-0", "7664-39-3", "10035-10-6", "10034-85-2", "7697-37-2", "7664-93-9", "7446-11-9", "10102-44-0", "50-00-0"}
LEAST_SALT = 1e-9  # mole fraction of a salt in a stream without water from which it is told of
ION_DATA = (273.15, 443.15)  # K, between which the constants of dissociation hold
BELOW = -1e-8  # distance from a further phase, in RT, from which one is indicated


def phase_doubts(run: Run, overlooked: dict[str, float | None]) -> Iterator:
    """Messages on streams, and on the units whose heat rests on them, of a run whose streams are reported.

    overlooked: {stream: how far it is from a further phase, None where unknown}, which looks further than each flash does.
    """
    plan = run.plan
    found = {}
    for id_ in run.solution.streams:
        stream = run.streams[id_]
        state = None if stream.is_empty else stream.state
        if state is None:
            continue
        if state.further_phase or (overlooked.get(id_) or 0.0) < BELOW:
            found[id_] = ("the stability test indicates a further phase, which the flash did not find", Code.FURTHER_PHASE)
        elif len(state.liquids) > 1 and min(p[1] for p in state.liquids) > TRACE and not _parted(plan, id_):
            found[id_] = ("it splits into two liquids", Code.NONE)
    yield from _on_streams(plan, found)
    yield from _on_units(run, found)
    yield from _on_pairs(run)
    yield from _on_gases(run)
    yield from _on_reacting(run)
    yield from _on_ions(run)
    yield from _on_pressure(run)
    yield from near_critical(run)
    yield from _too_cold(run)


def _too_cold(run: Run) -> Iterator:
    """Liquids colder than where the densities and heats of one of their species begin, which is mostly where it freezes."""
    plan, model = run.plan, run.plan.model
    display = plan.project.display
    begins = np.minimum(*(np.where(model.par[:, c] > 0.0, model.par[:, c], np.inf) for c in (VOLUME_LOW, HEAT_LOW)))
    known = model.volatile & np.isfinite(begins)
    warm = begins[known].max(initial=0.0)
    for id_ in run.solution.streams:
        stream = run.streams[id_]
        state = None if stream.is_empty else stream.state
        for _, share, x, _ in state.liquids if state is not None and state.temperature < warm else ():
            cold = np.flatnonzero((x > MATTERS) & known & (state.temperature < begins - 1.0))
            if share > TRACE and cold.size:
                name = plan.project.species[cold[np.argmax(x[cold])]].shown
                low = show(float(begins[cold].max()), "temperature", display)
                yield Message(
                    "warning",
                    at_stream(id_),
                    f"{id_}: {name} in it is liquid at {show(state.temperature, 'temperature', display)}, "
                    f"colder than its data on liquids, which begin at {low}.",
                    "Their first values are held below that; the model knows no solid that freezes out.",
                    code=Code.BEYOND_DATA,
                )
                if not run.rooms:
                    return
                break


def _on_pressure(run: Run) -> Iterator:
    """A vapour that is counted as ideal where it is not: by its second virial coefficient, at the stream where that matters most."""
    plan, model = run.plan, run.plan.model
    if model.code != IDEAL and (model.code < UNIFAC or model.mix.vapour != IDEAL):
        return
    display = plan.project.display
    away = {}
    for id_, result in run.solution.streams.items():
        gas = next((p["fraction"] for p in result.phases if p["kind"] == "vapour"), None)
        if gas is not None and (result.pressure > MODERATE or model.code == IDEAL):
            away[id_] = virial_term(np.array(list(gas.values())), result.temperature, result.pressure, model)
    worst = max(away, key=lambda i: abs(away[i]), default=None)
    if worst is None or (model.code == IDEAL and abs(away[worst]) < FROM_IDEAL):
        return
    at = show(run.solution.streams[worst].pressure, "pressure", display)
    size = f", where its volume is some {100 * abs(away[worst]):.2g} % {'less' if away[worst] < 0.0 else 'more'}"
    take = "Peng–Robinson or another cubic equation" if model.code == IDEAL else "SRK for the vapour, or predictive SRK,"
    yield Message(
        "warning",
        at_stream(worst),
        f"{worst}: its vapour is counted as an ideal gas at {at}{size if abs(away[worst]) >= FROM_IDEAL else ''}.",
        f"Volumes, heats of vaporisation, and heats of letting down and compressing, are off by as much: take {take} in Chemistry.",
    )


def virial_term(y: np.ndarray, T: float, P: float, model: PhaseModel) -> float:
    """B P/(R T) of a gas of mole fractions y, shape (n,), at T [K] and P [Pa]: its compressibility less 1 as far as two molecules meet.

    Pitzer & Curl as Abbott puts it: Smith, Van Ness & Abbott, 7th ed., eqs. 3.65 and 3.66; the mixture's B as the mean of its species'.
    """
    at = np.flatnonzero((y > 0.0) & (model.par[:, PC] > 0.0) & (model.par[:, TC] > UNKNOWN_TC))
    tc, pc, omega = (model.par[at, c] for c in (TC, PC, OMEGA))
    tr = T / tc
    B = R * tc / pc * (0.083 - 0.422 / tr**1.6 + omega * (0.139 - 0.172 / tr**4.2))
    return float(y[at] @ B) * P / (R * T)


def _on_gases(run: Run) -> Iterator:
    """Gases that an activity model takes for liquids beside water; one line for the project, at the first such stream."""
    plan, model = run.plan, run.plan.model
    gases = taken_for_solvents(model)
    told, at = [], ""
    for id_, result in run.solution.streams.items() if gases else ():
        watery = [p["fraction"] for p in result.phases if p["kind"] == "liquid" and p["fraction"][plan.species[model.water]] > 0.5]
        for i in gases:
            if i not in told and any(f[plan.species[i]] > DISSOLVED_NEED for f in watery):
                told.append(i)
                at = at or id_
    if told:
        listed = ", ".join(plan.project.species[i].shown for i in told)
        yield Message(
            "warning",
            at_stream(at),
            f"{at}: this phase model takes {listed} for a liquid among liquids: water may hold many times too much of such gases.",
            "Choose NRTL in Chemistry and type parameters of the pair that are fitted to measured solubilities.",
        )


def _on_reacting(run: Run) -> Iterator:
    """What water takes up by reaction, of which a phase model tells the dissolved molecules alone; one line for the project."""
    plan = run.plan
    cas = dict(zip(plan.species, (s.cas for s in plan.model.species), strict=True))
    told: dict[str, str] = {}
    for id_, result in run.solution.streams.items() if plan.model.water is not None else ():
        for phase in result.phases:
            there = {cas[s] for s, x in phase["fraction"].items() if x > DISSOLVED_NEED} if phase["kind"] == "liquid" else set()
            if WATER not in there:
                continue
            for s in phase["fraction"]:
                base = there & BASES and cas[s] in ACID_GASES
                known = plan.model.code == ELECTROLYTES and cas[s] in MODELLED
                if cas[s] in there and not known and (base or cas[s] in IONISED):
                    told.setdefault(s, id_)
    if told:
        names = {s.id: s.shown for s in plan.project.species}
        at = next(iter(told.values()))
        modelled = plan.model.code != ELECTROLYTES and all(cas[s] in MODELLED for s in told)
        yield Message(
            "warning",
            at_stream(at),
            f"{at}: water takes up {', '.join(names[s] for s in told)} by reaction, which is not modelled: "
            "the solubility is that of unreacted molecules alone.",
            "Take “weak electrolytes in water” as the phase model in Chemistry."
            if modelled
            else "Give the reaction with its constant in an equilibrium reactor, or part by shares that you know.",
        )


def _on_ions(run: Run) -> Iterator:
    """Ions beyond what their interactions are known for, and salts where no water is; a line each, at the first such stream."""
    plan, display = run.plan, run.plan.project.display
    if plan.model.code != ELECTROLYTES:
        return
    told = set()
    for id_, result in run.solution.streams.items():
        salts = [s for s, ions in zip(plan.project.species, plan.model.of_ions, strict=True) if ions and s.cas != HYDROGEN_CHLORIDE]
        dry = [s.shown for s in salts if result.flow.get(s.id, 0.0) > LEAST_SALT * result.total and not result.in_water]
        strength = result.in_water["strength"] if result.in_water else 0.0
        if dry and "dry" not in told:
            told.add("dry")
            what = f"{id_}: {' and '.join(dry)} {'is' if len(dry) == 1 else 'are'} there without liquid water, and no salt is a gas"
            yield Message("warning", at_stream(id_), f"{what}.", "Leave it more water, or part the salt from it.", code=Code.BEYOND_DATA)
        elif strength > STRONGEST and "strong" not in told:
            told.add("strong")
            what = f"{id_}: its ionic strength is {strength:.3g} mol/kg; the interactions of ions are known up to some {STRONGEST:g}"
            todo = "Solubilities and pH are less sure there, and no salt that crystallises is foreseen."
            yield Message("warning", at_stream(id_), f"{what}.", todo, code=Code.BEYOND_DATA)
        elif strength > TRACE and not ION_DATA[0] <= result.temperature <= ION_DATA[1] and "hot" not in told:
            told.add("hot")
            low, high = (show(t, "temperature", display, 3) for t in ION_DATA)
            yield Message(
                "warning",
                at_stream(id_),
                f"{id_}: the constants of dissociation hold from {low} to {high}; beyond they keep their last values.",
                "Solubilities and pH are less sure there.",
                code=Code.BEYOND_DATA,
            )


def _parted(plan: Any, stream_id: Any) -> bool:
    """Whether a stream goes to a unit that is meant for two liquids, maybe through units that hand on all that enters."""
    to, seen = plan.enters[stream_id], set()
    while to is not None and to not in seen:
        seen.add(to)
        kind = KINDS[plan.units[to].kind]
        if kind.parts_liquids or not kind.hands_on:
            return kind.parts_liquids
        stream_id = next((i for i, s in plan.sources.items() if s == to), None)
        to = plan.enters[stream_id] if stream_id is not None else None
    return False


def _on_streams(plan: Plan, found: dict[str, tuple]) -> Iterator:
    """One line for all streams that carry the same doubt, at the first of them."""
    for what, code in dict.fromkeys(found.values()):
        ids = [i for i in found if found[i] == (what, code)]
        for id_ in ids:
            yield Message(
                "warning",
                at_stream(id_),
                f"{id_}: {what}.",
                "Part them in a decanter or a three-phase separator, or see in Chemistry whether the phase model suits."
                if code == Code.NONE
                else "Mind its phases and heat content: they rest on a split that is not the lowest.",
                code=code,
            )


def _on_units(run: Run, found: dict[str, tuple]) -> Iterator:
    plan = run.plan
    for unit_id in plan.units:
        touching = [s for s in (*plan.entering[unit_id], *plan.leaving[unit_id].values()) if s in found]
        outcome = run.solution.units.get(unit_id)
        heat = outcome.values.get("duty") if outcome and outcome.solved else None
        touching = [s for s in touching if found[s][1]]
        if touching and heat and any(r.name == "duty" for r in KINDS[plan.units[unit_id].kind].results()):
            yield Message(
                "warning",
                at_unit(unit_id),
                f"{unit_id}: its duty rests on {touching[0]}, whose phases are in doubt.",
                "Take the duty with caution.",
                code=found[touching[0]][1],
            )


def _on_pairs(run: Run) -> Iterator:
    """Pairs of species that share a liquid although the phase model knows too little of them; one line for the project."""
    plan = run.plan
    pairs = poorly_known(plan.model)
    if not pairs:
        return
    told, at = [], ""
    for id_, result in run.solution.streams.items():
        liquid = sum(p["share"] for p in result.phases if p["kind"] == "liquid")
        if liquid < 0.01 or result.total <= 0.0:
            continue
        here = [p["fraction"] for p in result.phases if p["kind"] == "liquid"]
        held = {s: max(f[s] for f in here) for s in here[0]}
        for i, j in pairs:
            a, b = plan.species[i], plan.species[j]
            # of a gas a little matters, since what is known of it may be off by any factor
            gas = any(boils_cold(plan.model.par, x) for x in (i, j) if plan.model.volatile[x])
            enough = DISSOLVED_NEED if gas else LIQUID_PAIRS_NEED
            if min(held[a], held[b]) > enough and (a, b) not in told:
                told.append((a, b))
                at = at or id_
    if told:
        names = {s.id: s.shown for s in plan.project.species}
        listed = ", ".join(f"{names[a]} with {names[b]}" for a, b in told[:3]) + (" and others" if len(told) > 3 else "")
        yield Message(
            "warning",
            at_stream(at),
            f"{at}: the phase model is a poor guide for liquids of {listed}.",
            "Boiling points and splits of such liquids may be far off: see in Chemistry whether another model suits better, "
            "type parameters fitted to data, or part by shares that you know.",
        )
