"""Cures of a loop that does not settle, each solved before it is told: from nothing, and from where the user stands.

A search that creeps from one share to the next may settle where a user who types the share does not; so what it finds counts only if
a solve from each start that the user may have settles as well.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

from gulch.engine.project.edit import append_unit
from gulch.engine.quantities import write

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.engine.flowsheet.closing.account import Account
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.solution import Solution

LIKELY_SHARE = 0.10  # the share an accumulating species is advised to be held under
SLACK = 1.005  # by which it may be missed where a share was rounded
PURGES = (0.9, 0.7, 0.5, 0.35, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002, 0.001)  # shares at which a purge is tried
ABSURD = 50.0  # times what is fed that goes round, beyond which no purge is advised
BEYOND = 200.0  # and beyond which smaller ones are not looked at
TIMES = (5.0, 10.0, 50.0)  # of what is fed, for which the smallest purge is told
TRIAL_PASSES = 60  # of the search along the shares; what it finds is tried with all
MOST_SIZED = 8  # solves to find a share by what goes round
MOST_TOLD = 6  # shares tried from every start before the search is given up


class Held(NamedTuple):
    """A drawn share that was tried: the share of a species before the splitter, and what goes round, over what is fed."""

    share: float
    fraction: float
    round: float


@dataclass(frozen=True)
class Purge:
    """Of the shares tried, the one that holds the species and the least at which the loop settles, both without an absurd recycle.

    curve: what every share gave at which the loop settled, largest share first.
    """

    holds: Held | None
    settles: Held | None
    curve: list[Held]


def is_set(plan: Plan, address: str) -> bool:
    """Whether a tie or a target sets an input."""
    return address in plan.ties or any(t.address == address for t in plan.targets.values())


def held_by(account: Account, there: Solution, splitter: str, share: float, i: int) -> Held | None:
    """What a trial with a drawn share gave for species i; None where its loops do not settle."""
    fraction = fraction_before(account, there, account.plan.entering[splitter][0], i)
    back = there.streams.get(account.plan.leaving[splitter].get("rest", ""))
    return None if fraction is None else Held(share, fraction, back.total / account.scale_flow if back is not None else 0.0)


def fraction_before(account: Account, there: Solution, stream: str, i: int) -> float | None:
    """Share of species i in a stream of a trial; None where its loops do not settle."""
    found = there.streams.get(stream)
    if not there.solved or not all(lo.settled for lo in there.loops) or found is None or found.total <= 0.0:
        return None
    return found.flow[account.plan.species[i]] / found.total


def from_every_start(account: Account, splitter: str, share: float, i: int, more: tuple = ()) -> Held | None:
    """What a drawn share gives, the largest share of species i over all starts; None where from one of them it does not settle.

    more: further Starts than those of the account.
    """
    worst = None
    for start in (*account.starts, *more):
        if account.ended():
            return None
        found = held_by(account, account.trial(start, {f"{splitter}.drawn": share}), splitter, share, i)
        if found is None:
            return None
        worst = found if worst is None or found.fraction > worst.fraction else worst
    return worst


def purges(account: Account, splitter: str, i: int, now: float) -> tuple[list[Held], list]:
    """(what shares above the present one give, from large ones, which settle fast, to the first that does not; their Starts)."""
    out, starts, start = [], [], None
    for share in (p for p in PURGES if p > now):
        if account.ended():
            break
        there = account.trial(start, {f"{splitter}.drawn": share}, TRIAL_PASSES)
        found = held_by(account, there, splitter, share, i)
        if found is None:
            if out:
                break
            continue
        start = there.start
        out.append(found)
        starts.append(start)
        if found.round > BEYOND:
            break
    return out, starts


def smallest_purge(account: Account, splitter: str, i: int) -> Purge | None:
    """The smallest drawn share above the present one that holds species i under LIKELY_SHARE, and the smallest at which the loop settles.

    None where the share cannot be turned, or the trials ended before any was found.
    """
    plan, address = account.plan, f"{splitter}.drawn"
    if is_set(plan, address):
        return None
    now = account.inputs[address]
    curve, starts = purges(account, splitter, i, now)
    sane = [h for h in curve if h.round <= ABSURD]
    # also from what stands at the shares that settled, as a user may have solved before
    trying = _Trying(account, splitter, i, tuple(starts))
    holding = [h for h in sane if h.fraction <= LIKELY_SHARE]
    if not holding:
        found = Purge(None, trying.first([h.share for h in reversed(sane)]), curve)
        return found if found.settles or not account.ended() else None
    low, high = max((h.share for h in curve if h.share < holding[-1].share), default=now), holding[-1].share
    start = starts[curve.index(holding[-1])]
    for _ in range(4):  # to two figures
        middle = 0.5 * (low + high)
        there = account.trial(start, {address: middle}, TRIAL_PASSES)
        found_there = held_by(account, there, splitter, middle, i)
        good = found_there is not None and found_there.fraction <= LIKELY_SHARE and found_there.round <= ABSURD
        low, high = (low, middle) if good else (middle, high)
    candidates = [_rounded_up(high), *(h.share for h in reversed(sane) if h.share > high)]
    holds = trying.first(candidates, LIKELY_SHARE * SLACK)
    found = Purge(holds, holds or trying.first([h.share for h in reversed(sane)]), curve)
    return found if found.settles or not account.ended() else None


@dataclass(frozen=True)
class _Trying:
    """Shares drawn, tried from every start and from `more`; of species i before a splitter."""

    account: Account
    splitter: str
    i: int
    more: tuple

    def first(self, shares: list[float], most: float = 1.0) -> Held | None:
        """What the first share gives that settles from every start with no more than `most`; None without any."""
        for share in shares[:MOST_TOLD]:
            found = from_every_start(self.account, self.splitter, share, self.i, self.more)
            if found is not None and found.fraction <= most and found.round <= ABSURD * SLACK:
                return found
        return None


def sizes_round(account: Account, splitter: str, i: int, curve: list[Held]) -> list[tuple[float, Held]]:
    """(times, the smallest drawn share, tried, to two figures, at which no more than so many times what is fed goes round), for TIMES.

    Those that the curve does not bracket are left out.
    """
    out = []
    for times in TIMES:
        high = next((h for h in reversed(curve) if h.round <= times), None)
        low = next((h for h in curve if h.round > times), None)
        start = account.start
        for _ in range(MOST_SIZED):
            if high is None or low is None or account.ended():
                break
            slope = math.log(low.share / high.share) / math.log(low.round / max(high.round, 1e-3))
            share = _rounded_up(high.share * math.exp(slope * math.log(times / max(high.round, 1e-3))))
            if share >= high.share:
                out.append((times, high))
                break
            there = account.trial(start, {f"{splitter}.drawn": share})
            found = held_by(account, there, splitter, share, i)
            if found is None:
                break
            start = there.start
            high, low = (found, low) if found.round <= times else (high, found)
    return out


def _rounded_up(share: float) -> float:
    """A share to two figures, not below it."""
    near = float(f"{share:.2g}")
    return near if near >= share else float(f"{share * 1.05:.2g}")


def purge_by_balance(account: Account, splitter: str, i: int, share: float) -> float | None:
    """The share that holds species i under LIKELY_SHARE in a settled loop, from a first guess by its balance; None where none is found."""
    address, start = f"{splitter}.drawn", account.start
    stream = account.plan.entering[splitter][0]
    if not 0.0 < share < 0.9 or is_set(account.plan, address):
        return None
    share = _rounded_up(share)  # what is told is what was tried
    for _ in range(4):  # the balance counts with the other flows as they are now; what the solve finds corrects it
        there = account.trial(start, {address: min(share, 0.95)})
        x = fraction_before(account, there, stream, i)
        if x is None or share >= 0.95:
            return None
        if x <= SLACK * LIKELY_SHARE:
            settles = share > account.inputs[address] and from_every_start(account, splitter, share, i) is not None
            return share if settles else None
        share, start = _rounded_up(share * 1.01 * x / LIKELY_SHARE), there.start
    return None


def with_purge(account: Account, stream: str, i: int) -> tuple | None:
    """(share, share of species i in the stream) of the least purge tried on it that settles the loop, () where none does.

    None where it cannot be tried.
    """
    found: tuple = ()
    for share in (0.5, 0.2, 0.1, 0.05, 0.02):
        if account.ended():
            return None

        def purged(project: Project, share: Any = share) -> None:
            unit = project.unit(append_unit(project, stream, "splitter"))
            unit.drawn = write(share, "fraction", project.display)

        x = fraction_before(account, account.edited(purged), stream, i)
        if x is None:
            if found:
                break
            continue
        found = (share, x)
        if x > LIKELY_SHARE:
            break
    return None if account.ended() and not found else found


def with_machine(account: Account, stream: str) -> tuple | None:
    """(kind, pressure [Pa], whether the loop settles) with a machine on a return stream that brings it to what enters the loop.

    None where it could not be tried to the end.
    """
    kind = "pump" if account.is_liquid(stream) else "compressor"

    def raised(project: Project) -> None:
        unit = project.unit(append_unit(project, stream, kind))
        unit.pressure = write(account.entering_pressure, "pressure", project.display)

    there = account.edited(raised)
    settles = there.solved and all(lo.settled for lo in there.loops)
    return None if account.ended() and not settles else (kind, account.entering_pressure, settles)
