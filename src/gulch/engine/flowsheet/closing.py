"""Closing one group: torn streams, ties that run in a circle through results, and targets, as one system.

The unknowns are a vector: of each tear its flows [mol/s], molar enthalpy [J/mol] and pressure [Pa], then the values of
iterated ties, then the knobs of targets. A pass computes every node once and says what each unknown should have been.
For a knob that is a Newton step with the sensitivity of the gauges found beforehand, so that one search closes all.
"""

from dataclasses import replace

import numpy as np
import scipy  # its parts are loaded when first used: a start must not wait for them

from gulch.engine.flowsheet import diagnosis
from gulch.engine.flowsheet.solution import LoopOutcome, TargetOutcome
from gulch.engine.phases import Stream, StreamTrouble
from gulch.engine.quantities import show
from gulch.engine.settle import LoopResult, PassFailed, Reason, settle
from gulch.engine.units.base import UnitTrouble

MOST_SEARCHES = 20  # times the pass limit: all passes that a group with targets may make
LOOSE = 1e-4  # tolerance of the loops while sensitivities are measured
QUICK_PASSES = 40  # of the first search over everything
STEP = 0.02  # of a knob's range, to measure a sensitivity
FAR = 10.0  # scaled error given to knobs where nothing can be computed
LOOKS = 9  # positions of a knob over its range that are looked at
MOST_LOST = 24  # positions of a knob at which the loops may fail to settle before its search is given up
MET = 1e-6  # remaining error of a target, on its value or on what its knob can change
_TIE_SCALE = {"temperature": 100.0, "pressure": 1e5, "molar flow": 1.0, "fraction": 1.0, "ratio": 1.0, "power": 1e5}
PLAIN_PASSES = 40  # made after an unsettled search, to see what builds up
WILD = 300.0  # flow of the tears, on what is fed, that no search should end at
SHOWN_PASSES = 400  # of which the values are kept


class Lost(Exception):
    """The loops do not settle where a target's search looks."""


def root_between(value, a, f_a, b, f_b, tolerance):
    """Close in on a sign change of value(k) between a and b; False where no point between can be computed.

    value: a number, or None where it cannot be computed; such a point narrows the bracket and does not end the search.
    Secant steps (Illinois), halves where they do not pay. The last point computed is the best.
    """
    g_a, g_b, side = f_a, f_b, 0
    for step in range(80):
        if abs(b - a) <= tolerance:
            break
        k = b - g_b * (b - a) / (g_b - g_a) if g_b != g_a and step % 3 != 2 else 0.5 * (a + b)
        f = value(k)
        if f is None:
            found = _beside(value, a, k, b)
            if found is None:
                return step > 0
            k, f = found
        if f == 0.0:
            break
        if (f > 0.0) == (f_a > 0.0):
            a, f_a, g_a = k, f, f
            g_b = 0.5 * g_b if side == -1 else g_b
            side = -1
        else:
            b, f_b, g_b = k, f, f
            g_a = 0.5 * g_a if side == 1 else g_a
            side = 1
    return True


def _beside(value, a, hole, b):
    """(k, value) of a point between a and b near one that cannot be computed, or None."""
    for share in (0.5, 0.25, 0.1, 0.02):
        for k in (hole + share * (b - hole), hole + share * (a - hole), b + share * (hole - b), a + share * (hole - a)):
            f = value(k)
            if f is not None:
                return k, f
    return None


class Closing:
    """One group of a run being closed. Values in SI throughout."""

    def __init__(self, run, group, tolerance, method, max_passes):
        self.run, self.plan, self.group = run, run.plan, group
        self.tolerance, self.method, self.max_passes = tolerance, method, max_passes
        self.n = len(self.plan.species)
        self.width = self.n + 2
        self.targets = [self.plan.targets[id_] for id_ in group.targets]
        self.ties = [self.plan.ties[address] for address in group.ties]
        self.at_ties = self.width * len(group.tears)
        self.at_knobs = self.at_ties + len(self.ties)
        self.size = self.at_knobs + len(self.targets)
        self.ranges = np.array([t.high - t.low for t in self.targets])
        self.slope = None  # d(residual)/d(knob), shape (m, m)
        self.residual = np.zeros(len(self.targets))
        self.guesses = {}
        self.passes = 0
        self.most = MOST_SEARCHES * self.max_passes  # of all searches together
        self.steps, self.history = [], []  # of every search, one after another
        self.records = []  # (vector, its pass, residual) of passes with fixed knobs
        self.phases, self.flips = {}, {}
        self.trouble = None
        self.remarks = []  # for the loop's findings
        self.closest = {}  # target id -> how it could not be met
        self.flat = False  # the only target's gauge reads the same over the knob's whole range
        self.method_failed = False  # the method asked for does not settle what direct passes settle

    # The vector

    def start(self):
        """(start, scale, floor, ceiling), or None when the group cannot begin; the run is told why."""
        run, group = self.run, self.group
        for target in self.targets:
            kept = run.start.get(target.node)
            at = run.inputs.get(target.address) if kept is None else kept
            at = 0.5 * (target.low + target.high) if at is None else at
            run.set_input(target.address, min(max(at, target.low), target.high))
        for tie in self.ties:
            kept = run.start.get(tie.node)
            if kept is not None:
                run.set_input(tie.address, kept)
            elif tie.address not in run.inputs:
                run.say("error", tie.address, f"{tie.label} is tied to a result that depends on it.",
                        "Type a value for it, from which the search can start.")  # fmt: skip
                return None
        for node in group.nodes:
            if node in self.plan.feed_by_id:
                run.make_feed(node)
        entering, template = self.entering()
        if group.tears and (template is None or entering.sum() <= 0.0):
            run.say("error", group.units[0], f"The loop {' → '.join(group.units)} has no feed.", "Send a feed into it.")
            return None
        if group.tears and not self.ways_out():
            run.say("error", group.units[0], f"Nothing leaves the loop {' → '.join(group.units)}: whatever is fed stays in it.",
                    "Take a product out of it, or draw a purge with a splitter.")  # fmt: skip
            return None
        self.fed, self.scale_flow = entering, max(float(entering.sum()), 1e-12)
        n, width = self.n, self.width
        x = np.zeros(self.size)
        scale, floor, ceiling = np.ones(self.size), np.full(self.size, -np.inf), np.full(self.size, np.inf)
        for k, tear in enumerate(group.tears):
            part = slice(k * width, (k + 1) * width)
            x[part] = self.tear_start(tear, template)
            scale[part] = np.r_[np.full(n, self.scale_flow), 1e4, template.P]
            floor[part] = np.r_[np.zeros(n), -np.inf, 1.0]
        for k, tie in enumerate(self.ties, self.at_ties):
            x[k] = run.inputs[tie.address]
            scale[k] = max(abs(x[k]), _TIE_SCALE.get(tie.dimension, 1.0))
            bounds = self.plan.bounds[tie.address]
            floor[k], ceiling[k] = bounds.low, bounds.high
        for k, target in enumerate(self.targets, self.at_knobs):
            x[k], scale[k], floor[k], ceiling[k] = (
                run.inputs[target.address],
                target.high - target.low,
                target.low,
                target.high,
            )
        self.scale, self.floor, self.ceiling = scale, floor, ceiling
        self.begin = x.copy()
        return x

    def entering(self):
        """(amounts fed to the group from outside, one of the streams that bring them)."""
        plan, units = self.plan, set(self.group.units)
        outside = [s for u in self.group.units for s in plan.entering[u] if plan.sources[s] not in units]
        streams = [self.run.streams[s] for s in outside if s in self.run.streams]
        return sum((s.n for s in streams), np.zeros(self.n)), streams[0] if streams else None

    def ways_out(self):
        """(unit, stream or None) of every outlet that leaves the group."""
        plan, units = self.plan, set(self.group.units)
        out = []
        for u in self.group.units:
            for port in plan.ports[u]:
                s = plan.leaving[u].get(port)
                if s is None or plan.enters[s] not in units or s in plan.open:
                    out.append((u, s))
        return out

    def tear_start(self, tear, template):
        """Flows, molar enthalpy and pressure a tear starts from: the user's guess if newer, else what was kept."""
        typed = self.plan.guesses.get(tear)
        kept = self.run.start.get(tear)
        if kept and (typed is None or kept.get("typed") == typed.signature):
            self.guesses[tear] = kept["guess"]
            flows = [max(kept["flow"].get(s, 0.0), 0.0) for s in self.plan.species]
            return np.r_[flows, kept["molar_enthalpy"], kept["pressure"]]
        if typed is not None:
            stream = typed.stream(self.plan.model, template)
            self.guesses[tear] = stream.T
            return np.r_[stream.n, stream.enthalpy_flow / stream.total if stream.total else 0.0, stream.P]
        self.guesses[tear] = template.guess
        return np.r_[np.zeros(self.n), 0.0, template.P]

    def knobs(self, x):
        return x[self.at_knobs :]

    # A pass

    def one_pass(self, x):
        """What the unknowns should have been, by computing every node once from x. Raises PassFailed."""
        run, group, n, width = self.run, self.group, self.n, self.width
        self.passes += 1
        for k, tear in enumerate(group.tears):
            part = x[k * width : (k + 1) * width]
            flow = part[:n].copy()
            run.streams[tear] = Stream.at_enthalpy(
                self.plan.model, flow, part[n] * float(flow.sum()), float(part[n + 1]), self.guesses[tear]
            )
        for k, tie in enumerate(self.ties, self.at_ties):
            run.set_input(tie.address, float(x[k]))
        for k, target in enumerate(self.targets, self.at_knobs):
            run.set_input(target.address, float(x[k]))
        out = np.array(x, float)
        try:
            for node in group.nodes:
                value = run.visit(node, keep=node[4:] not in group.ties)
                if value is not None and node[:4] == "tie:" and node[4:] in group.ties:
                    out[self.at_ties + group.ties.index(node[4:])] = value
            for k, target in enumerate(self.targets):
                reading = run.live(target.reads)
                if reading is None or not np.isfinite(reading):
                    if self.slope is not None:
                        run.at = target.node
                        raise self.valueless(k, x)
                    reading = np.nan  # with the knobs held the loop may still be filling
                self.residual[k] = reading - target.wanted
            for k, tear in enumerate(group.tears):
                stream = run.streams[tear]
                self.guesses[tear] = stream.guess
                part = out[k * width : (k + 1) * width]
                part[:n] = stream.n
                part[n] = stream.enthalpy_flow / stream.total if stream.total > 0.0 else 0.0
                part[n + 1] = stream.P
        except (UnitTrouble, StreamTrouble) as trouble:
            self.trouble = (run.at, trouble)
            raise PassFailed from trouble
        if self.slope is not None:
            step = np.linalg.lstsq(self.slope * self.ranges, self.residual, rcond=1e-10)[0] * self.ranges
            k = self.knobs(x)
            out[self.at_knobs :] = np.clip(k - step, [t.low for t in self.targets], [t.high for t in self.targets])
        elif self.targets and np.isfinite(self.residual).all():
            self.records.append((np.array(x), out.copy(), self.residual.copy()))
        self.watch_phases()
        return out

    def valueless(self, k, x):
        """What is said of a target whose gauge has no value."""
        target = self.targets[k]
        at = show(float(x[self.at_knobs + k]), target.knob_dimension, self.plan.project.display)
        return UnitTrouble(f"The gauge {target.gauge_label} of a target has no value with {target.knob_label} at {at}.",
                           "Narrow the knob's range, read another result, or switch the target off.")  # fmt: skip

    def watch_phases(self):
        """Remember where a stream of the group gained or lost a phase since the pass before."""
        for s in self.group.tears and self.plan.made_by(self.group.units):
            state = getattr(self.run.streams.get(s), "__dict__", {}).get("state")
            if state is None:
                continue
            now = (
                "both phases"
                if 0.0 < state.vapour_fraction < 1.0
                else ("vapour" if state.vapour_fraction else "liquid")
            )
            before = self.phases.get(s)
            if before is not None and before != now:
                self.flips.setdefault(s, []).append((self.passes, before, now))
            self.phases[s] = now

    def search(self, x, tol=None, secants=None, max_passes=None, method=None):
        found = settle(
            self.one_pass, x, scale=self.scale, floor=self.floor, ceiling=self.ceiling, tol=tol or self.tolerance,
            max_passes=max_passes or self.max_passes, secants=secants, watch=self.run.watch,
            method=method or self.method, depth=6 + 2 * len(self.targets),
        )  # fmt: skip
        self.steps += found.iterates
        self.history += found.history
        return found

    def spent(self):
        """Whether the targets' search has to end here: no passes left, or ended from outside."""
        return self.passes >= self.most or self.run.watch.ended() is not None

    # Closing

    def close(self):
        """Settle the group and write its outcome to the run."""
        x = self.start()
        if x is None:
            self.run.failed.update(self.group.units)
            return
        found = None
        try:
            if self.targets:
                found = self.aim(x)
            else:
                found = self.search(x, secants=self.run.start.get(self.key))
        except (PassFailed, Lost):
            where, trouble = self.trouble or (
                self.group.units[0],
                UnitTrouble("The loop does not settle.", "Look at it in Loops."),
            )
            found = self.plain() if self.group.tears and not self.run.watch.ended() else None
            if found is None or found.reason.settled:
                self.run.trouble(where, trouble)
                self.run.waits(self.behind(where), where)
                self.keep(self.begin, ())
                return
            # plain passes go on where the search broke off, so it is the loop that is at fault, not the unit
            found = replace(found, reason=Reason.PASS_FAILED)
            self.remarks.append(f"An accelerated pass broke off at {where}: {trouble}")
        if not found.reason.settled:
            found = self.calmed(found) if self.method in ("automatic", "direct") else self.by_direct_passes(found)
        self.keep(found.tear, found.secants)
        if self.targets:
            self.judge_targets(found)
        if self.group.tears or self.ties:
            self.judge(found)

    def behind(self, where):
        """Units of the group that depend on a node that failed: in a loop all of them, else those computed after it."""
        nodes = self.group.nodes
        if self.group.tears or self.group.ties or where not in nodes:
            return self.group.units
        return [n for n in nodes[nodes.index(where) :] if n in self.plan.units]

    def calmed(self, found):
        """An unsettled search that led nowhere, replaced by plain passes from where it began, to diagnose it by.

        Extrapolation of a loop that has no answer ends anywhere; what plain passes do tells why. A search that was
        on its way is left as it is, so that going on keeps its iterates.
        """
        if found.reason not in (Reason.OUT_OF_PASSES, Reason.STALLED) or not found.history:
            return found
        flow = sum(
            float(found.tear[k * self.width : k * self.width + self.n].sum()) for k in range(len(self.group.tears))
        )
        if found.history[-1] < 0.1 * found.history[0] and flow < WILD * self.scale_flow:
            return found
        plain = self.plain()
        if plain is None or plain.reason.settled:
            return found
        return replace(plain, reason=found.reason, history=found.history, iterates=found.iterates)

    def by_direct_passes(self, found):
        """An unsettled search by a method of the user's choice, replaced by direct passes, to tell method from loop."""
        plain = self.plain(self.max_passes) if self.group.tears and not self.run.watch.ended() else None
        if plain is None:
            return found
        self.method_failed = plain.reason.settled
        return replace(plain, reason=found.reason, history=found.history, iterates=found.iterates)

    def plain(self, passes=PLAIN_PASSES):
        """LoopResult of direct passes from where the search began; None where one fails."""
        slope, self.slope = self.slope, None
        try:
            return settle(self.one_pass, self.begin, scale=self.scale, tol=self.tolerance, max_passes=passes,
                          watch=self.run.watch, method="direct")  # fmt: skip
        except PassFailed:
            return None
        finally:
            self.slope = slope

    @property
    def key(self):
        """Secants belong to these unknowns and this order of species only."""
        return "secants:" + ",".join((*self.group.tears, *self.group.ties, *self.group.targets, *self.plan.species))

    def keep(self, x, secants):
        """Store where the search ended, as the next start."""
        n, width, tears = self.n, self.width, self.run.solution.tears
        tears[self.key] = [np.asarray(a).tolist() for a in secants]
        for k, tear in enumerate(self.group.tears):
            part = x[k * width : (k + 1) * width]
            typed = self.plan.guesses.get(tear)
            tears[tear] = {
                "flow": dict(zip(self.plan.species, part[:n].tolist())), "molar_enthalpy": float(part[n]),
                "pressure": float(part[n + 1]), "guess": float(self.guesses[tear]), "typed": typed.signature if typed else None,
            }  # fmt: skip
        for k, tie in enumerate(self.ties, self.at_ties):
            tears[tie.node] = float(x[k])
        for k, target in enumerate(self.targets, self.at_knobs):
            tears[target.node] = float(x[k])
        if self.slope is not None:
            tears["slope:" + ",".join(self.group.targets)] = self.slope.tolist()

    # Targets

    def aim(self, x):
        """Close loops and targets together; where that fails, the targets outside and the loops inside. Returns LoopResult."""
        found, m = None, len(self.targets)
        kept = self.run.start.get("slope:" + ",".join(self.group.targets))
        if kept is not None and np.shape(kept) == (m, m) and np.isfinite(kept).all():
            self.slope = np.array(kept)
            found = self.together(x, self.run.start.get(self.key))
            if found is not None:
                return found
        try:
            x, secants = self.glimpse(x)
            if np.linalg.cond(self.slope * self.ranges) < 1e8:
                found = self.together(x, secants, QUICK_PASSES)
                if found is not None:
                    return found
            x, secants = self.measure(x)
            if self.useless():
                return self.off_the_plateau(x)
            found = self.together(x, secants)
            if found is not None:
                return found
        except (Lost, PassFailed):
            if self.spent():
                raise
            if self.slope is None and self.method != "automatic":
                return self.last_or_raise()  # the method asked for does not settle the loops, whatever the knobs
        return self.apart(x)

    def together(self, x, secants, max_passes=None):
        """One search over everything; None unless it settles with every target met."""
        try:
            found = self.search(
                x, secants=secants, max_passes=max_passes, method="anderson" if self.method == "automatic" else None
            )
        except PassFailed:
            return None
        if found.reason in (Reason.CANCELLED, Reason.OUT_OF_TIME):
            return found
        return found if found.reason.settled and self.met().all() else None

    def met(self):
        """Which targets read what they must, shape (m,)."""
        reach = np.abs(self.slope) @ self.ranges if self.slope is not None else np.zeros(len(self.targets))
        wanted = np.array([abs(t.wanted) for t in self.targets])
        return np.abs(self.residual) <= MET * np.maximum(wanted, 0.1 * reach)

    def settled_at(self, x, knobs, tol=None, secants=None):
        """(LoopResult, residuals) with the knobs held. Raises Lost when the loops do not settle there."""
        self.slope, slope = None, self.slope
        try:
            x = x.copy()
            x[self.at_knobs :] = knobs
            found = self.search(x, tol=tol, secants=secants, method=None)
        except PassFailed:
            raise Lost from None
        finally:
            self.slope = slope
        if not found.reason.settled:
            self.last = found
            raise Lost
        if not np.isfinite(self.residual).all():
            k = int(np.argmin(np.isfinite(self.residual)))
            self.trouble = (self.targets[k].node, self.valueless(k, found.tear))
            raise Lost
        return found, self.residual.copy()

    def glimpse(self, x):
        """As `measure`, from one pass for each knob, what it sets going in the loops followed along the secants at hand."""
        self.slope, self.records = None, []
        found, r0 = self.settled_at(x, self.knobs(x).copy(), LOOSE)
        base, k0 = found.tear, self.knobs(x)
        dx, dg, dr = (np.array([b[i] - a[i] for a, b in zip(self.records[-9:], self.records[-8:])]).reshape(-1, w).T
                      for i, w in ((0, self.size), (1, self.size), (2, len(k0))))  # fmt: skip
        df = (dg - dx) / self.scale[:, None]
        slope, moved = np.zeros((len(k0), len(k0))), []
        for j in range(len(k0)):
            h = self.step_of(j, k0[j])
            x = base.copy()
            x[self.at_knobs + j] += h
            f = (self.one_pass(x) - x) / self.scale
            weights = -np.linalg.lstsq(df, f, rcond=1e-8)[0] if df.size else np.zeros(0)
            slope[:, j] = (self.residual - r0 + dr @ weights) / h
            moved.append(f * self.scale / h)
        return self.aimed_from(base, k0, r0, slope, moved)

    def step_of(self, j, k):
        """Step of a knob for its sensitivity, away from the nearer end of its range."""
        t = self.targets[j]
        return STEP * self.ranges[j] * (1.0 if k <= 0.5 * (t.low + t.high) else -1.0)

    def measure(self, x):
        """Sensitivities of the gauges to the knobs with the loops closed; (where to start, secants) for the search."""
        self.slope, self.records = None, []
        k0 = self.knobs(x).copy()
        found, r0 = self.settled_at(x, k0, LOOSE)
        base = found.tear
        slope, moved = np.zeros((len(k0), len(k0))), []
        for j in range(len(k0)):
            k, h = k0.copy(), self.step_of(j, k0[j])
            k[j] += h
            there, r = self.settled_at(base, k, LOOSE, found.secants)
            slope[:, j] = (r - r0) / h
            moved.append((there.tear - base) / h)
        return self.aimed_from(base, k0, r0, slope, moved)

    def aimed_from(self, base, k0, r0, slope, moved):
        """(start, secants) of the search over everything, from sensitivities of the gauges and of the unknowns."""
        self.slope = slope
        step = np.linalg.lstsq(slope * self.ranges, r0, rcond=1e-10)[0] * self.ranges
        low, high = np.array([t.low for t in self.targets]), np.array([t.high for t in self.targets])
        k1 = np.clip(k0 - np.clip(step, -0.3 * self.ranges, 0.3 * self.ranges), low, high)
        x = base + sum((m * (b - a) for m, a, b in zip(moved, k0, k1)), np.zeros_like(base))
        x[self.at_knobs :] = k1
        return np.clip(x, self.floor, self.ceiling), self.learnt()

    def learnt(self):
        """Secants of the whole system from the passes made with fixed knobs, now that the sensitivities are known."""
        dx, df = [], []
        for (x0, g0, r0), (x1, g1, r1) in zip(self.records[-9:], self.records[-8:]):
            step = -np.linalg.lstsq(self.slope * self.ranges, r1 - r0, rcond=1e-10)[0]
            change = ((g1 - x1) - (g0 - x0)) / self.scale
            change[self.at_knobs :] = step
            dx.append((x1 - x0) / self.scale)
            df.append(change)
        return (np.array(dx).T, np.array(df).T) if dx else None

    def useless(self):
        """Whether some knob moves no gauge, or some gauge is moved by no knob, or two targets are the same question."""
        reach = np.abs(self.slope) * self.ranges
        size = np.maximum(np.array([abs(t.wanted) for t in self.targets]), 1e-12)
        for j, target in enumerate(self.targets):
            if reach[j].sum() < 1e-7 * size[j]:
                self.closest[target.id] = "unmoved"
        if not self.closest and np.linalg.matrix_rank(reach / reach.sum(axis=1, keepdims=True), tol=1e-5) < len(reach):
            self.closest.update(dict.fromkeys((t.id for t in self.targets), "same"))
        return bool(self.closest)

    def off_the_plateau(self, x):
        """Where some gauge does not answer at the start: look over the knobs' whole ranges before giving up."""
        reasons, start = dict(self.closest), x.copy()
        if self.met().all():
            self.closest.clear()
            return self.fixed(x)
        if "same" in reasons.values():
            return self.fixed(x)
        if len(self.targets) == 1:
            self.closest.clear()
            found = self.apart(x)
            if not self.met().all() and self.flat:
                self.closest.update(reasons)
            return found
        for j, target in enumerate(self.targets):
            if target.id not in reasons:
                continue
            for k in np.linspace(target.low, target.high, LOOKS)[1:-1]:
                x[self.at_knobs + j] = k
                try:
                    x, secants = self.measure(x)
                except (Lost, PassFailed):
                    continue
                self.closest.clear()
                if not self.useless():
                    return self.together(x, secants) or self.apart(x)
        self.closest.update(reasons)
        return self.fixed(start)

    def fixed(self, x):
        """The loops alone, with the knobs where they are."""
        try:
            found, _ = self.settled_at(x, self.knobs(x))
        except Lost:
            return self.last_or_raise()
        return found

    def last_or_raise(self):
        last = getattr(self, "last", None)
        if last is None:
            raise PassFailed
        return last

    def apart(self, x):
        """Targets outside, loops inside, each bounded: slow and sure. Ends at the closest point when there is no answer."""
        low, high = np.array([t.low for t in self.targets]), np.array([t.high for t in self.targets])
        state = {"x": x, "best": None, "secants": None, "lost": 0}
        if self.slope is None:
            self.slope = np.zeros((len(low), len(low)))
        weight = np.maximum(np.array([abs(t.wanted) for t in self.targets]), np.abs(self.slope) @ self.ranges)
        weight[weight <= 0.0] = 1.0

        def at(k):
            if self.spent():
                raise PassFailed
            try:
                found, r = self.settled_at(state["x"], np.clip(k, low, high), secants=state["secants"])
            except Lost:
                state["lost"] += 1
                if state["lost"] > MOST_LOST:
                    raise PassFailed from None  # enough: the loops are at fault, not the knob
                raise
            state["x"], state["secants"] = found.tear, found.secants
            size = float(np.linalg.norm(r / weight))
            if state["best"] is None or size < state["best"][0]:
                state["best"] = (size, found, r.copy())
            return r

        try:
            if len(self.targets) == 1:
                self.one_apart(at, low[0], high[0])
            else:
                u0 = np.clip((self.knobs(x) - low) / self.ranges, 0.02, 0.98)

                def away(u):
                    try:
                        return at(low + u * self.ranges) / weight
                    except Lost:
                        return np.full(len(weight), FAR)  # a point that cannot be computed is no place to end

                scipy.optimize.least_squares(away, u0, bounds=(0.0, 1.0), diff_step=1e-3,
                              xtol=1e-12, ftol=1e-14, gtol=1e-14, max_nfev=40)  # fmt: skip
        except (Lost, PassFailed):
            pass
        if state["best"] is None:  # nowhere did the loops settle
            return self.last_or_raise()
        _, found, _ = state["best"]
        try:
            found, self.residual = self.settled_at(found.tear, self.knobs(found.tear), secants=found.secants)
            self.nearby(found)
            self.settled_at(found.tear, self.knobs(found.tear), secants=found.secants)  # the streams, as reported
        except Lost:
            return self.last_or_raise()
        return found

    def one_apart(self, at, low, high):
        """Search one knob over its whole range: bracket, then close in; the closest value where nothing brackets."""

        def value(k):
            try:
                return float(at(np.array([k]))[0])
            except Lost:
                return None

        points = np.linspace(low, high, LOOKS)
        middle = float(np.clip(self.run.inputs[self.targets[0].address], low, high))
        order = sorted(points, key=lambda k: abs(k - middle))
        known = {}
        for k in order:
            known[k] = value(k)
            if known[k] == 0.0:
                return
            got = [k for k in points if known.get(k) is not None]
            for a, b in zip(got, got[1:]):
                if known[a] * known[b] <= 0.0:
                    # a jump between the ends is no root: the search ends beside it, and the target is not met
                    if root_between(value, a, known[a], b, known[b], 1e-11 * (high - low)):
                        return
        good = [k for k in points if known[k] is not None]
        if not good:
            raise Lost
        size = max(abs(self.targets[0].wanted), max(abs(known[k]) for k in good), 1e-300)
        self.flat = max(known[k] for k in good) - min(known[k] for k in good) < 1e-7 * size
        best = int(np.argmin([abs(known[k]) for k in good]))
        a, b = good[max(best - 1, 0)], good[min(best + 1, len(good) - 1)]
        if a < b and not self.flat:

            def away(k):
                found = value(k)
                return np.inf if found is None else abs(found)

            scipy.optimize.minimize_scalar(away, bounds=(a, b), method="bounded",
                            options={"xatol": 1e-6 * (high - low), "maxiter": 40})  # fmt: skip

    def nearby(self, found):
        """Sensitivities beside the closest point."""
        residual, k0 = self.residual.copy(), self.knobs(found.tear).copy()
        slope = np.zeros_like(self.slope)
        for j, target in enumerate(self.targets):
            h = 0.005 * self.ranges[j] * (1.0 if k0[j] <= 0.5 * (target.low + target.high) else -1.0)
            k = k0.copy()
            k[j] += h
            try:
                slope[:, j] = (self.settled_at(found.tear, k, secants=found.secants)[1] - residual) / h
            except Lost:
                slope[:, j] = self.slope[:, j]
        self.slope, self.residual = slope, residual

    def judge_targets(self, found):
        """Write what became of each target."""
        settled = found.reason.settled
        slope = self.slope if self.slope is not None else np.full((len(self.targets),) * 2, np.nan)
        met = self.met() if settled else np.zeros(len(self.targets), bool)
        for k, target in enumerate(self.targets):
            at = float(self.run.inputs[target.address])
            history = []
            if found.iterates:
                history = [float(c[self.at_knobs + k] / self.ranges[k]) for _, c in found.iterates[-SHOWN_PASSES:]]
            place = ""
            if not met[k]:
                near = 1e-6 * self.ranges[k]
                place = "low" if at <= target.low + near else ("high" if at >= target.high - near else "inside")
            outcome = TargetOutcome(
                target.id, target.gauge, target.knob, target.address, target.wanted,
                float(target.wanted + self.residual[k]) if settled else None, float(self.residual[k]) if settled else None,
                at, bool(met[k]) and target.id not in self.closest, place if settled else "",
                float(slope[k, k]) if settled and not met[k] and np.isfinite(slope[k, k]) else None, float(self.begin[self.at_knobs + k]),
                [abs(v) for v in history],
            )  # fmt: skip
            self.run.solution.targets.append(outcome)
            if not settled and not (self.group.tears or self.ties):
                self.run.say("error", f"target.{target.id}", f"The search for the target on {target.gauge_label} did not settle: "
                             f"{found.reason.value}.", "Narrow the knob's range, or begin from another value.")  # fmt: skip
            if not outcome.met and settled:
                diagnosis.unmet_target(self.run, target, outcome, self.closest.get(target.id))

    # Loops

    def judge(self, found: LoopResult):
        """Write the loop's outcome and, where it did not settle, why."""
        run, group, plan = self.run, self.group, self.plan
        n, width, tears = self.n, self.width, len(self.group.tears)
        self.fed, _ = self.entering()  # a target may have turned a feed
        mode = {}
        if found.mode is not None and tears:
            parts = sum(np.abs(found.mode[k * width : k * width + n]) for k in range(tears))
            if parts.sum() > 0.0:
                mode = {s: float(v) for s, v in zip(plan.species, parts / parts.sum()) if v > 1e-4 * parts.sum()}
        outcome = LoopOutcome(
            id=f"loop-{len(run.solution.loops) + 1}", units=plan.loop_units(group.units), tears=list(group.tears),
            settled=found.reason is Reason.SETTLED, reason=found.reason.value, passes=self.passes,
            history=list(self.history), gain=found.gain, distance=found.distance, tolerance=self.tolerance, mode=mode,
            method=self.method, findings=list(self.remarks), ties=list(group.ties), targets=list(group.targets),
        )  # fmt: skip
        run.solution.loops.append(outcome)
        if run.explain:
            self.record(outcome)
        diagnosis.explain_loop(self, found, outcome)

    def record(self, outcome):
        """Pass by pass: residuals by species, values of the tears; guess and result."""
        n, width = self.n, self.width
        steps = self.steps[-SHOWN_PASSES:]
        outcome.first_pass = len(self.steps) - len(steps) + 1
        if not steps:
            return
        changes = np.abs(np.array([c for _, c in steps])) / self.scale
        values = np.array([x for x, _ in steps])
        tears = range(len(self.group.tears))
        for i, s in enumerate(self.plan.species):
            worst = np.max([changes[:, k * width + i] for k in tears], axis=0) if tears else np.zeros(len(steps))
            if worst.any():
                outcome.residuals[s] = worst.tolist()
        for name, at in (("molar enthalpy", n), ("pressure", n + 1)):
            worst = np.max([changes[:, k * width + at] for k in tears], axis=0) if tears else np.zeros(len(steps))
            if worst.any():
                outcome.residuals[name] = worst.tolist()
        for k, tie in enumerate(self.ties, self.at_ties):
            outcome.residuals[f"tie on {tie.label}"] = changes[:, k].tolist()
        for k, target in enumerate(self.targets, self.at_knobs):
            outcome.residuals[f"target on {target.gauge_label}"] = changes[:, k].tolist()
        for k, tear in enumerate(self.group.tears):
            part = values[:, k * width : (k + 1) * width]
            outcome.by_pass[tear] = {s: part[:, i].tolist() for i, s in enumerate(self.plan.species)}
            outcome.guess[tear] = dict(zip(self.plan.species, self.begin[k * width : k * width + n].tolist()))

    def outflow(self):
        """Amounts that leave the group in the last pass [mol/s], shape (n,)."""
        total = np.zeros(self.n)
        for u, s in self.ways_out():
            if s is not None:
                total = total + self.run.leaving_stream(s).n
            elif u in self.run.done:
                ports = set(self.plan.leaving[u])
                total = total + sum(
                    (st.n for p, st in self.run.done[u][1].outlets.items() if p not in ports), np.zeros(self.n)
                )
        return total

    def exits(self):
        """Splitters of the group whose first drawn share leaves it."""
        units = set(self.group.units)
        for u in self.group.units:
            if self.plan.units[u].kind == "splitter":
                s = self.plan.leaving[u].get("drawn")
                if s is None or self.plan.enters[s] not in units:
                    yield u
