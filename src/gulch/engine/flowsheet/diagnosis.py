"""Why a loop settles slowly or not at all, and why a target is not met: sentences from computed facts."""

import math

import numpy as np

from gulch.engine.flowsheet.solution import Message
from gulch.engine.quantities import show
from gulch.engine.settle import METHODS

LIKELY_SHARE = 0.10  # the share an accumulating species is advised to be held under
PURGES = (0.9, 0.7, 0.5, 0.35, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002)  # shares at which a purge is tried
TRIAL_PASSES = 60
SLOW = 0.9  # loop gain above which the return shares are spoken of


def explain_loop(closing, found, outcome):
    """Fill an outcome's returns, findings and advice; say it in the to-do list where the loop did not settle."""
    run, plan, n, width = closing.run, closing.plan, closing.n, closing.width
    tears = len(outcome.tears)
    if not tears:
        if not outcome.settled:
            _say(run, outcome, "The tie and what it reads chase each other: start it from another value.")
        return
    parts = [slice(k * width, k * width + n) for k in range(tears)]
    # tears may stand one behind the other, so the largest of each species counts, not the sum
    back = np.max([found.tear[p] for p in parts], axis=0)
    change = np.max([found.change[p] for p in parts], axis=0)
    out = closing.outflow()
    fullest = fullest_flows(closing)
    made = made_in(closing)
    lost = out + np.maximum(-made, 0.0)  # what is used up on the way does not come back
    outcome.returns = returns(plan.species, fullest, np.maximum(out, closing.fed) if outcome.settled else lost)
    if outcome.settled and closing.slope is not None and outcome.returns:
        # the knobs moved with the tears, so what the search saw is not the gain of the loop
        outcome.gain = max(outcome.returns.values())
    if run.explain:
        go_round(closing, outcome)
    outcome.left = passes_left(found, outcome.tolerance) if not outcome.settled else 0
    inert = np.abs(out - closing.fed) < 0.01 * closing.fed  # neither made nor used up
    place = {s: i for i, s in enumerate(plan.species)}
    top = max(
        outcome.returns,
        key=lambda s: (round(outcome.returns[s], 3), bool(inert[place[s]]), outcome.mode.get(s, 0.0)),
        default=None,
    )
    if top is not None and outcome.returns[top] > SLOW:
        share = back[place[top]] / back.sum()
        if share > 2.0 * LIKELY_SHARE or (found.gain is not None and abs(found.gain) > SLOW):
            outcome.findings.append(
                f"Of the {top} that goes round {_percent(outcome.returns[top])} comes back; "
                f"it makes up {_percent(share)} of the return."
            )
        if inert[place[top]]:
            purge(closing, outcome, top)
    if outcome.settled:
        return
    if closing.method_failed:
        _say(
            run,
            outcome,
            f"The method “{METHODS[closing.method]}” failed: direct passes settle this loop. Choose automatic, or direct passes.",
        )
        return
    said_on_the_way(closing, outcome)
    advice = why_not(closing, found, outcome, change, made, lost, fullest)
    if outcome.left and outcome.left < 5000 and found.gain is not None and abs(found.gain) < 1.0:
        outcome.findings.append(f"Passing on without acceleration would take about {outcome.left} more passes.")
    _say(run, outcome, advice)


def said_on_the_way(closing, outcome):
    """Findings on an unsettled loop: streams that gained or lost a phase lately, and the first warning of each unit."""
    run = closing.run
    for s, flips in closing.flips.items():
        recent = [f for f in flips if f[0] > closing.passes - 12]
        if recent:
            number, before, now = recent[-1]
            times = f", {len(recent)} times in the last 12 passes" if len(recent) > 1 else ""
            outcome.findings.append(f"Stream {s} went from {before} to {now} in pass {number}{times}.")
    limits = [u for u in outcome.units for level, *_ in run.notes(u) if level == "warning"] if run.done else []
    for u in dict.fromkeys(limits):
        what = next(w for level, w, _ in run.notes(u) if level == "warning")
        outcome.findings.append(f"In {u}: {what[:1].lower() + what[1:]}")


def why_not(closing, found, outcome, change, made, lost, fullest):
    """What keeps a loop from settling and what to do about it, in words; amounts [mol/s], shape (n,)."""
    plan, n, width = closing.plan, closing.n, closing.width
    display = plan.project.display
    falling = max((-found.change[k * width + n + 1] for k in range(len(outcome.tears))), default=0.0)
    stuck = stays(plan.species, closing.fed, change, lost)
    most = gathers(closing.fed + np.maximum(made, 0.0), change, lost, fullest)
    if falling > 1e-6 * 1e5:
        return (
            f"The pressure falls by {show(falling, 'pressure difference', display)} on every pass, and nothing in the loop raises it. "
            "Put a compressor on the return stream, or take the pressure drops out."
        )
    if stuck:
        outcome.no_way_out = stuck
        outcome.builds_up = stuck[0]
        i = plan.species.index(stuck[0])
        return (
            f"{stuck[0]} builds up: {show(float(closing.fed[i]), 'molar flow', display)} is fed and it has no way out, "
            f"so {show(float(change[i]), 'molar flow', display)} more of it stays in the loop after each pass. "
            + draw(closing, outcome, i)
        )
    if change[most] > 1e-7 * closing.scale_flow:
        outcome.builds_up = plan.species[most]
        stay, fed = (show(float(v), "molar flow", display) for v in (change[most], closing.fed[most]))
        return (
            f"{outcome.builds_up} builds up: {stay} more of it stays in the loop after each pass ({fed} is fed). "
            + draw(closing, outcome, most)
        )
    return "The change from pass to pass does not die out. Press “go on from here”, or change one input at a time."


def go_round(closing, outcome):
    """Each way round of the loop with its own gain: the largest share of a species that, sent on its way, comes back by it.

    The share is the product over the units of what goes on along the way over what entered the unit.
    """
    run, plan = closing.run, closing.plan
    place = {u.id: i for i, u in enumerate(plan.project.units)}
    for streams in plan.rounds(closing.group.units):
        share = np.ones(closing.n)
        for before, after in zip(streams, [*streams[1:], streams[0]]):
            unit = plan.sources[after]
            inlets, _ = run.done[unit]
            entering = run.streams[before].n if plan.inlet[before] else sum(s.n for s in inlets)
            with np.errstate(all="ignore"):
                part = run.leaving_stream(after).n / entering
            share = share * np.where(
                np.isfinite(part) & (part <= 1.0 + 1e-9), part, 0.0
            )  # what is made on the way does not count
        i = int(np.argmax(share))
        units = [plan.sources[s] for s in streams]
        first = min(range(len(units)), key=lambda k: place[units[k]])
        outcome.rounds.append({
            "units": units[first:] + units[:first], "stream": streams[first - 1], "species": plan.species[i], "gain": float(share[i]),
        })  # fmt: skip
    outcome.rounds.sort(key=lambda r: -r["gain"])


def _say(run, outcome, advice):
    outcome.advice = advice
    what = f"Loop {' → '.join(outcome.units)} did not settle in {outcome.passes} passes: {outcome.reason}."
    run.solution.messages.append(Message("error", outcome.id, what, advice))


def fullest_flows(closing):
    """Largest flow of each species at any place of the loop [mol/s], shape (n,)."""
    run, plan = closing.run, closing.plan
    loop = plan.loop_units(closing.group.units)
    streams = [run.streams[s].n for s in plan.made_by(loop) if s in run.streams and s not in plan.open]
    return np.max(streams, axis=0) if streams else np.zeros(closing.n)


def returns(species, fullest, lost):
    """{species: share that comes back of what passes the fullest place of the loop}; lost: what does not [mol/s]."""
    enough = 1e-9 * max(float(fullest.sum()), 1e-300)
    return {s: float(max(0.0, 1.0 - b / n)) for s, b, n in zip(species, lost, fullest) if n > enough}


def passes_left(found, tolerance):
    """Direct passes that the loop gain lets expect until the tolerance, or None."""
    gain = abs(found.gain) if found.gain is not None else None
    if gain is None or gain >= 1.0 or not found.history:
        return None
    if gain < 1e-6:
        return 1
    size = found.history[-1] * max(gain / (1.0 - gain), 1e-12)
    return max(1, math.ceil(math.log(tolerance / size) / math.log(gain))) if size > tolerance else 1


def stays(species, fed, change, out):
    """Species of which practically all that is fed stays, most first."""
    found = [i for i in range(len(species)) if fed[i] > 1e-12 and change[i] > 0.5 * fed[i] and out[i] < 0.01 * fed[i]]
    return [species[i] for i in sorted(found, key=lambda i: -fed[i])]


def gathers(comes, change, lost, fullest):
    """Index of the species that gathers most: of those of which more stays after a pass, the one that comes back most fully.

    comes: amounts fed and made; change: more of it after a pass; lost: what leaves or is used up; fullest: largest flow
    in the loop; all [mol/s], shape (n,).
    """
    with np.errstate(all="ignore"):
        back = np.where((comes > 1e-12) & (change > 0.01 * np.abs(change).sum()), 1.0 - lost / fullest, -np.inf)
    if not np.isfinite(back).any():
        return int(np.argmax(change))
    return max(range(len(back)), key=lambda i: (round(float(back[i]), 3), float(change[i])))


def made_in(closing):
    """Amounts made less those used up in the group in its last pass [mol/s], shape (n,)."""
    total = np.zeros(closing.n)
    for unit in closing.group.units:
        if unit in closing.run.done:
            inlets, result = closing.run.done[unit]
            total += sum(s.n for s in result.outlets.values()) - sum(s.n for s in inlets)
    return total


def draw(closing, outcome, i):
    """What to do about an accumulating species, as a sentence: the smallest drawn share that holds it, found by solving."""
    plan, display = closing.plan, closing.plan.project.display
    species = plan.species[i]
    splitter = next(closing.exits(), None)
    if splitter is None:
        return f"Give it a way out: put a splitter on the return stream {outcome.tears[0]} and draw a purge."
    outcome.exit = splitter
    found = smallest_purge(closing, splitter, i) if closing.run.explain else None
    if found is None:
        return f"Give it a larger purge: raise the share drawn at {splitter}."
    held, settles = found
    if held is not None:
        return f"Purge {show(held, 'fraction', display, 2)} at {splitter} to hold {species} under {_percent(LIKELY_SHARE)} of what reaches it."
    must = closing.fed[i] + max(float(made_in(closing)[i]), 0.0)
    why = (f"{show(must, 'molar flow', display)} of it enters or is made, so that a purge of {show(must / LIKELY_SHARE, 'molar flow', display)} "
           f"would be needed to hold it under {_percent(LIKELY_SHARE)}")  # fmt: skip
    if settles is None:
        return f"No share drawn at {splitter} closes the loop: {why}. Feed less of it, make less, or take it out in a unit of its own."
    share, fraction = settles
    return (f"No share drawn at {splitter} holds {species} under {_percent(LIKELY_SHARE)}: {why}. "
            f"From {show(share, 'fraction', display, 2)} on the loop closes, with {_percent(fraction)} {species} before the splitter.")  # fmt: skip


def smallest_purge(closing, splitter, i):
    """((share or None), (share, fraction) or None): the smallest drawn share that holds species i under LIKELY_SHARE, and the
    smallest at which the loop settles with what is then held, both by solves. None where the share cannot be turned.
    """
    address, run = f"{splitter}.drawn", closing.run
    if address in closing.plan.ties or any(t.address == address for t in closing.plan.targets.values()):
        return None

    state = {"start": None}

    def held_at(share):
        """Share of the species before the splitter; None where the loop does not settle."""
        if run.watch.ended():
            return None
        there = closing.plan.run(
            start=state["start"],
            overrides={address: share},
            watch=run.watch,
            max_passes=TRIAL_PASSES,
            explain=False,
        )
        stream = there.streams.get(closing.plan.entering[splitter][0])
        if not there.loops or not all(lo.settled for lo in there.loops) or stream is None or stream.total <= 0.0:
            return None
        state["start"] = there.tears
        return stream.flow[closing.plan.species[i]] / stream.total

    held, settles = None, None
    for share in PURGES:  # from large ones, which settle fast, to the first that is too small
        x = held_at(share)
        if x is None:
            if settles is not None:
                break
            continue
        settles = (share, x)
        if x > LIKELY_SHARE:
            if held is not None:
                break
            continue
        held = share
    if held is None:
        return None, settles
    low, high = max((p for p in PURGES if p < held), default=0.0), held
    for _ in range(4):  # to two figures
        middle = 0.5 * (low + high)
        x = held_at(middle)
        low, high = (low, middle) if x is not None and x <= LIKELY_SHARE else (middle, high)
    return float(f"{high:.2g}") if float(f"{high:.2g}") >= high else float(f"{high * 1.05:.2g}"), settles


def purge(closing, outcome, species):
    """What holds a species of a settled loop under a share, from its balance at the splitter, checked by one more solve."""
    splitter = next(closing.exits(), None)
    if splitter is None:
        return
    outcome.exit = splitter
    inlets, result = closing.run.done[splitter]
    n = inlets[0].n
    i = closing.plan.species.index(species)
    total = float(n.sum())
    if total <= 0.0 or n[i] / total <= LIKELY_SHARE or not closing.run.explain or not outcome.settled:
        return
    others = total - n[i]
    share = float(result.outlets["drawn"].n[i] / (LIKELY_SHARE * others / (1.0 - LIKELY_SHARE)))
    address = f"{splitter}.drawn"
    if (
        not 0.0 < share < 0.9
        or address in closing.plan.ties
        or any(t.address == address for t in closing.plan.targets.values())
    ):
        return
    tears = closing.run.solution.tears
    for _ in range(4):  # the balance counts with the other flows as they are now; what the solve finds corrects it
        there = closing.plan.run(
            start=tears, overrides={address: min(share, 0.95)}, watch=closing.run.watch, explain=False
        )
        after = there.streams.get(closing.plan.entering[splitter][0])
        if not there.solved or after is None or share >= 0.95:
            return
        held = after.flow[species] / after.total
        if held <= 1.005 * LIKELY_SHARE:
            outcome.findings.append(
                f"A drawn share of {show(share, 'fraction', closing.plan.project.display, 2)} at {splitter} would hold {species} "
                f"under {_percent(LIKELY_SHARE)} of what reaches it."
            )
            return
        share, tears = share * 1.01 * held / LIKELY_SHARE, there.tears


def unmet_target(run, target, outcome, why):
    """Say that a target cannot be met, how near it comes and what would move it."""
    display = run.plan.project.display
    wanted, reached = (show(v, target.dimension, display) for v in (target.wanted, outcome.reached))
    at = show(outcome.knob_value, target.knob_dimension, display)
    if why == "unmoved":
        what = f"The target on {target.gauge_label} is not met: turning {target.knob_label} does not change it (it reads {reached})."
        todo = "Choose a knob that does."
    elif why == "same":
        what = f"The target on {target.gauge_label} is not met: the knobs of the targets move their gauges in the same proportion."
        todo = "Switch one of these targets off, or choose another knob for it."
    else:
        ends = {"low": "the low end of its range", "high": "the high end of its range", "inside": "inside its range"}
        together = " together with the others" if len(run.plan.targets) > 1 else ""
        what = (
            f"The target on {target.gauge_label} cannot be met{together}: it should read {wanted}; the closest is {reached}, "
            f"with {target.knob_label} at {at}, {ends[outcome.place or 'inside']}."
        )
        todo = "Widen the knob's range, or ask for a value that can be reached."
        moves = sensitivity_words(target, outcome, display)
        if moves:
            todo = f"There {moves}. " + todo
    run.solution.messages.append(Message("error", f"target.{target.id}", what, todo))


def sensitivity_words(target, outcome, display):
    """How the gauge answers to the knob where the search ended, in words, or ''."""
    slope = outcome.sensitivity
    if slope is None or not math.isfinite(slope):
        return ""
    step = 0.01 * (target.high - target.low)
    kind = {"temperature": "temperature difference", "pressure": "pressure difference"}
    turned = show(step, kind.get(target.knob_dimension, target.knob_dimension), display, 3)
    moved = show(slope * step, kind.get(target.dimension, target.dimension), display, 3)
    return f"{turned} more on {target.knob_label} changes it by {moved}"


def _percent(share):
    return f"{100 * share:.3g} %"
