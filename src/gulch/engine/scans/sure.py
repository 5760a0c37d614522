"""How sure figures are: data within their ranges are sampled, and every gauge gets a band and its inputs in the order of their part.

Samples are those of Saltelli's scheme over Sobol's sequence, so that one set of solves gives both the band and the shares of the
variance (Saltelli et al., Comput. Phys. Commun. 181 (2010) 259).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.chemistry.constants import gibbs_spread
from gulch.engine.flowsheet.plan import FACTOR
from gulch.engine.fluids import R
from gulch.engine.project.unsure import fits_in_use
from gulch.engine.quantities import QuantityError, difference_of, parse, split_text
from gulch.engine.scans.grid import ScanError, gauge_rows
from gulch.engine.scans.points import finite, usable
from gulch.engine.settle import UNWATCHED

if TYPE_CHECKING:
    from gulch.engine.document import FitEntry, SpreadEntry
    from gulch.engine.explain import Plan
    from gulch.engine.flowsheet.start import Start
    from gulch.engine.settle import Watch

SAMPLES = 64  # of each of the two sets; there are SAMPLES (d + 2) solves of d data
BAND_SAMPLES = 16  # of a point of a scan
BEST_SAMPLES = 64  # of an optimum
RESAMPLES = 200  # drawn anew from the samples, for what shares may be off by
NINE_IN_TEN = (0.05, 0.95)
MOST_FAILED = 0.1  # share of the samples beyond which nothing is said of shares
SEED = 1
WORDS_OF = {"k": "k", "back_k": "k′", "energy": "E", "back_energy": "E′", "order": "orders", "adsorption": "K"}  # of what was fitted
WORDS = {"constant": "K of", "rate": "rate constant of", "bought": "price bought of", "sold": "price sold of"}


@dataclass(frozen=True)
class Unsure:
    """A datum within a range. address: the override that samples it; low, now, high in SI, or as factors around 1.

    shape: even between the ends, or normal or log-normal so that 95 in 100 lie between them.
    """

    key: str
    label: str
    address: str
    dimension: str
    low: float
    now: float
    high: float
    shape: str = "even"

    @property
    def width(self) -> int:
        """How many places it takes."""
        return 1

    def at(self, u: np.ndarray) -> dict[str, float]:
        """The override at a place from 0 to 1, shape (1,); factors of constants are spread evenly in their logarithms."""
        place = float(u[0])
        if self.shape == "normal":
            return {self.address: self.now + _normal(place) / OF_95 * 0.5 * (self.high - self.low)}
        if self.shape == "log-normal" and self.now > 0.0:
            return {self.address: self.now * (self.high / self.now) ** (_normal(place) / OF_95)}
        if self.address.startswith((f"{FACTOR}constant", f"{FACTOR}rate")):
            return {self.address: self.low * (self.high / self.low) ** place}
        return {self.address: self.low + place * (self.high - self.low)}


@dataclass(frozen=True)
class Together:
    """Numbers of rate laws as a fit left them, which hang together: normal with the fit's covariance.

    addresses and now, values in SI, shape (p,); logarithmic: whether the covariance is of the logarithm; root: of the covariance,
    shape (p, p), widened to Student's t where the scatter was found from few readings.
    """

    key: str
    label: str
    addresses: list[str]
    now: list[float]
    logarithmic: list[bool]
    root: list[list[float]]
    address: str = ""

    @property
    def width(self) -> int:
        """How many places it takes."""
        return len(self.now)

    def at(self, u: np.ndarray) -> dict[str, float]:
        """The overrides at places from 0 to 1, shape (p,)."""
        by = np.array(self.root) @ np.array([_normal(float(x)) for x in u])
        moved = [now * math.exp(d) if log else now + d for now, d, log in zip(self.now, by.tolist(), self.logarithmic, strict=True)]
        kept = [max(v, NOTHING) if ".adsorption." in a else v for a, v in zip(self.addresses, moved, strict=True)]
        return dict(zip(self.addresses, kept, strict=True))


@dataclass(frozen=True)
class Common:
    """Data with a common cause: normal deviates r f + sqrt(1 - r^2) e, each with its own e and correlation r, and one f for all.

    So the deviates of any two are correlated by the product of theirs (one common factor: Spearman, Am. J. Psychol. 15 (1904) 201); the
    data too where both are normal, else by a little less (evenly spread ones by 6/π arcsin(r/2)).
    """

    key: str
    label: str
    members: list[Unsure]
    correlations: list[float]
    address: str = ""

    @property
    def width(self) -> int:
        """How many places it takes: of the cause, and of what each has by itself."""
        return 1 + len(self.members)

    def at(self, u: np.ndarray) -> dict[str, float]:
        """The overrides at places from 0 to 1, shape (1 + members,)."""
        out, f = {}, _normal(float(u[0]))
        for x, r, own in zip(self.members, self.correlations, u[1:], strict=True):
            z = r * f + math.sqrt(max(1.0 - r * r, 0.0)) * _normal(float(own))
            out |= x.at(np.array([scipy.special.ndtr(z)]))
        return out


Sampled = Unsure | Together | Common

OF_95 = 1.959964  # standard deviations that hold 95 in 100
NOTHING = 1e-200  # of an adsorption constant


def _normal(u: float) -> float:
    """The standard normal deviate of a share; the outermost millionths are cut."""
    return float(scipy.special.ndtri(min(max(u, 1e-6), 1.0 - 1e-6)))


@dataclass
class Sure:
    """What sampling found. gauges: rows {"id", "label", "dimension", "now", "low", "high", "first": {key: share}, "total": {key: share}}.

    low, high: nine samples in ten lie between them; first: share of the variance that a datum has by itself, total: with what it does
    together with others, off: what the total may be off by for the number of samples (nine times in ten); all {} where too many samples
    failed. data: the Unsure as plain data.
    """

    data: list
    gauges: list = field(default_factory=list)
    samples: int = 0
    failed: int = 0

    def to_dict(self) -> dict[str, Any]:
        """Plain data."""
        return asdict(self)


def unsure_of(plan: Plan) -> list[Sampled]:
    """The data of a prepared process that are not sure: those with ranges, and what fits left.

    Raises ScanError with a sentence where there are none, or one cannot be read.
    """
    found: list[Sampled] = [together(plan, entry) for entry in fits_in_use(plan.project)]
    taken = {a for f in found if isinstance(f, Together) for a in f.addresses}
    free = [(x, entry) for entry in plan.project.spreads if (x := unsure(plan, entry)).address not in taken]
    found += commonly(free)
    if not found:
        raise ScanError("No datum has a range yet: add what you are not sure of, with how far it may be off.")
    return found


def commonly(free: list[tuple[Unsure, SpreadEntry]]) -> list[Sampled]:
    """Data by themselves, and those with a common cause as one, in the place of the first."""
    causes: dict[tuple[str, str], list[tuple[Unsure, SpreadEntry]]] = {}
    for x, entry in free:
        causes.setdefault((entry.cause, "") if entry.correlation and entry.cause else ("", x.key), []).append((x, entry))
    return [own[0][0] if len(own) == 1 else _common(cause, own) for (cause, _), own in causes.items()]


def _common(cause: str, own: list[tuple[Unsure, SpreadEntry]]) -> Common:
    label = f"{', '.join(x.label for x, _ in own)}, by {cause}"
    return Common(f"cause.{cause}", label, [x for x, _ in own], [e.correlation for _, e in own])


def together(plan: Plan, entry: FitEntry) -> Together:
    """What a fit in use left. Raises ScanError where its numbers are none of the process."""
    found = entry.found
    if found is None or any(a not in plan.inputs for a in found.numbers):
        raise ScanError(f"The fit {entry.name or entry.id} found numbers that the laws have no more: fit again.")
    V = np.array(found.covariance)
    size, vectors = np.linalg.eigh(V)
    wide = scipy.stats.t.ppf(0.975, found.freedom) / OF_95 if found.freedom > 0 else 1.0
    root = wide * vectors * np.sqrt(np.maximum(size, 0.0))
    kinds = [a.split(".")[1] for a in found.numbers]
    label = f"{', '.join(WORDS_OF.get(k, k) for k in dict.fromkeys(kinds))} as fitted"
    now = [plan.inputs[a] for a in found.numbers]
    logarithmic = found.logarithmic or [k in ("k", "back_k") for k in kinds]
    return Together(f"fit.{entry.id}", label, list(found.numbers), now, logarithmic, root.tolist())


def unsure(plan: Plan, entry: SpreadEntry) -> Unsure:
    """The Unsure of a document's entry. Raises ScanError."""
    if entry.what != "input":
        of = entry.reaction or entry.species or ""
        shown = next((s.shown for s in plan.project.species if s.id == of), of)
        label = f"{WORDS[entry.what]} {shown}"
        try:
            by = parse(entry.by, "fraction")
        except QuantityError as error:
            raise ScanError(f"The range of {label}: {error}") from None
        if not 0.0 < by < 10.0 or (entry.what in ("bought", "sold") and by >= 1.0):
            raise ScanError(f"The range of {label} must lie above 0 and below {'100' if entry.what in ('bought', 'sold') else '1000'} %.")
        low = 1.0 / (1.0 + by) if entry.what in ("constant", "rate") else 1.0 - by
        return Unsure(entry.key, label, f"{FACTOR}{entry.what}.{of}", "ratio", low, 1.0, 1.0 + by, entry.shape)
    address = plan.bounds.get(entry.input or "")
    if address is None or address.address not in plan.inputs:
        raise ScanError(f"{entry.input} has no value that could be unsure: remove it from the list.")
    if address.address in plan.ties or any(t.address == address.address for t in plan.targets.values()):
        raise ScanError(f"{address.label} is set by a tie or a target: remove it from what is unsure.")
    now = plan.inputs[address.address]
    try:
        relative = address.dimension != "fraction" and split_text(entry.by)[1] == "%"
        by = abs(now) * parse(entry.by, "fraction") if relative else parse(entry.by, difference_of(address.dimension))
    except QuantityError as error:
        raise ScanError(f"The range of {address.label}: {error}") from None
    low, high = max(now - by, address.low), min(now + by, address.high)
    if not low < high:
        raise ScanError(f"The range of {address.label} must lie above 0.")
    return Unsure(entry.key, address.label, address.address, address.dimension, low, now, high, entry.shape)


def by_sources(plan: Plan, reaction: str) -> float | None:
    """By what share the sources of formation data let a reaction's K vary at 298.15 K, from the middle; None where they do not say."""
    prepared = plan.reactions.get(reaction)
    if prepared is None or prepared.constant is None or prepared.constant.source != "gibbs":
        return None
    T = 298.15
    spread = gibbs_spread(prepared.nu, plan.model, T)
    return None if spread is None else math.expm1((spread.high - spread.low) / (2.0 * R * T))


def overrides_at(data: list[Sampled], u: np.ndarray) -> dict[str, float]:
    """{address: value} at places u from 0 to 1, shape (all widths,)."""
    out, at = {}, 0
    for x in data:
        out |= x.at(u[at : at + x.width])
        at += x.width
    return out


def design(widths: int | list[int], n: int = SAMPLES) -> np.ndarray:
    """Places of Saltelli's scheme for d data, shape (n (d + 2), all widths): two sets A and B of n, then A with one datum of B's after
    another. widths: how many places each datum takes; a number: so many data of one each."""
    widths = [1] * widths if isinstance(widths, int) else widths
    places = sum(widths)
    both = scipy.stats.qmc.Sobol(2 * places, seed=SEED).random(n)
    a, b = both[:, :places], both[:, places:]
    of = np.repeat(np.arange(len(widths)), widths)
    mixed = [np.where(of == i, b, a) for i in range(len(widths))]
    return np.vstack([a, b, *mixed])


def shares(values: np.ndarray, d: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(first-order, total, what the total may be off by) of values at the places of `design`, shape (n (d + 2),): shape (d,) each.

    Sobol indices. First-order shares cannot add to more than all: where samples are few and they do, they are scaled to it.
    """
    n = values.size // (d + 2)
    blocks = values.reshape(d + 2, n)
    if np.ptp(blocks[:2]) <= 1e-12 * np.abs(blocks[:2]).max(initial=1e-300):
        return np.zeros(d), np.zeros(d), np.zeros(d)
    if d == 1:
        return np.ones(1), np.ones(1), np.zeros(1)
    function = {"f_A": blocks[0][None], "f_B": blocks[1][None], "f_AB": blocks[2:][:, None, :]}
    found = scipy.stats.sobol_indices(func=function, n=n, rng=np.random.default_rng(SEED))
    first, total = (np.clip(np.atleast_1d(x), 0.0, None) for x in (found.first_order, found.total_order))
    with np.errstate(all="ignore"):
        ends = found.bootstrap(confidence_level=0.9, n_resamples=RESAMPLES).total_order.confidence_interval
    off = np.nan_to_num(0.5 * np.abs(np.atleast_1d(ends.high) - np.atleast_1d(ends.low)))
    return first / max(first.sum(), 1.0), total, off


def sure(
    plan: Plan, start: Start | None = None, watch: Watch = UNWATCHED, tell: Callable = lambda done, total: None, samples: int = SAMPLES
) -> Sure:
    """Sample what is unsure of a prepared process: a band and shares for every gauge. tell(done, total) hears of each solve.

    Raises ScanError with a sentence where nothing is unsure, nothing is watched, or the process does not solve as it is.
    """
    rows, data = gauge_rows(plan.project), unsure_of(plan)
    if not rows:
        raise ScanError("No gauge is there to be watched: turn a result into a gauge first.")
    base = plan.run_from(start, watch=watch, explain=False)
    if not usable(base):
        raise ScanError("The process does not solve as it is: mend it first.")
    places = design([x.width for x in data], samples)
    found = np.full((len(places), len(rows)), np.nan)
    for k, u in enumerate(places):
        if watch.ended():
            break
        solution = plan.run_from(base.start, overrides_at(data, u), watch, explain=False)
        if usable(solution):
            found[k] = [np.nan if (v := finite(solution.gauges.get(g["id"]))) is None else v for g in rows]
        tell(k + 1, len(places))
    out = Sure([asdict(x) for x in data], samples=len(places), failed=int(np.isnan(found).all(axis=1).sum()))
    for g, values in zip(rows, found.T, strict=True):
        out.gauges.append(_told(g, values, data, finite(base.gauges.get(g["id"]))))
    return out


def _told(gauge: dict[str, Any], values: np.ndarray, data: list[Sampled], now: float | None) -> dict[str, Any]:
    """A gauge's row of Sure."""
    n = 2 * (values.size // (len(data) + 2))  # the two independent sets
    known, free = ~np.isnan(values), values[:n][~np.isnan(values[:n])]
    row = {n: gauge[n] for n in ("id", "label", "dimension")} | {"now": now, "low": None, "high": None, "first": {}, "total": {}, "off": {}}
    if free.size:
        row["low"], row["high"] = (float(v) for v in np.quantile(free, NINE_IN_TEN))
        row["ends_off"] = _ends_off(free)
    if known.mean() >= 1.0 - MOST_FAILED:
        first, total, off = shares(np.where(known, values, np.nanmean(values)), len(data))
        row["off"] = {x.key: float(v) for x, v in zip(data, off, strict=True)}
        row["first"] = {x.key: float(v) for x, v in zip(data, first, strict=True)}
        row["total"] = {x.key: float(v) for x, v in zip(data, total, strict=True)}
    return row


def _ends_off(values: np.ndarray) -> list[float]:
    """By how much the ends of a band may be off for the number of samples: half of what nine in ten drawn anew leave, shape (2,)."""
    drawn = np.random.default_rng(SEED).choice(values, (RESAMPLES, values.size))
    ends = np.quantile(drawn, NINE_IN_TEN, axis=1)
    return [float(0.5 * np.ptp(np.quantile(side, NINE_IN_TEN))) for side in ends]


def band(
    plan: Plan,
    data: list[Sampled],
    overrides: dict,
    start: Start | None,
    gauges: list,
    watch: Watch = UNWATCHED,
    samples: int = BAND_SAMPLES,
) -> dict[str, list[float]]:
    """{gauge id: [low, high]} between which nine samples in ten lie at one point; overrides: {address: SI} of the point."""
    places = scipy.stats.qmc.Sobol(sum(x.width for x in data), seed=SEED).random(samples)
    found: dict[str, list] = {g["id"]: [] for g in gauges}
    for u in places:
        solution = plan.run_from(start, overrides_at(data, u) | overrides, watch, explain=False)
        if usable(solution):
            for id_, values in found.items():
                value = finite(solution.gauges.get(id_))
                values += [] if value is None else [value]
    return {id_: [float(v) for v in np.quantile(values, NINE_IN_TEN)] for id_, values in found.items() if values}
