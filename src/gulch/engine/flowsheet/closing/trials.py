"""Cures of a loop that does not settle, each solved before it is told: from nothing, and from where the user stands.

A search that creeps from one share to the next may settle where a user who types the share does not; so what it finds counts only if
a solve from each start that the user may have settles as well.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.project.edit import append_unit
from gulch.engine.quantities import write

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.engine.flowsheet.closing.account import Account
    from gulch.engine.flowsheet.plan import Plan
    from gulch.engine.flowsheet.solution import Solution

LIKELY_SHARE = 0.10  # the share an accumulating species is advised to be held under
SLACK = 1.005  # by which it may be missed where a share was rounded
PURGES = (0.9, 0.7, 0.5, 0.35, 0.2, 0.1, 0.05, 0.02, 0.01, 0.005, 0.002)  # shares at which a purge is tried
TRIAL_PASSES = 60  # of the search along the shares; what it finds is tried with all
MOST_TOLD = 6  # shares tried from every start before the search is given up


@dataclass(frozen=True)
class Purge:
    """(share drawn, share of the species before the splitter) that holds the species, and the least at which the loop settles."""

    holds: tuple | None
    settles: tuple | None


def is_set(plan: Plan, address: str) -> bool:
    """Whether a tie or a target sets an input."""
    return address in plan.ties or any(t.address == address for t in plan.targets.values())


def fraction_before(account: Account, there: Solution, stream: str, i: int) -> float | None:
    """Share of species i in a stream of a trial; None where its loops do not settle."""
    found = there.streams.get(stream)
    if not there.solved or not all(lo.settled for lo in there.loops) or found is None or found.total <= 0.0:
        return None
    return found.flow[account.plan.species[i]] / found.total


def from_every_start(account: Account, overrides: dict, stream: str, i: int, more: tuple = ()) -> float | None:
    """Share of species i in a stream with some inputs changed, the largest over all starts; None where one of them does not settle.

    more: further Starts than those of the account.
    """
    worst = None
    for start in (*account.starts, *more):
        if account.ended():
            return None
        x = fraction_before(account, account.trial(start, overrides), stream, i)
        if x is None:
            return None
        worst = x if worst is None else max(worst, x)
    return worst


def smallest_purge(account: Account, splitter: str, i: int) -> Purge | None:
    """The smallest drawn share above the present one that holds species i under LIKELY_SHARE, and the smallest at which the loop settles.

    None where the share cannot be turned, or the trials ended before any was found.
    """
    plan, address = account.plan, f"{splitter}.drawn"
    if is_set(plan, address):
        return None
    stream, now, start = plan.entering[splitter][0], account.inputs[address], None

    def held_at(share: float) -> float | None:
        """Share of the species before the splitter, followed from one share to the next; None where the loop does not settle."""
        nonlocal start
        if account.ended():
            return None
        there = account.trial(start, {address: share}, TRIAL_PASSES)
        x = fraction_before(account, there, stream, i)
        start = there.start if x is not None else start
        return x

    held, settles, starts = None, None, {}
    shares = [p for p in PURGES if p > now]
    for share in shares:  # from large ones, which settle fast, to the first that is too small
        x = held_at(share)
        if x is None and settles is not None:
            break
        if x is None:
            continue
        settles, starts[share] = share, start
        if x <= LIKELY_SHARE:
            held = share
        elif held is not None:
            break
    # also from what stands at the shares that settled, as a user may have solved before
    trying = _Trying(account, address, stream, i, tuple(starts.values()))
    if held is None:
        found = Purge(None, trying.first([s for s in reversed(shares) if settles is not None and s >= settles]))
        return found if found.settles or not account.ended() else None
    low, high = max((p for p in (now, *PURGES) if p < held), default=0.0), held
    for _ in range(4):  # to two figures
        middle = 0.5 * (low + high)
        x = held_at(middle)
        low, high = (low, middle) if x is not None and x <= LIKELY_SHARE else (middle, high)
    candidates = [_rounded_up(high), *(p for p in reversed(shares) if p > high)]
    holds = trying.first(candidates, LIKELY_SHARE * SLACK)
    found = Purge(holds, holds or trying.first(list(reversed(shares))))
    return found if found.settles or not account.ended() else None


@dataclass(frozen=True)
class _Trying:
    """Shares drawn, tried from every start and from `more`; of species i before a splitter."""

    account: Account
    address: str
    stream: str
    i: int
    more: tuple

    def first(self, shares: list[float], most: float = 1.0) -> tuple | None:
        """(share, what is then held) of the first share that settles from every start with no more than `most`; None without any."""
        for share in shares[:MOST_TOLD]:
            x = from_every_start(self.account, {self.address: share}, self.stream, self.i, self.more)
            if x is not None and x <= most:
                return share, x
        return None


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
            settles = share > account.inputs[address] and from_every_start(account, {address: share}, stream, i) is not None
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
