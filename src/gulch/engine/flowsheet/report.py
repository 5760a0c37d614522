"""Writing down what a run found: streams, units with their balances, gauges, the whole process.

Notation: flows [mol/s] of arrays stand by species, shape (n,); heat and work [W].
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine import formulas
from gulch.engine.declared.base import plain
from gulch.engine.declared.told import Code, UnitTrouble
from gulch.engine.document import source_of
from gulch.engine.flowsheet.costs import building_of, plain_building
from gulch.engine.flowsheet.guard import finite_values, heat_into, sums_of
from gulch.engine.flowsheet.live import ends, overall_values
from gulch.engine.flowsheet.solution import OpenLoop, RoomLeft, StreamResult, UnitOutcome
from gulch.engine.flowsheet.worth import account_of, plain_account, reads_worth
from gulch.engine.phases import StreamTrouble, in_water
from gulch.engine.project import results
from gulch.engine.project.messages import Message
from gulch.engine.project.nodes import feed_node, unit_node
from gulch.engine.project.places import PRICES, at_gauge, at_stream, at_tear, at_unit
from gulch.engine.quantities import QuantityError, parse, show, told

if TYPE_CHECKING:
    from gulch.engine.document import GaugeEntry
    from gulch.engine.flowsheet.guard import Sums
    from gulch.engine.flowsheet.run import Run
    from gulch.engine.phases.stream import Stream
    from gulch.engine.project.results import Readable
    from gulch.engine.species.records import Fit

MATTERS = 1e-3  # mole fraction below which a species' heat capacity moves nothing


class Report:
    """The Solution of a run being written."""

    def __init__(self, run: Run) -> None:
        self.run, self.plan, self.solution = run, run.plan, run.solution
        self.overlooked = {}  # stream -> how far it is from a phase that its flash did not find, in RT

    def ties_outside(self) -> None:
        """Ties that end outside what their input may be."""
        display = self.plan.project.display
        for address, value in self.run.outside.items():
            tie, bounds = self.plan.ties[address], self.plan.bounds[address]
            side, bound = ("below", bounds.low) if value < bounds.low else ("above", bounds.high)
            self.run.trouble(
                tie.node,
                UnitTrouble(
                    f"The tie sets {tie.label} to {show(value, tie.dimension, display)}, {side} the "
                    f"{show(bound, tie.dimension, display)} that it may be.",
                    "Change the formula, or keep it inside with min or max.",
                ),
            )

    def write(self) -> None:
        """Write everything that the run found to its Solution."""
        plan, out = self.plan, self.solution
        self.ties_outside()
        for s in plan.project.streams:
            stream = self.run.streams.get(s.id)
            source, _ = source_of(s)
            if stream is None or source in self.run.failed:
                continue
            try:
                out.streams[s.id] = self.stream_result(stream)
                if self.run.explain and not stream.is_empty:
                    self.overlooked[s.id] = plan.model.further_phase_distance(stream.state)
            except StreamTrouble as trouble:
                self.run.trouble(
                    unit_node(source) if source else feed_node(s.id),
                    UnitTrouble(f"{told(trouble, plan.project.display)} (stream {s.id})", "Check the duty and what enters."),
                )
        for unit_id in plan.units:
            if unit_id in self.run.failed or unit_id not in self.run.done:
                out.units[unit_id] = UnitOutcome(False, waits_for=self.run.waiting.get(unit_id))
                continue
            try:
                out.units[unit_id] = self.unit_outcome(unit_id)
            except (UnitTrouble, StreamTrouble) as trouble:
                self.run.trouble(unit_node(unit_id), trouble)
                out.units[unit_id] = UnitOutcome(False)
        out.start.temperatures = {id_: s.temperature for id_, s in out.streams.items() if s.temperature}
        self.extrapolated()
        out.messages += plan.doubts(self.run, self.overlooked)
        out.solved = (
            bool(plan.units)
            and all(u.solved for u in out.units.values())
            and all(lo.settled for lo in out.loops)
            and not self.run.failed_ties
        )
        set_by = [*plan.ties, *(t.address for t in out.targets)]
        out.found = {a: float(self.run.inputs[a]) for a in set_by if a in self.run.inputs}
        for s in plan.open:
            self.opened(s)
        if out.solved:
            self.overall()
        molar_mass, known = plan.molar_mass, plan.known
        for g in plan.project.gauges:
            value = self.gauge_value(known[g.reads], molar_mass) if g.reads in known else None
            out.gauges[g.id] = value
            # an iterate of a loop that did not settle is nothing to judge by
            if value is not None and all(lo.settled for lo in out.loops):
                self.limits(g, value, known[g.reads])
            elif value is None and out.solved and g.reads in known and known[g.reads].formula is not None:
                what = valueless(g.label or known[g.reads].label, {a: self.part(a, molar_mass) for a in known[g.reads].parts})
                self.run.say("warning", at_gauge(g.id), what, "Change its formula, or what makes that zero.")

    def part(self, address: str, molar_mass: dict[str, float]) -> float:
        """SI value of an input or result that a formula names; nan where there is none."""
        if address in self.run.inputs:
            return self.run.inputs[address]
        found = results.value(self.solution, address, molar_mass)
        return float("nan") if found is None else float(found)

    def gauge_value(self, readable: Readable, molar_mass: dict[str, float]) -> float | None:
        """SI value of a gauge's reading in the solution; None where it was not computed."""
        if readable.formula is None:
            return results.value(self.solution, readable.address, molar_mass)
        value = formulas.value(readable.formula, lambda address: self.part(address, molar_mass))
        return float(value) if np.isfinite(value) else None

    def extrapolated(self) -> None:
        """Warn of computed temperatures outside the heat-capacity data of what matters there; given ones the checks warn of."""
        plan = self.plan
        display = plan.project.display
        fits = dict(zip(plan.species, (s.heat_capacity for s in plan.model.species), strict=True))
        shown = {s.id: s.shown for s in plan.project.species}
        told = {m.place.id for m in self.solution.messages if m.code is Code.BEYOND_DATA}
        for id_, stream in self.solution.streams.items():
            if not self.run.explain:
                told = set()  # a scan turns what the checks have read
            if id_ in told or plan.sources[id_] in told:
                continue
            T = stream.temperature
            if self.run.rooms and T:
                self.solution.rooms += _data_rooms(id_, stream, fits)
            out = [s for s, n in stream.flow.items() if T and n > MATTERS * stream.total and not fits[s].low - 1 <= T <= fits[s].high + 1]
            if not out:
                continue
            low, high = max(fits[s].low for s in out), min(fits[s].high for s in out)
            self.solution.messages.append(
                Message(
                    "warning",
                    at_stream(id_),
                    f"Stream {id_} comes out at {show(T, 'temperature', display)}, outside the heat-capacity data of "
                    f"{', '.join(shown[s] for s in out[:3])}.",
                    f"It is extrapolated; data hold from {show(low, 'temperature', display)} to {show(high, 'temperature', display)}.",
                    code=Code.BEYOND_DATA,
                )
            )
            if not self.run.rooms:
                return

    def limits(self, gauge: GaugeEntry, value: float, readable: Readable) -> None:
        """Warn where a gauge's value [SI] lies beyond a limit."""
        display = self.plan.project.display
        limits = {}
        for name in ("at_least", "at_most"):
            text = getattr(gauge, name)
            try:
                limits[name] = None if text is None else parse(text, readable.dimension)
            except QuantityError:
                limits[name] = None  # said by the checks
        broken = results.beyond(value, **limits)
        if broken:
            words = "below" if broken == "at_least" else "above"
            self.solution.messages.append(
                Message(
                    "warning",
                    at_gauge(gauge.id),
                    f"{gauge.label or readable.label} is "
                    f"{show(value, readable.dimension, display)}, {words} its limit of {getattr(gauge, broken)}.",
                    "Turn a knob, or scan one.",
                )
            )

    def stream_result(self, stream: Stream) -> StreamResult:
        """A Stream as plain data: SI, amounts by species, its phases."""
        species = self.plan.species
        if stream.is_empty:
            return StreamResult(None, stream.P, None, dict.fromkeys(species, 0.0), 0.0, 0.0, 0.0, 0.0, [], 0.0, 0.0, 0.0)
        state = stream.state
        phases = [
            {"kind": name, "share": share, "fraction": dict(zip(species, z.tolist(), strict=True))} for name, share, z, _ in state.phases
        ]
        layers = stream.layer_flows()
        found = in_water(stream)
        return StreamResult(
            temperature=stream.T,
            pressure=stream.P,
            vapour_fraction=state.vapour_fraction,
            flow=dict(zip(species, stream.n.tolist(), strict=True)),
            total=stream.total,
            mass_flow=stream.mass_flow,
            enthalpy_flow=stream.enthalpy_flow,
            volume_flow=stream.volume_flow,
            phases=phases,
            vapour_flow=layers["vapour"],
            light_flow=layers["light"],
            heavy_flow=layers["heavy"],
            ph=found.pH if found else None,
            in_water={"strength": found.strength, "molalities": found.molalities} if found else None,
        )

    def unit_outcome(self, unit_id: str) -> UnitOutcome:
        """What a unit made of what entered it, with its balances. Raises UnitTrouble for an error it bore on the way."""
        species = self.plan.species
        inlets, result = self.run.done[unit_id]
        explain = self.run.explain
        values = finite_values({k: plain(v) for k, v in result.values.items() if explain or not getattr(v, "explains", False)}, explain)
        sums = self.run.sums.get(unit_id) or sums_of(inlets, list(result.outlets.values()), heat_into(values), self.plan)
        outcome = UnitOutcome(
            True,
            values,
            dict(zip(species, sums.n_in.tolist(), strict=True)),
            dict(zip(species, sums.n_out.tolist(), strict=True)),
            [(label, dict(zip(species, np.asarray(c).tolist(), strict=True))) for label, c in result.changes],
            plain(result.reactions),
            self.balances(sums),
            None,
            self.run.taken[unit_id],
        )
        for level, what, todo, code, cure in self.run.notes(unit_id):
            if level == "error":  # borne while a loop is on its way, not in a result
                raise UnitTrouble(what, todo)
            self.solution.messages.append(Message(level, at_unit(unit_id), f"{unit_id}: {what}", todo, code=code, cure=cure))
        if self.run.rooms:
            self.solution.rooms += [RoomLeft(at_unit(unit_id), r.code, f"{r.holds} in {unit_id}", *r[2:]) for r in plain(result.rooms)]
        return outcome

    def balances(self, sums: Sums) -> dict[str, Any]:
        """Closures (out − in)/in of mass, each element and energy."""
        molar_mass = self.plan.model.molar_mass
        mass_in, mass_out = float(sums.n_in @ molar_mass), float(sums.n_out @ molar_mass)
        size = max(abs(sums.h_in), abs(sums.h_out), abs(sums.heat), 1e-9)
        atoms = zip(self.plan.elements, sums.atoms_in.tolist(), sums.atoms_out.tolist(), strict=True)
        return {
            "mass": (mass_out - mass_in) / mass_in if mass_in > 0.0 else 0.0,
            "elements": {e: (b - a) / a if a > 0.0 else 0.0 for e, a, b in atoms},
            "energy": float((sums.h_out - sums.h_in - sums.heat) / size),
        }

    def opened(self, id_: str) -> None:
        """Report a loop left open: what was guessed and what comes back."""
        display, species = self.plan.project.display, self.plan.species
        guess, back = self.run.streams[id_], self.run.returned.get(id_)
        outcome = OpenLoop(id_, dict(zip(species, guess.n.tolist(), strict=True)), None)
        self.solution.opened.append(outcome)
        if back is None:
            return
        outcome.returned = dict(zip(species, back.n.tolist(), strict=True))
        outcome.temperature, outcome.pressure = (guess.T, back.T), (guess.P, back.P)
        away = np.abs(back.n - guess.n)
        i = int(np.argmax(away))
        self.run.say(
            "warning",
            at_tear(id_),
            f"The loop is open at {id_}: {show(float(guess.n[i]), 'molar flow', display)} {species[i]} is guessed, "
            f"{show(float(back.n[i]), 'molar flow', display)} comes back.",
            "Close it when the single pass is right.",
        )

    def overall(self) -> None:
        """Feeds against products over the whole process."""
        feeds, products = ends(self.run)
        heat = sum((u.values.get("duty") or 0.0) + (u.values.get("work") or 0.0) for u in self.solution.units.values())
        balances = self.balances(sums_of(feeds, products, heat, self.plan))
        self.solution.overall = overall_values(self.run) | {"balances": balances}
        if self.plan.prices is not None:
            account = account_of(self.run)
            self.solution.overall |= {"worth": account.rate, "account": plain_account(account)}
            if self.plan.project.prices.building is not None:
                found = building_of(self.run)
                self.solution.overall |= {"building": plain_building(found, self.plan.project.prices.building), "cost": found.purchase}
            if account.missing and reads_worth(self.plan):
                self.run.say("warning", PRICES, f"Worth has no value: {account.missing[0]}", "Type the price under Scans, worth.")


def _data_rooms(id_: str, stream: Any, fits: dict[str, Fit]) -> list[RoomLeft]:
    """RoomLefts of a stream inside the heat-capacity data of what matters in it."""
    held = [fits[s] for s, n in stream.flow.items() if n > MATTERS * stream.total]
    if not held:
        return []
    low, high = max(f.low for f in held) - 1.0, min(f.high for f in held) + 1.0
    distance = min(stream.temperature - low, high - stream.temperature)
    return [RoomLeft(at_stream(id_), Code.BEYOND_DATA, f"heat-capacity data of {id_}", distance, "temperature difference")]


def valueless(label: str, parts: dict[str, float]) -> str:
    """Why a gauge's formula comes to no number though the process is solved. parts: SI values of what it names, nan where there is none."""
    lacking, zeros = [a for a, v in parts.items() if np.isnan(v)], [a for a, v in parts.items() if v == 0.0]
    if lacking:
        return f"{label} has no value: {', '.join(lacking)} {'have' if len(lacking) > 1 else 'has'} none."
    why = f" ({', '.join(zeros)} {'are' if len(zeros) > 1 else 'is'} 0)" if zeros else ""
    return f"{label} has no value: it divides by zero, or goes beyond all numbers{why}."
