"""What is said near a critical point: of liquids that are hardly any, of phases that change their name, of loops that hang on it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.declared.told import Code
from gulch.engine.fluids import PC, TC, R
from gulch.engine.project.messages import Message
from gulch.engine.project.places import at_loop, at_stream
from gulch.engine.quantities import show
from gulch.engine.units import KINDS

if TYPE_CHECKING:
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.flowsheet.solution import LoopOutcome
    from gulch.engine.phases import Stream

TRACE = 1e-3  # share of a liquid up to which nobody need be told of it
NEAR = 0.95  # of the critical temperature from which a liquid is near it
MATTERS = 0.05  # mole fraction from which a species counts
MOST_ALIKE = 1.5  # ratio of the densities of a liquid and its vapour near their critical point
BESIDE = 0.02  # of the temperature, within which a phase that changes its name is told of
OWN_VOLUME, DENSEST, LIGHTEST = 0.0778, 1.9, 6.0  # of molecules, on R Tc/Pc; on it, the volumes between which a name may change
SHARP = 0.01  # K, to which that temperature is found
STEP, MOVES = 1.0, 0.2  # K by which a separator is moved, and the share of what goes round that it then moves in a loop nearly singular


def near_critical(run: Run) -> Iterator[Message]:
    """Messages on the first stream near a critical point, and on loops that hang on how near it is."""
    order = sorted(run.solution.streams, key=lambda id_: not _parts(run, id_))  # where a name decides by which outlet all leaves, first
    told = False
    for id_ in order:
        stream = run.streams[id_]
        if stream.is_empty or told and not run.rooms:
            continue
        looks = (_liquid, _renamed) if run.explain or _parts(run, id_) else (_liquid,)
        for what, todo in (look(run, id_) for look in looks):
            if what:
                told = True
                yield Message("warning", at_stream(id_), f"{id_}: {what}.", todo, code=Code.NEAR_CRITICAL)
    if told and run.explain and not run.watch.ended():
        for loop in run.solution.loops:
            yield from _singular(run, loop)


def _parts(run: Run, id_: str) -> bool:
    """Whether a stream leaves a unit that parts phases."""
    unit = run.plan.units.get(run.plan.sources[id_])
    return unit is not None and KINDS[unit.kind].family == "separators"


def _liquid(run: Run, id_: str) -> tuple[str, str]:
    """(what, what to do) of a liquid near a critical point, where densities and heats are known less."""
    model, display = run.plan.model, run.plan.project.display
    state, why = run.streams[id_].state, ""
    if not state.liquids:
        return "", ""
    reduced = state.temperature / model.par[:, TC]
    near = np.flatnonzero(model.volatile & (reduced > NEAR) & (reduced < 1.0)).tolist()
    for _, share, x, _ in state.liquids if near else ():
        hot = [i for i in near if x[i] > MATTERS and share > TRACE]
        if hot:
            critical = show(float(model.par[hot[0], TC]), "temperature", display)
            name, here = run.plan.project.species[hot[0]].shown, show(state.temperature, "temperature", display)
            why = f"{name} in it is liquid at {here}, near its critical {critical}"
    if not why and _hardly_two(run.streams[id_]):
        why = "its liquid is hardly denser than its vapour: it is near its critical point"
    return why, "Densities, heats and splits there are known less, and small changes of temperature or pressure move them much."


def _hardly_two(stream: Stream) -> bool:
    """Whether a stream's liquid is hardly denser than its vapour."""
    model, state = stream.model, stream.state
    if not model.in_one_equation or len(state.phases) < 2 or state.phases[0][0] != "vapour":
        return False
    light, heavy = (p[2] @ model.molar_mass / p[3][2] for p in (state.phases[0], state.phases[-1]))
    return bool(heavy < MOST_ALIKE * light)


def _renamed(run: Run, id_: str) -> tuple[str, str]:
    """(what, what to do) of a stream of one phase that near its temperature is called by another name, though it does not boil."""
    stream, display = run.streams[id_], run.plan.project.display
    at = renamed_at(stream)
    if at is None:
        return "", ""
    now, other = ("liquid", "vapour") if stream.state.phases[0][0] == "liquid" else ("vapour", "liquid")
    side = "hotter" if at > stream.T else "colder"
    here, there = show(stream.T, "temperature", display), show(at, "temperature", display)
    P = show(stream.P, "pressure", display)
    what = f"it does not boil at {P}: what is called {now} at {here} is called {other} {side} than {there}"
    return what, "Only its density tells them apart, and a drum sends all of it by one outlet: keep away from there, or lower the pressure."


def _dense(stream: Stream) -> bool:
    """Whether a stream stands above a critical pressure of what matters in it, between the densities of gases and liquids.

    By its volume over the volume of its molecules, 0.0778 R Tc/Pc, which is 3.95 at the critical point of Peng and Robinson's equation.
    """
    par, x = stream.model.par, stream.n / stream.total
    mostly = stream.model.volatile & (x > MATTERS)
    if not mostly.any() or float(par[mostly, PC].min()) > stream.P:
        return False
    closely = OWN_VOLUME * R * float(x[mostly] @ (par[mostly, TC] / par[mostly, PC])) / float(x[mostly].sum())
    return DENSEST < stream.state.volume / closely < LIGHTEST


def renamed_at(stream: Stream) -> float | None:
    """Temperature [K] nearby at which the one phase of a Stream changes its name without boiling; None where there is none."""
    model, T = stream.model, stream.T
    if not model.in_one_equation or len(stream.state.phases) != 1 or not _dense(stream):
        return None

    def name(T: float) -> str | None:
        phases = model.at_temperature(T, stream.P, stream.n).phases
        return phases[0][0] if len(phases) == 1 else None

    now = stream.state.phases[0][0]
    for far in ((1.0 + BESIDE) * T, (1.0 - BESIDE) * T):
        a, b, there = T, far, name(far)
        if there is None or there == now:
            continue
        while abs(b - a) > SHARP:
            middle = 0.5 * (a + b)
            found = name(middle)
            if found is None:
                return None  # it boils on the way
            a, b = (middle, b) if found == now else (a, middle)
        return 0.5 * (a + b)
    return None


def _singular(run: Run, loop: LoopOutcome) -> Iterator[Message]:
    """A loop in which a separator near a critical point moves what goes round by much more than it is moved itself."""
    plan, display = run.plan, run.plan.project.display
    for unit in loop.units if loop.settled else ():
        address = f"{unit}.temperature"
        free = address in run.inputs and address not in plan.ties and all(t.address != address for t in plan.targets.values())
        outlets = [run.streams[s] for s in plan.leaving[unit].values() if s in run.streams and not run.streams[s].is_empty]
        whole = run.done[unit][0][0] if unit in run.done and len(run.done[unit][0]) == 1 else None
        if not free or whole is None or not outlets:
            continue
        there = whole.at(T=run.inputs[address], P=outlets[0].P)
        if not (_hardly_two(there) or renamed_at(there) is not None):
            continue
        now = _going_round(run.streams, loop)
        rounds = [_tried(run, loop, address, run.inputs[address] + step) for step in (-STEP, STEP)]
        if any(r is None or abs(r - now) > MOVES * now for r in rounds):
            apart, label = show(STEP, "temperature difference", display, 2), plan.bounds[address].label
            words = ["nothing settles" if r is None else f"{show(r, 'molar flow', display)} go round" for r in rounds]
            yield Message(
                "warning",
                at_loop(str(loop.number)),
                f"The loop {' → '.join(loop.units)} is nearly singular: with {label[0].lower()}{label[1:]} {apart} lower "
                f"{words[0]}, {apart} higher {words[1]}, where {show(now, 'molar flow', display)} do now (both tried).",
                f"{unit} stands near a critical point: hold it further away, or at another pressure.",
                code=Code.NEAR_CRITICAL,
            )
            return


def _going_round(streams: dict, loop: LoopOutcome) -> float:
    """What goes round [mol/s]: the flows of the torn streams."""
    return sum(float(streams[t].total) for t in loop.tears)


def _tried(run: Run, loop: LoopOutcome, address: str, value: float) -> float | None:
    """What goes round [mol/s] in a loop with an input at another value; None where the process does not settle so."""
    found = run.plan.run(start=run.solution.start, overrides=run.changed | {address: value}, watch=run.watch, explain=False)
    return _going_round(found.streams, loop) if found.solved else None
