"""Why a loop settles slowly or not at all, and why a target is not met: sentences from computed facts.

Notation: flows [mol/s] of arrays stand by species, shape (n,).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.flowsheet.closing.trials import (
    ABSURD,
    LIKELY_SHARE,
    PURGES,
    Held,
    is_set,
    purge_by_balance,
    purges,
    sizes_round,
    smallest_purge,
    with_machine,
    with_purge,
)
from gulch.engine.project.messages import Message
from gulch.engine.project.places import at_loop
from gulch.engine.quantities import difference_of, show
from gulch.engine.settle import METHODS
from gulch.engine.settle.newton import growing

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.flowsheet.closing.account import Account
    from gulch.engine.flowsheet.closing.targets import Edge, Jump
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.solution import LoopOutcome, TargetOutcome
    from gulch.engine.project.couplings import Target
    from gulch.engine.settle import LoopResult

SLOW = 0.9  # loop gain above which the return shares are spoken of


def explain_loop(
    account: Account,
    found: LoopResult,
    outcome: LoopOutcome,
    flows: np.ndarray,
    change: np.ndarray,
    pressure_change: np.ndarray,
    warmth_change: np.ndarray,
) -> list:
    """Fill an outcome's returns, findings and advice; the to-do lines where the loop did not settle.

    account: a closing.account.Account; found: the LoopResult; flows, change: of each tear and of what a pass changes in it
    [mol/s], shape (tears, n); pressure_change, warmth_change: likewise [Pa], [J/mol], shape (tears,).
    """
    plan = account.plan
    if not len(flows):
        return [] if outcome.settled else _say(outcome, "The tie and what it reads chase each other: start it from another value.")
    # tears may stand one behind the other, so the largest of each species counts, not the sum
    back, change = np.max(flows, axis=0), np.max(change, axis=0)
    lost = account.out + np.maximum(-account.made, 0.0)  # what is used up on the way does not come back
    outcome.returns = returns(plan.species, account.fullest, np.maximum(account.out, account.fed) if outcome.settled else lost)
    if outcome.settled and account.knobs_moved and outcome.returns and outcome.gain is None:
        # the knobs moved with the tears, so what the search saw is not the gain of the loop
        outcome.gain = max(outcome.returns.values())
    if account.explains:
        go_round(account, outcome)
    told = of_states(plan, outcome, growing(found.slopes) if found.slopes is not None and account.explains else None)
    outcome.left = passes_left(found, outcome.tolerance) if not outcome.settled else 0
    accumulation(account, found, outcome, back)
    if outcome.settled:
        return told
    if account.method_failed:
        method = METHODS[account.method]
        return _say(
            outcome,
            f"The method “{method}” failed: direct passes settle this loop. Choose automatic, or direct passes.",
        )
    said_on_the_way(account, outcome)
    advice = why_not(account, outcome, change, lost, pressure_change, warmth_change)
    if outcome.left and outcome.left < 5000 and found.gain is not None and abs(found.gain) < 1.0:
        outcome.findings.append(f"Passing on without acceleration would take about {outcome.left} more passes.")
    return _say(outcome, advice)


def accumulation(account: Account, found: LoopResult, outcome: LoopOutcome, back: np.ndarray) -> None:
    """Findings on the species of which most comes back; back: flows of the tears [mol/s], shape (n,)."""
    plan = account.plan
    inert = np.abs(account.out - account.fed) < 0.01 * account.fed  # neither made nor used up
    place = {s: i for i, s in enumerate(plan.species)}
    top = max(
        outcome.returns,
        key=lambda s: (round(outcome.returns[s], 3), bool(inert[place[s]]), outcome.mode.get(s, 0.0)),
        default=None,
    )
    if top is None or outcome.returns[top] <= SLOW:
        return
    share = back[place[top]] / back.sum()
    if share > 2.0 * LIKELY_SHARE or (found.gain is not None and abs(found.gain) > SLOW):
        outcome.findings.append(
            f"Of the {top} that goes round {_percent(outcome.returns[top])} comes back; it makes up {_percent(share)} of the return."
        )
    if outcome.settled and account.explains and absurd(account, outcome, place[top]):
        return
    if inert[place[top]]:
        purge(account, outcome, top)


def absurd(account: Account, outcome: LoopOutcome, i: int) -> bool:
    """Whether a settled loop sends round more than anybody would pump; then that is found, and what a larger purge would give."""
    round_ = max((float(account.streams[t].sum()) for t in outcome.tears if t in account.streams), default=0.0) / account.scale_flow
    if round_ <= ABSURD:
        return False
    flow = show(round_ * account.scale_flow, "molar flow", account.plan.project.display, 3)
    outcome.findings.append(f"It closes with {flow} going round, {round_:.3g} times what is fed: more than a plant would pump.")
    splitter = next(iter(account.exits), None)
    if splitter is not None and account.cures and not is_set(account.plan, f"{splitter}.drawn"):
        outcome.exit = splitter
        curve, _ = purges(account, splitter, i, account.inputs[f"{splitter}.drawn"])
        tell_curve(account, outcome, splitter, i, curve)
    return True


def said_on_the_way(account: Account, outcome: LoopOutcome) -> None:
    """Findings on an unsettled loop: streams that gained or lost a phase lately, and the first warning of each unit."""
    for s, flips in account.flips.items():
        recent = [f for f in flips if f[0] > account.passes - 12]
        if recent:
            number, before, now = recent[-1]
            times = f", {len(recent)} times in the last 12 passes" if len(recent) > 1 else ""
            outcome.findings.append(f"Stream {s} went from {before} to {now} in pass {number}{times}.")
    for u in outcome.units:
        what = next((n.what for n in account.notes.get(u, ()) if n.level == "warning"), None)
        if what:
            outcome.findings.append(f"In {u}: {what[:1].lower() + what[1:]}")


def why_not(
    account: Account, outcome: LoopOutcome, change: np.ndarray, lost: np.ndarray, pressure_change: np.ndarray, warmth_change: np.ndarray
) -> str:
    """What keeps a loop from settling and what to do about it, in words; amounts [mol/s], shape (n,)."""
    plan = account.plan
    display = plan.project.display
    if account.jumps:
        return between_states(account)
    falling = float(np.max(-pressure_change))
    stuck = stays(plan.species, account.fed, change, lost)
    most = gathers(account.fed + np.maximum(account.made, 0.0), change, lost, account.fullest)
    if falling > 1e-6 * 1e5:
        falls = f"The pressure falls by {show(falling, 'pressure difference', display)} on every pass, and nothing in the loop raises it. "
        return falls + raise_it(account, outcome.tears[0])
    warmer = heat_that_stays(account, outcome, change, warmth_change)
    if warmer and not stuck:
        return warmer
    if stuck:
        outcome.no_way_out = stuck
        outcome.builds_up = stuck[0]
        i = plan.species.index(stuck[0])
        return (
            f"{stuck[0]} builds up: {show(float(account.fed[i]), 'molar flow', display)} is fed and it has no way out, "
            f"so {show(float(change[i]), 'molar flow', display)} more of it stays in the loop after each pass. " + draw(account, outcome, i)
        )
    if change[most] > 1e-7 * account.scale_flow:
        outcome.builds_up = plan.species[most]
        stay, fed = (show(float(v), "molar flow", display) for v in (change[most], account.fed[most]))
        return f"{outcome.builds_up} builds up: {stay} more of it stays in the loop after each pass ({fed} is fed). " + draw(
            account, outcome, most
        )
    return "The change from pass to pass does not die out. Press “go on from here”, or change one input at a time."


def between_states(account: Account) -> str:
    """What is said of a unit that stays in none of its steady states: what comes back makes the one that runs vanish. A cure is tried."""
    unit, temperatures = next(iter(account.jumps.items()))
    low, high = (show(T, "temperature", account.plan.project.display) for T in temperatures)
    what = f"{unit} jumps between its steady states, {low} and {high}, from pass to pass: what comes back from one makes it vanish. "
    if not account.cures or getattr(account.plan.units[unit], "state", None) is None:
        return what + "Let it run in another steady state, or let less come back; neither was tried."
    for state in ("coldest", "hottest"):
        if state == account.plan.units[unit].state or account.ended():
            continue

        def other(project: Project, state: str = state) -> None:
            project.unit(unit).state = state

        there = account.edited(other)
        if there.solved and all(lo.settled for lo in there.loops):
            at = show(
                there.streams[next(iter(account.plan.leaving[unit].values()))].temperature, "temperature", account.plan.project.display
            )
            return what + f"Choose its {state} steady state: tried, the loop settles then with {unit} at {at}."
    return (
        what + "No other of its steady states settles the loop either: let less come back, or cool or heat what does, which was not tried."
    )


MORE = 5e4  # J/mol that a warmth changes, on the change of the flows over what is fed, from which it is the heat that does not settle
WARMS = 1.0  # J/mol a pass, from which a return is said to grow warmer
HEAT_OF_GAS = 40.0  # J/(mol K), about that of a gas of several atoms: a change of warmth told in kelvins


def heat_that_stays(account: Account, outcome: LoopOutcome, change: np.ndarray, warmth_change: np.ndarray) -> str:
    """What is said where it is heat that does not settle, and no species; "" where it is not that."""
    k = int(np.argmax(np.abs(warmth_change))) if warmth_change.size else 0
    if not warmth_change.size or abs(warmth_change[k]) < WARMS or abs(warmth_change[k]) < MORE * np.abs(change).sum() / account.scale_flow:
        return ""
    display = account.plan.project.display
    by = show(abs(float(warmth_change[k])) / HEAT_OF_GAS, "temperature difference", display, 1)
    way = "hotter" if warmth_change[k] > 0.0 else "colder"
    exchangers = [u for u in outcome.units if account.plan.units[u].kind == "exchanger"]
    why = "more heat is made in it than leaves it" if warmth_change[k] > 0.0 else "more heat leaves it than comes in or is made"
    what = f"Heat does not settle: {outcome.tears[k]} comes back some {by} {way} from pass to pass, because {why}. "
    if exchangers and warmth_change[k] > 0.0:
        return (
            what
            + f"{exchangers[0]} gives it back: pass less heat there, or take some out with a cooler inside the loop; neither was tried."
        )
    do = "Take heat out" if warmth_change[k] > 0.0 else "Put heat in"
    return f"{what}{do} at a unit inside the loop, or set a temperature there; neither was tried."


def of_states(plan: Plan, outcome: LoopOutcome, grows: float | None) -> list[Message]:
    """To-do lines on the steady states of a loop where there are several, or where the one chosen is not there.

    grows: by how much a disturbance grows with a pass, None where none does.
    """
    found, place = outcome.states, at_loop(str(outcome.number))
    if not outcome.settled:
        return []
    unstable = []
    if grows is not None:
        what = f"The loop {' → '.join(outcome.units)} stands at a steady state that does not last: what disturbs it grows "
        what += f"{grows:.3g} times with every pass."
        unstable = [
            Message("warning", place, what, "Only control holds a plant there: choose another state, or another value of the target.")
        ]
    if found is None:
        return unstable
    display = plan.project.display
    listed = [show(s.temperature, "temperature", display) + ("" if s.stable else " (unstable)") for s in found.states]
    here = next((show(s.temperature, "temperature", display) for s in found.states if s.here), "another")
    out = unstable
    if found.missing:
        rank, near = plan.states[found.tear]
        state = f"{rank} steady state" if near is None else f"steady state near {show(near, 'temperature', display)}"
        shown = "the one" if near is None else "the nearest,"
        out.append(
            Message(
                "warning",
                place,
                f"The {state} at {found.tear}, which was chosen, was not reached here: {shown} at {here} is shown.",
                "Choose another in Loops, or turn back what was changed.",
            )
        )
    if len(found.states) > 1 and found.tear not in plan.states:
        what = f"The loop {' → '.join(outcome.units)} has {len(found.states)} steady states: {', '.join(listed)} at {found.tear}. "
        out.append(Message("warning", place, what + f"The one at {here} is shown.", "Choose the one that is meant in Loops."))
    return out


def raise_it(account: Account, tear: str) -> str:
    """What to do about a pressure that falls from round to round, as a sentence: a machine on the return, tried by a solve."""
    tried = with_machine(account, tear) if account.cures else None
    if tried is None:
        return f"Put a compressor or pump on the return stream {tear}, or take the pressure drops out."
    kind, pressure, settles = tried
    to = show(pressure, "pressure", account.plan.project.display)
    if settles:
        return f"Put a {kind} to {to} on the return stream {tear}: tried, the loop settles then. Or take the pressure drops out."
    return f"Put a {kind} on the return stream {tear}, or take the pressure drops out; one to {to} was tried and is not enough."


def go_round(account: Account, outcome: LoopOutcome) -> None:
    """Each way round of the loop with its own gain: the largest share of a species that, sent on its way, comes back by it.

    The share is the product over the units of what goes on along the way over what entered the unit.
    """
    plan = account.plan
    for streams in plan.rounds(account.units):
        share = np.ones(len(plan.species))
        for before, after in zip(streams, [*streams[1:], streams[0]], strict=True):
            unit = plan.sources[after]
            entering = account.streams[before] if plan.inlet[before] else account.entered[unit]
            with np.errstate(all="ignore"):
                part = account.given[after] / entering
            share = share * np.where(np.isfinite(part) & (part <= 1.0 + 1e-9), part, 0.0)  # what is made on the way does not count
        i = int(np.argmax(share))
        units = [plan.sources[s] for s in streams]
        first = min(range(len(units)), key=lambda k: plan.place[units[k]])
        outcome.rounds.append(
            {
                "units": units[first:] + units[:first],
                "stream": streams[first - 1],
                "species": plan.species[i],
                "gain": float(share[i]),
            }
        )
    outcome.rounds.sort(key=lambda r: -r["gain"])


def _say(outcome: LoopOutcome, advice: str) -> list[Message]:
    outcome.advice = advice
    what = f"Loop {' → '.join(outcome.units)} did not settle in {outcome.passes} passes: {outcome.reason}."
    return [Message("error", at_loop(str(outcome.number)), what, advice)]


def returns(species: list[str], fullest: np.ndarray, lost: np.ndarray) -> dict[str, float]:
    """{species: share that comes back of what passes the fullest place of the loop}; lost: what does not [mol/s]."""
    enough = 1e-9 * max(float(fullest.sum()), 1e-300)
    return {s: float(max(0.0, 1.0 - b / n)) for s, b, n in zip(species, lost, fullest, strict=True) if n > enough}


def passes_left(found: LoopResult, tolerance: float) -> int | None:
    """Direct passes that the loop gain lets expect until the tolerance, or None."""
    gain = abs(found.gain) if found.gain is not None else None
    if gain is None or gain >= 1.0 or not found.history:
        return None
    if gain < 1e-6:
        return 1
    size = found.history[-1] * max(gain / (1.0 - gain), 1e-12)
    return max(1, math.ceil(math.log(tolerance / size) / math.log(gain))) if size > tolerance else 1


def stays(species: list[str], fed: np.ndarray, change: np.ndarray, out: np.ndarray) -> list[str]:
    """Species of which practically all that is fed stays, most first."""
    found = [i for i in range(len(species)) if fed[i] > 1e-12 and change[i] > 0.5 * fed[i] and out[i] < 0.01 * fed[i]]
    return [species[i] for i in sorted(found, key=lambda i: -fed[i])]


def gathers(comes: np.ndarray, change: np.ndarray, lost: np.ndarray, fullest: np.ndarray) -> int:
    """Index of the species that gathers most: of those of which more stays after a pass, the one that comes back most fully.

    comes: amounts fed and made; change: more of it after a pass; lost: what leaves or is used up; fullest: largest flow
    in the loop; all [mol/s], shape (n,).
    """
    with np.errstate(all="ignore"):
        back = np.where((comes > 1e-12) & (change > 0.01 * np.abs(change).sum()), 1.0 - lost / fullest, -np.inf)
    if not np.isfinite(back).any():
        return int(np.argmax(change))
    return max(range(len(back)), key=lambda i: (round(float(back[i]), 3), float(change[i])))


def draw(account: Account, outcome: LoopOutcome, i: int) -> str:
    """What to do about an accumulating species, as a sentence: the smallest drawn share that holds it, found by solving."""
    plan, display = account.plan, account.plan.project.display
    species = plan.species[i]
    splitter = next(iter(account.exits), None)
    if splitter is None:
        return new_way_out(account, outcome, i)
    outcome.exit = splitter
    found = smallest_purge(account, splitter, i) if account.cures else None
    if found is None:
        return f"Give it a larger purge: raise the share drawn at {splitter}; how much it takes was not tried."
    best = found.holds or found.settles
    outcome.drawn = best.share if best else None
    tell_curve(account, outcome, splitter, i, found.curve)
    if found.holds is not None:
        return (
            f"Purge {show(found.holds.share, 'fraction', display, 2)} at {splitter} to hold {species} under {_percent(LIKELY_SHARE)} of "
            f"what reaches it: tried, the loop settles there with {_percent(found.holds.fraction)}{gives(account, found.holds)}."
        )
    must = account.fed[i] + max(float(account.made[i]), 0.0)
    why = (
        f"{show(must, 'molar flow', display)} of it enters or is made, so that "
        f"a purge of {show(must / LIKELY_SHARE, 'molar flow', display)} "
        f"would be needed to hold it under {_percent(LIKELY_SHARE)}"
    )
    if found.settles is None:
        return (
            f"No larger share drawn at {splitter} that was tried, up to {_percent(PURGES[0])}, settles the loop: {why}. "
            "Feed less of it, make less, or take it out in a unit of its own."
        )
    return (
        f"No share drawn at {splitter} holds {species} under {_percent(LIKELY_SHARE)}: {why}. "
        f"At {show(found.settles.share, 'fraction', display, 2)} the loop closes, with {_percent(found.settles.fraction)} {species} before "
        f"the splitter{gives(account, found.settles)}: tried."
    )


def gives(account: Account, held: Held) -> str:
    """What goes round with a drawn share, as a part of a sentence."""
    flow = show(held.round * account.scale_flow, "molar flow", account.plan.project.display, 3)
    return f" and {flow} going round, {held.round:.3g} times what is fed"


def tell_curve(account: Account, outcome: LoopOutcome, splitter: str, i: int, curve: list[Held]) -> None:
    """The recycle over the drawn share, and the smallest purges for some sizes of it, among the findings."""
    outcome.curve = [[h.share, h.round] for h in curve]
    display = account.plan.project.display
    outcome.sizes = [[times, h.share] for times, h in sizes_round(account, splitter, i, curve)]
    told = [f"{show(share, 'fraction', display, 2)} ({times:.0f} times)" for times, share in outcome.sizes]
    if told:
        outcome.findings.append(f"Smallest purges at {splitter} by what may go round, on what is fed: {', '.join(told)}; each was tried.")


def new_way_out(account: Account, outcome: LoopOutcome, i: int) -> str:
    """A purge for a loop that has none, as a sentence: the least of those that were tried that settles it."""
    tear, species = outcome.tears[0], account.plan.species[i]
    words = f"Give it a way out: put a splitter on the return stream {tear} and draw a purge"
    tried = with_purge(account, tear, i) if account.cures else None
    if tried is None:
        return f"{words}; how much it takes was not tried."
    if tried == ():
        return f"Give it a way out: no purge tried on the return stream {tear} settles the loop. Take it out in a unit."
    share, fraction = tried
    return (
        f"{words}: tried with {show(share, 'fraction', account.plan.project.display, 2)}, the loop settles with "
        f"{_percent(fraction)} {species} in the return."
    )


def purge(account: Account, outcome: LoopOutcome, species: str) -> None:
    """What holds a species of a settled loop under a share, from its balance at the splitter, tried by solves."""
    splitter = next(iter(account.exits), None)
    if splitter is None:
        return
    outcome.exit = splitter
    n, i = account.entered[splitter], account.plan.species.index(species)
    total = float(n.sum())
    if total <= 0.0 or n[i] / total <= LIKELY_SHARE or not account.explains or not outcome.settled:
        return
    others = total - n[i]
    found = purge_by_balance(
        account, splitter, i, float(account.outlets[splitter]["drawn"][i] / (LIKELY_SHARE * others / (1.0 - LIKELY_SHARE)))
    )
    if found is not None:
        outcome.findings.append(
            f"A drawn share of {show(found, 'fraction', account.plan.project.display, 2)} at {splitter} would hold {species} "
            f"under {_percent(LIKELY_SHARE)} of what reaches it."
        )


def unmet_target(
    plan: Plan, target: Target, outcome: TargetOutcome, why: str | None, jump: Jump | None = None, edges: list[Edge] | tuple = ()
) -> Message:
    """The to-do line of a target that cannot be met: how near it comes and what would move it."""
    display = plan.project.display
    wanted, reached = (show(v, target.dimension, display) for v in (target.wanted, outcome.reached))
    at = show(outcome.knob_value, target.knob_dimension, display)
    if why == "unmoved":
        what = f"The target on {target.gauge_label} is not met: turning {target.knob_label} does not change it (it reads {reached})."
        todo = "Choose a knob that does."
    elif why == "same":
        what = f"The target on {target.gauge_label} is not met: the knobs of the targets move their gauges in the same proportion."
        todo = "Switch one of these targets off, or choose another knob for it."
    elif jump is not None:
        below, above = (show(target.wanted + error, target.dimension, display) for error in (jump.below, jump.above))
        at = show(jump.at, target.knob_dimension, display)
        what = (
            f"The target on {target.gauge_label} cannot be met: it should read {wanted}, but with {target.knob_label} at {at} it jumps "
            f"from {below} to {above}, and nothing lies between."
        )
        todo = "Choose a knob that has it in between, such as a duty or a vapour fraction in place of a temperature or a pressure."
    else:
        ends = {"low": "the low end of its range", "high": "the high end of its range", "inside": "inside its range"}
        found = "found is" if len(plan.targets) > 1 else "is"
        together = " together with the others" if len(plan.targets) > 1 else ""
        what = (
            f"The target on {target.gauge_label} cannot be met{together}: it should read {wanted}; the closest {found} {reached}, "
            f"with {target.knob_label} at {at}, {ends[outcome.place or 'inside']}."
        )
        todo = "Widen the knob's range, or ask for a value that can be reached."
        for edge in edges:
            if abs(edge.at - outcome.knob_value) <= BY_EDGE * (target.high - target.low):
                what += f" It has no value {'below' if edge.below else 'above'} that."
                todo = "Ask for a value that can be reached, or turn something else, such as a pressure."
        moves = sensitivity_words(target, outcome, display)
        if moves:
            todo = f"There {moves}. " + todo
    return Message("error", target.node.place, what, todo)


BY_EDGE = 1e-3  # of a knob's range, within which the closest position is at the edge of where its gauge has a value


def sensitivity_words(target: Target, outcome: TargetOutcome, display: str) -> str:
    """How the gauge answers to the knob where the search ended, in words, or ''."""
    slope = outcome.sensitivity
    if slope is None or not math.isfinite(slope):
        return ""
    step = 0.01 * (target.high - target.low)
    turned = show(step, difference_of(target.knob_dimension), display, 3)
    moved = show(slope * step, difference_of(target.dimension), display, 3)
    return f"{turned} more on {target.knob_label} changes it by {moved}"


def _percent(share: float) -> str:
    return f"{100 * share:.3g} %"
