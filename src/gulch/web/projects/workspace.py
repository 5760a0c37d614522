"""What the workspace shows: everything a page needs, prepared as plain text and numbers."""

import json
import math
from dataclasses import replace

from gulch.engine.document import BASES, assumed_choices, choices_of, source_of, value_of
from gulch.engine.exchange import COLUMNS, ledger
from gulch.engine.flowsheet.checks import check
from gulch.engine.flowsheet.couplings import readings
from gulch.engine.flowsheet.edit import AIR
from gulch.engine.flowsheet.inputs import FEED_BASES, addresses, feed_addresses, reactions_of
from gulch.engine.flowsheet.measures import OVERALL, PER_REACTOR
from gulch.engine.flowsheet.results import beyond
from gulch.engine.flowsheet.solution import Message
from gulch.engine.flowsheet.variants import misfits
from gulch.engine.quantities import (
    DIMENSIONS,
    DISPLAY_SETS,
    QuantityError,
    dimensions_of,
    format_number,
    parse,
    pretty_unit,
    show,
    split_text,
    to_unit,
)
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS
from gulch.engine.units.base import FAMILIES
from gulch.engine.work import Ending
from gulch.web.projects import solving

STAGES = (
    ("chemistry", "Chemistry"),
    ("process", "Process"),
    ("loops", "Loops"),
    ("scans", "Scans"),
    ("variants", "Variants"),
    ("sizing", "Sizing"),
)
SLIDER_STEPS = 1000


def is_held(key):
    """Whether a species stays in the liquid, whatever it is heated to."""
    try:
        return lookup(*key).non_volatile
    except SpeciesError:
        return False


def stands_in_part(solution):
    """Whether an unsolved process has figures that stand: its loops settled, some units computed, none of it a first guess."""
    return (
        bool(solution.streams)
        and all(lo.settled for lo in solution.loops)
        and any(u.solved for u in solution.units.values())
    )


class Workspace:
    """A project as a page shows it. `solution` may be that of a slider being moved (trial)."""

    def __init__(self, row, stage, select="", notice=None, conflict=None, trial=None, trial_values=None, job=None):
        self.row, self.stage, self.select = row, stage, select or ""
        self.notice, self.conflict, self.job = notice, conflict, job
        self.whole, self.document = row.current.read, row.current.worked
        self.display = self.document.display
        self.trial_values = trial_values or {}
        found = None if trial else row.outcome()
        self.latest = trial or (found.solution() if found else None)
        self.partial = self.latest is not None and not self.latest.solved and stands_in_part(self.latest)
        if self.latest is not None and (self.latest.solved or self.partial or row.good_outcome is None):
            self.solution, self.fresh = self.latest, self.latest.solved
        else:
            self.solution, self.fresh = row.good_outcome.solution() if row.good_outcome else None, False
        self.messages = list(self.latest.messages) if self.latest else check(self.document)
        if self.latest is not None and self.latest.broken_off:
            self.messages += [m for m in check(self.document) if m not in self.messages]
        if self.variant is not None:
            self.messages[:0] = [
                Message(
                    "error",
                    f"variant.{self.variant.id}",
                    line,
                    "Take the edit back in Variants, or bring its place back.",
                )
                for line in misfits(self.whole, self.variant)
            ]
        self.inputs = addresses(self.document)
        self.outputs = readings(self.document)
        self.errors = {}
        for m in self.messages:
            self.errors.setdefault(m.where, m)

    # Header and rail

    @property
    def version(self):
        return self.row.version

    @property
    def state(self):
        """(css name, words) of the header's chip."""
        if self.job is not None:
            return "idle", "solving …"
        if not self.document.units:
            return "idle", "nothing to solve yet"
        if self.latest is not None and self.latest.solved:
            unmet = sum(not t.met for t in self.latest.targets)
            if unmet:
                return "bad", f"solved, {unmet} target{'s' if unmet > 1 else ''} not met"
            if self.latest.opened:
                return "idle", "single pass, a loop is open"
            return "good", f"solved in {max(1, round(1000 * self.latest.seconds))} ms"
        errors = sum(m.level == "error" for m in self.messages)
        if self.latest is not None and self.latest.broken_off:
            return "bad", "not solved: " + ("stopped" if self.stopped else "broken off")
        return "bad", f"not solved · {errors} to mend" if errors else "not solved"

    @property
    def ready(self):
        """Whether the solver's kernels are loaded."""
        return solving.ready()

    @property
    def stopped(self):
        """Whether the user stopped the solve."""
        return self.latest is not None and self.latest.broken_off == Ending.STOPPED.value

    @property
    def stale(self):
        """Words for figures that belong to an earlier revision, or ''."""
        if self.fresh or self.row.good_outcome is None or self.solution is None or self.partial:
            return ""
        if self.latest is not None and self.latest.solved:
            return ""
        figures = f"the figures are those of revision {self.row.good_revision}"
        if self.job is not None or self.latest is None:
            return f"Until it is solved {figures}."
        if self.latest.broken_off:
            return f"{self.latest.messages[0].what} Meanwhile {figures}."
        return f"The process does not solve as it stands: {figures}."

    @property
    def solve_again(self):
        """Whether solving once more is offered: the solve was broken off, or its figures could not be stored."""
        return self.job is None and bool(self.latest is None or self.latest.broken_off) and bool(self.document.units)

    @property
    def missing(self):
        """Words for what is missing where a unit failed and the rest stands, or ''."""
        if not self.partial:
            return ""
        failed = [u for u, o in self.latest.units.items() if not o.solved and not o.waits_for]
        waiting = [u for u, o in self.latest.units.items() if o.waits_for]
        after = f", and so are {', '.join(waiting)}, which wait for it" if waiting else ""
        return f"{', '.join(failed)} could not be computed{after}. Everything else stands as it is now."

    def rail(self):
        counts = dict.fromkeys((s for s, _ in STAGES), 0)
        for m in self.messages:
            counts[self.stage_of(m.where)] += 1
        for name, words in STAGES:
            yield {
                "stage": name, "label": words, "count": counts[name], "here": name == self.stage,
                "errors": any(m.level == "error" and self.stage_of(m.where) == name for m in self.messages),
                "size": {"scans": len(self.document.scans), "variants": len(self.document.variants)}.get(name),
            }  # fmt: skip

    def stage_of(self, where):
        head = where.split(".")[0]
        if head in ("species", "chemistry", "phase_model", "measures") or any(
            head == x.id for x in (*self.document.reactions, *self.document.reaction_sets)
        ):
            return "chemistry"
        if head in ("scan", "sizing"):
            return "scans" if head == "scan" else head
        if head == "variant":
            return "variants"
        return "loops" if head.startswith("loop-") or head in ("tie", "target", "open", "closing") else "process"

    @property
    def variant(self):
        """The variant that is worked on, or None."""
        return self.whole.variant(self.whole.working) if self.whole.working else None

    def folded(self):
        """The to-do lines; those that say the same of several things stand as one, at the first."""
        lines = {}
        for m in self.messages:
            head, _, rest = m.what.partition(": ")
            key = (m.level, rest, m.todo) if rest and head == m.where and not m.answers else (m.where, m.what)
            if key in lines:
                first, _, said = lines[key].what.partition(": ")
                lines[key].what = f"{first}, {head}: {said}"
            else:
                lines[key] = replace(m)
        return lines.values()

    def todo(self):
        return self.todo_lines(self.folded())

    def todo_lines(self, messages):
        for m in messages:
            head, _, rest = m.where.partition(".")
            select = (
                f"{head}:{rest.split('.')[0]}"
                if head in ("gauge", "knob", "species")
                else (m.where if self.stage_of(m.where) == "loops" else head)
            )
            yield {
                "level": m.level,
                "what": m.what,
                "todo": m.todo,
                "where": m.where,
                "answers": m.answers,
                "stage": self.stage_of(m.where),
                "select": {"scan": rest.split(".")[0], "sizing": ""}.get(head, select),
                "taken": json.dumps(self.taken(m.where)),
                "mark": {"error": "✕", "warning": "▲", "question": "?", "assumed": "◌"}[m.level],
            }

    @property
    def flow_units(self):
        return show_unit("molar flow", self.display), show_unit("mass flow", self.display)

    def displays(self):
        return [(name, d.label, name == self.display) for name, d in DISPLAY_SETS.items()]

    # Strip

    def knobs(self):
        for k in self.document.knobs:
            a = self.inputs.get(k.input)
            card = {
                "id": k.id,
                "label": k.label or (a.label if a else k.input),
                "address": k.input,
                "on": a is not None,
            }
            if a is not None:
                text = self.trial_values.get(k.input, a.text)
                card |= self.set_by(a)
                text = text or ""
                card["text"] = card["found"] or pretty_text(text)
                try:
                    low, high = parse(k.low, a.dimension), parse(k.high, a.dimension)
                    now = parse(text, a.dimension)
                    card["position"] = round(min(max((now - low) / (high - low), 0.0), 1.0) * SLIDER_STEPS)
                    card["range"] = f"{k.low} to {k.high}"
                except (QuantityError, ZeroDivisionError):
                    card["position"] = None
            yield card

    def gauges(self):
        for g in self.document.gauges:
            r = self.outputs.get(g.reads)
            value = self.solution.gauges.get(g.id) if self.solution else None
            limits = " · ".join(
                f"{sign} {pretty_text(text)}" for sign, text in (("≥", g.at_least), ("≤", g.at_most)) if text
            )
            card = {"id": g.id, "label": g.label or (r.label if r else g.reads), "limits": limits, "mark": "", "state": "none",
                    "value": show(value, r.dimension, self.display) if r else "–"}  # fmt: skip
            target = next((t for t in self.document.targets if t.on and t.gauge == g.id), None)
            met = (
                next((t.met for t in self.latest.targets if target and t.id == target.id), None)
                if self.latest
                else None
            )
            if target is not None and r:
                wanted = target.value if target.sits == "value" else getattr(g, target.sits)
                card["limits"] = f"target {pretty_text(wanted or '–')}"
                if met is not None:
                    card["state"], card["mark"] = ("target", "✓") if met else ("missed", "✕")
                    card["words"] = "target met" if met else "target not met"
            elif r and value is not None and limits:
                inside = self.inside(g, value, r.dimension)
                card["state"], card["mark"] = ("inside", "✓") if inside else ("outside", "▲")
                card["words"] = "inside its limits" if inside else "outside its limits"
            yield card

    @staticmethod
    def inside(gauge, value, dimension):
        try:
            limits = [None if t is None else parse(t, dimension) for t in (gauge.at_least, gauge.at_most)]
        except QuantityError:
            return True
        return beyond(value, *limits) is None

    # Fields

    def set_by(self, a):
        """What sets an input instead of the typed text: a tie or a target, with the value it found."""
        tie = self.document.tie(a.address)
        turned = {k.id for k in self.document.knobs if k.input == a.address}
        target = next((t for t in self.document.targets if t.on and t.knob in turned), None)
        if tie is None and target is None:
            return {"set_by": "", "found": ""}
        value = self.solution.found.get(a.address) if self.solution else None
        text = show(value, a.dimension, self.display) if value is not None else pretty_text(a.text or "")
        if tie is not None:
            return {"set_by": f"tied: {tie.formula}", "found": text, "about": f"tie.{a.address}"}
        gauge = self.document.gauge(target.gauge)
        r = self.outputs.get(gauge.reads) if gauge else None
        return {"set_by": f"set by the target on {gauge.label or (r.label if r else gauge.id)}" if gauge else "set by a target",
                "found": text, "about": f"target.{target.id}"}  # fmt: skip

    def field(self, address, label=None, meaning=""):
        a = self.inputs[address]
        message = self.errors.get(address)
        knob = next((k.id for k in self.document.knobs if k.input == address), None)
        by = self.set_by(a)
        return {
            "type": "quantity", "address": address, "label": label or a.label, "text": field_text(a), "meaning": meaning,
            **by, "assumed": a.assumed and a.counted and not by["set_by"], "context": a.context,
            "owner": address.split(".")[0], "taken": json.dumps(self.taken(address.split(".")[0])),
            "message": message, "knob": knob, "can_turn": a.knob,
            "unit": show_unit(a.dimension, self.display), "dimension": a.dimension,
        }  # fmt: skip

    def unit_fields(self, unit):
        """The form of a unit, made from its kind's declarations."""
        choices = choices_of(unit)
        for d in KINDS[unit.kind].inputs():
            if d.in_use(choices):
                yield from getattr(self, f"{d.form}_fields")(unit, d)

    def number_fields(self, unit, declared):
        field = self.field(f"{unit.id}.{declared.key}", declared.label, declared.meaning)
        yield field | {"optional": declared.empty if declared.optional else False}

    def set_fields(self, unit, declared):
        now = value_of(unit, declared)
        sets = [(s.id, s.id, s.id == now) for s in self.document.reaction_sets]
        yield self.list_field(unit, declared, [("", "none", not now), *sets])

    def species_fields(self, unit, declared):
        now = value_of(unit, declared)
        species = [(s.id, s.shown, s.id == now) for s in self.document.species]
        yield self.list_field(unit, declared, [("", "choose …", not now), *species])

    def list_field(self, unit, declared, options):
        address = f"{unit.id}.{declared.key}"
        return {"type": "choice", "address": address, "label": declared.label, "meaning": declared.meaning,
                "options": options, "message": self.errors.get(address)}  # fmt: skip

    def per_species_fields(self, unit, declared):
        yield {"type": "heading", "label": declared.label, "meaning": declared.meaning}
        for s in self.document.species:
            yield self.field(f"{unit.id}.{declared.key}.{s.id}", s.shown, declared.meaning)

    def choice_fields(self, unit, declared):
        yield self.choice_field(
            unit, declared, choices_of(unit)[declared.name], declared in list(assumed_choices(unit))
        )

    def choice_field(self, unit, declared, chosen, assumed):
        options = [(v, words, v == chosen) for v, words in declared.options.items()]
        if declared.context and assumed:
            taken = declared.options.get(self.taken(unit.id).get(declared.name))
            options.insert(0, ("", f"{declared.context}: {taken}" if taken else declared.context, True))
        return {"type": "choice", "address": f"{unit.id}.{declared.name}", "label": declared.label, "meaning": declared.meaning,
                "options": options, "assumed": assumed, "context": declared.context, "owner": unit.id,
                "taken": json.dumps(self.taken(unit.id))}  # fmt: skip

    def taken(self, id_):
        """What a unit took from the context in the last solve."""
        outcome = self.solution.units.get(id_) if self.solution else None
        return outcome.taken if outcome else {}

    def per_reaction_fields(self, unit, declared):
        given = value_of(unit, declared)
        ids = reactions_of(self.document, unit)
        if declared.options:
            if ids:
                yield {"type": "heading", "label": declared.label, "meaning": declared.meaning}
            for id_ in ids:
                address = f"{unit.id}.{declared.name}.{id_}"
                now = given.get(id_, declared.default)
                yield {"type": "choice", "address": address, "label": id_, "meaning": declared.meaning,
                       "options": [(v, words, v == now) for v, words in declared.options.items()],
                       "message": self.errors.get(address)}  # fmt: skip
        else:
            ids = [i for i in ids if f"{unit.id}.{declared.name}.{i}" in self.inputs]
            if ids:
                yield {"type": "heading", "label": declared.label, "meaning": declared.meaning}
            for id_ in ids:
                field = self.field(f"{unit.id}.{declared.name}.{id_}", id_, declared.meaning)
                yield field | {"optional": "–" if declared.default is None else False}

    # Map

    def map(self):
        """The drawing's data for the browser: units, streams, loops."""
        solved = self.solution.streams if self.solution else {}
        shade = self.row_shade()
        units = []
        for u in self.document.units:
            kind = KINDS[u.kind]
            outcome = self.solution.units.get(u.id) if self.solution else None
            bad = any(m.level == "error" and m.where.split(".")[0] == u.id for m in self.messages)
            doubtful = any(m.level in ("warning", "question") and m.where.split(".")[0] == u.id for m in self.messages)
            units.append({
                "id": u.id, "kind": kind.label, "headline": self.headline(u, outcome),
                "state": "bad" if bad else ("doubt" if doubtful else ("good" if outcome and outcome.solved else "idle")),
                "ports": {p.name: p.draws for p in kind.ports_out(u)},
            })  # fmt: skip
        streams = []
        for s in self.document.streams:
            source, port = source_of(s)
            unit = self.document.unit(source) if s.source else None
            if unit is not None and port is None:
                port = KINDS[unit.kind].ports_out(unit)[0].name
            found = solved.get(s.id)
            streams.append({
                "id": s.id, "from": source if s.source else None, "port": port, "to": s.enters, "inlet": s.inlet,
                "molar": found.total if found else None, "mass": found.mass_flow if found else None,
                "text": show(found.total, "molar flow", self.display) if found else "",
                "mass_text": show(found.mass_flow, "mass flow", self.display) if found else "",
                "share": found.flow.get(shade, 0.0) / found.total if found and shade and found.total > 0 else None,
            })  # fmt: skip
        loops = [
            {
                "id": lo.id,
                "label": f"{lo.passes} pass{'es' if lo.passes != 1 else ''}"
                + (f" · gain {lo.gain:.2f}" if lo.gain is not None else ""),
                "units": lo.units,
                "settled": lo.settled,
                "why": self.short_reason(lo),
            }
            for lo in (self.latest.loops if self.latest else [])
        ]
        return {"units": units, "streams": streams, "loops": loops, "select": self.select, "stale": bool(self.stale)}

    def short_reason(self, loop):
        """A few words for an unsettled loop on the map."""
        if loop.settled:
            return ""
        names = {s.id: s.shown for s in self.document.species}
        return f"{names.get(loop.builds_up, loop.builds_up)} builds up" if loop.builds_up else "not settled"

    shade = ""

    def row_shade(self):
        known = [s.id for s in self.document.species]
        return self.shade if self.shade in known else (known[0] if known else "")

    def headline(self, unit, outcome):
        if outcome is None or not outcome.solved:
            return ""
        for r in KINDS[unit.kind].results():
            if r.headline and r.name in outcome.values:
                value = outcome.values[r.name]
                if r.per == "species":
                    key = outcome.reactions[0].get("key") if outcome.reactions else None
                    key = key or max(value, key=value.get, default=None)
                    if value.get(key, 0.0) > 0.0:
                        name = key if len(key) <= 9 else ""  # the plate is no wider
                        return f"X {show(value[key], r.dimension, self.display, 3)} {name}".rstrip()
                elif value is not None and not any(d.name == "conversion" for d in KINDS[unit.kind].results()):
                    text = show(value, r.dimension, self.display, 3)
                    return f"{text} {r.label.lower()}" if r.dimension == "count" else text
        if unit.kind == "splitter":
            return f"{self.inputs[f'{unit.id}.drawn'].text} drawn"
        total = sum(outcome.outlet.values())
        return show(total, "molar flow", self.display, 3)

    # Ledger

    def ledger(self):
        columns, rows = ledger(self.document, self.solution)
        for row in rows:
            row["text"] = [cell_text(c, col["dimension"]) for c, col in zip(row["cells"], columns)]
            row["here"] = row["id"] == self.select
        across = (
            [c | {"text": [r["text"][k] for r in rows]} for k, c in enumerate(columns)]
            if self.document.ledger.across
            else []
        )
        return {"columns": columns, "rows": rows, "across": across}

    def ledger_choices(self):
        chosen = self.document.ledger.columns
        return [(name, words, name in chosen) for name, words in COLUMNS.items()]

    # Inspector

    def inspected(self):
        """What the side panel shows for the selection, as a dict with a `what`, or None."""
        head, _, rest = self.select.partition(":")
        if head == "knob" and self.document.knob(rest):
            k = self.document.knob(rest)
            return {"what": "knob", "id": k.id, "knob": k, "said": self.said(f"knob.{k.id}"),
                    "label": k.label or (self.inputs[k.input].label if k.input in self.inputs else k.input)}  # fmt: skip
        if head == "gauge" and self.document.gauge(rest):
            g = self.document.gauge(rest)
            r = self.outputs.get(g.reads)
            alike = [
                d.name
                for d in DIMENSIONS.values()
                if r is not None and dimensions_of(d.si) == dimensions_of(DIMENSIONS[r.dimension].si)
            ]
            return {
                "what": "gauge",
                "id": g.id,
                "gauge": g,
                "shown_as": [(d, d == r.dimension) for d in alike] if g.formula and len(alike) > 1 else [],
                "said": self.said(f"gauge.{g.id}"),
                "label": g.label or (self.outputs[g.reads].label if g.reads in self.outputs else g.reads),
            }
        unit = self.document.unit(self.select)
        if unit is not None:
            return self.inspect_unit(unit)
        stream = self.document.stream(self.select)
        return self.inspect_stream(stream) if stream is not None else None

    def said(self, place):
        """To-do lines of a knob, gauge, target or scan and of its parts."""
        return [m for m in self.messages if m.where == place or m.where.startswith(place + ".")]

    def own_messages(self, id_):
        """To-do lines of one thing; those of a single field stand at the field instead."""
        return [t for t in self.todo_lines(self.messages) if t["where"] == id_]

    def result_row(self, address, label, text, meaning=""):
        gauge = next((g.id for g in self.document.gauges if g.reads == address), None)
        return {"address": address, "label": label, "text": text, "meaning": meaning, "gauge": gauge}

    def inspect_unit(self, unit):
        kind = KINDS[unit.kind]
        outcome = self.solution.units.get(unit.id) if self.solution else None
        results, account, balance = [], None, []
        if outcome is not None and outcome.solved:
            results = [*self.measure_results(unit, outcome), *self.unit_results(unit, outcome)]
            if outcome.changes:
                account = self.account(outcome)
            balance = self.balance_rows(outcome.balances)
        return {
            "what": "unit",
            "id": unit.id,
            "flow_unit": show_unit("molar flow", self.display),
            "kind": kind.label,
            "meaning": kind.meaning,
            "fields": list(self.unit_fields(unit)),
            "results": results,
            "account": account,
            "balance": balance,
            "messages": self.own_messages(unit.id),
            "reactions": list(self.reaction_rows(unit, outcome)) if outcome and outcome.solved else [],
            "equilibria": list(self.equilibrium_rows(outcome)) if outcome and outcome.solved else [],
            "net": self.net_reactions(outcome) if outcome and outcome.solved else [],
            "why": outcome.values.get("why", []) if outcome and outcome.solved else [],
            "reading": self.unit_reading(unit),
            "entering": [s.id for s in self.document.streams if s.enters == unit.id],
            "leaving": [s.id for s in self.document.streams if s.source and source_of(s)[0] == unit.id],
        }

    def unit_results(self, unit, outcome):
        for r in KINDS[unit.kind].results():
            value = outcome.values.get(r.name)
            if r.per is None:
                label = f"{r.label} {outcome.values[r.words]}" if r.words and outcome.values.get(r.words) else r.label
                yield self.result_row(f"{unit.id}.{r.name}", label, show(value, r.dimension, self.display), r.meaning)
            elif r.per == "species" and isinstance(value, dict):
                for s in self.document.species:
                    if value.get(s.id, 0.0) > 1e-9:
                        yield self.result_row(f"{unit.id}.{r.name}.{s.id}", f"{r.label} of {s.shown}",
                                              show(value[s.id], r.dimension, self.display), r.meaning)  # fmt: skip
            elif r.per == "element" and isinstance(value, dict):
                for e, number in value.items():
                    yield self.result_row(f"{unit.id}.{r.name}.{e}", f"{r.label} of {e}",
                                          show(number, r.dimension, self.display), r.meaning)  # fmt: skip

    def measure_results(self, unit, outcome):
        """Conversion, selectivity and yield of a reactor as the project defines them."""
        for name, (label, formula) in PER_REACTOR.items():
            if f"{unit.id}.{name}" in self.outputs:
                text = show(outcome.values.get(name), "fraction", self.display)
                yield self.result_row(f"{unit.id}.{name}", label, text, formula)

    def account(self, outcome):
        """The stoichiometric table: in, change by each reaction, out."""
        rows = []
        for s in self.document.species:
            cells = [
                outcome.inlet.get(s.id, 0.0),
                *(c[1].get(s.id, 0.0) for c in outcome.changes),
                outcome.outlet.get(s.id, 0.0),
            ]
            if any(cells):
                texts = [self.flow_text(cells[0])]
                texts += ["" if v == 0.0 else ("+ " if v > 0 else "− ") + self.flow_text(abs(v)) for v in cells[1:-1]]
                rows.append((s.shown, [*texts, self.flow_text(cells[-1])]))
        totals = [
            sum(outcome.inlet.values()),
            *(sum(c[1].values()) for c in outcome.changes),
            sum(outcome.outlet.values()),
        ]
        texts = [self.flow_text(totals[0])]
        texts += [("+ " if v > 0 else "− ") + self.flow_text(abs(v)) if abs(v) > 1e-12 else "" for v in totals[1:-1]]
        return {"unit": show_unit("molar flow", self.display), "heads": [c[0] for c in outcome.changes], "rows": rows,
                "total": [*texts, self.flow_text(totals[-1])]}  # fmt: skip

    def flow_text(self, value):
        return show(value, "molar flow", self.display, unit=False)

    def reaction_rows(self, unit, outcome):
        for r in outcome.reactions:
            if "achieved" not in r:
                continue
            names = {s.id: s.shown for s in self.document.species}
            yield r | {
                "key": names.get(r["key"], r["key"]),
                "limited_by": names.get(r["limited_by"], r["limited_by"]),
                "asked_text": show(r["asked"], "fraction", self.display, unit=False),
                "achieved_text": show(r["achieved"], "fraction", self.display, unit=False),
                "extent_text": show(r["extent"], "molar flow", self.display, unit=False),
                "watch": self.result_row(
                    f"{unit.id}.achieved.{r['reaction']}", f"achieved conversion by {r['reaction']}", ""
                ),
            }

    def equilibrium_rows(self, outcome):
        for r in outcome.reactions:
            if "ln_k" in r:
                yield {
                    "reaction": r["reaction"],
                    "k": power_text(r["ln_k"]),
                    "q": "–" if r.get("gone") else power_text(r["ln_q"]),
                    "gone": r.get("gone"),
                    "extent": self.flow_text(r["extent"]),
                    "basis": r.get("basis", ""),
                }
            elif "held" in r:
                asked = show(r["asked"], "fraction", self.display) if r["asked"] is not None else "an extent"
                yield {
                    "reaction": r["reaction"],
                    "k": "held",
                    "q": asked,
                    "extent": self.flow_text(r["extent"]),
                    "basis": "",
                }

    def net_reactions(self, outcome):
        """Independent reactions that describe a Gibbs reactor's change."""
        return [(r["equation"], self.flow_text(r["extent"])) for r in outcome.reactions if "equation" in r]

    def balance_rows(self, balances):
        rows = [("mass", balances["mass"])]
        rows += [(element, value) for element, value in balances["elements"].items()]
        rows.append(("energy", balances["energy"]))
        return [(name, f"{value:+.0e}" if abs(value) >= 1e-15 else "0", abs(value) < 1e-6) for name, value in rows]

    def inspect_stream(self, stream):
        found = self.solution.streams.get(stream.id) if self.solution else None
        out = {
            "what": "stream", "id": stream.id, "feed": stream.is_feed, "from": stream.source, "to": stream.to,
            "messages": self.own_messages(stream.id), "fields": [], "results": [], "composition": [], "phases": [],
            "units": list(self.destinations(stream)),
            "kinds": [(f, [(k.kind, k.label, k.meaning) for k in KINDS.values() if k.family == f]) for f in FAMILIES],
            "outlets": self.outlets(stream), "inlets": self.inlets(stream),
        }  # fmt: skip
        if stream.is_feed and stream.given is not None:
            out["air"] = {c for c, *_ in AIR[:2]} <= {s.cas for s in self.document.species}
            out["basis"] = [(b, words, b == stream.given.basis) for b, words in BASES.items()]
            ratios = stream.given.basis == "mole-ratios"
            labels = {"temperature": "Temperature", "pressure": "Pressure",
                      "total": f"Flow of {stream.given.to_species}" if ratios else "Total flow"}  # fmt: skip
            if ratios:
                address = f"{stream.id}.to_species"
                out["fields"].append({"type": "choice", "address": address, "label": "Ratios are to", "meaning": "moles per mole of it",
                                      "options": [(s.id, s.shown, s.id == stream.given.to_species) for s in self.document.species],
                                      "message": self.errors.get(address)})  # fmt: skip
            shown = {s.id: s.shown for s in self.document.species}
            for a in feed_addresses(self.document, stream):
                tail = a.address.split(".", 1)[1]
                out["fields"].append(self.field(a.address, labels.get(tail) or shown.get(tail.split(".")[-1], tail)))
            out["whole_message"] = next(
                (self.errors[w] for k, _, _ in FEED_BASES.values() if (w := f"{stream.id}.{k}") in self.errors), None
            )
        if found is not None:
            for name, words in COLUMNS.items():
                value = found.total if name == "flow" else getattr(found, name)
                dimension = self.outputs[f"{stream.id}.{name}"].dimension
                out["results"].append(
                    self.result_row(f"{stream.id}.{name}", words, show(value, dimension, self.display))
                )
            for s in self.document.species:
                n = found.flow.get(s.id, 0.0)
                out["composition"].append(
                    {
                        "label": s.shown,
                        "flow": self.flow_text(n),
                        "fraction": show(
                            n / found.total if found.total else None, "fraction", self.display, unit=False
                        ),
                        "rows": [
                            self.result_row(f"{stream.id}.{k}.{s.id}", w, "")
                            for k, w in (
                                ("flow", "flow"),
                                ("fraction", "mole fraction"),
                                ("mass_flow", "mass flow"),
                                ("mass_fraction", "mass fraction"),
                            )
                        ],
                    }
                )
            for p in found.phases:
                out["phases"].append({"kind": self.phase_words(p), "share": show(p["share"], "fraction", self.display)})
        return out

    def phase_words(self, phase):
        """The name of a phase; one that only holds what cannot vaporise is no liquid that the model knows."""
        held = {s.id for s in self.document.species if phase["fraction"].get(s.id, 0.0) > 1e-9}
        solid = {s.id for s in self.document.species if s.id in held and is_held(s.key)}
        return "not volatile (solid or dissolved)" if held and held == solid else phase["kind"]

    def outlets(self, stream):
        """(port, words, taken now, which stream it would exchange with) of the outlets that a stream can leave its unit by."""
        unit = self.document.unit(source_of(stream)[0]) if stream.source else None
        ports = KINDS[unit.kind].ports_out(unit) if unit is not None else ()
        now = source_of(stream)[1] or (ports[0].name if len(ports) == 1 else None)
        return (
            [(p.name, p.name, p.name == now) for p in ports]
            if len(ports) > 1 or (ports and now != ports[0].name)
            else []
        )

    def inlets(self, stream):
        """(port, words, taken now) of the sides that a stream can enter its unit by."""
        unit = self.document.unit(stream.enters) if stream.to else None
        ports = KINDS[unit.kind].inlets if unit is not None else ()
        return [(p.name, p.name, p.name == stream.inlet) for p in ports] if len(ports) > 1 else []

    def destinations(self, stream):
        """(what to send it to, words) for every inlet another stream could take."""
        for u in self.document.units:
            inlets = KINDS[u.kind].inlets
            for port in inlets:
                to = u.id if len(inlets) == 1 else f"{u.id}.{port.name}"
                if to != stream.to:
                    yield to, u.id if len(inlets) == 1 else f"{u.id}, {port.name} side"

    def overall_rows(self):
        """Overall conversions and balance, for the panel when nothing is selected."""
        if self.solution is None or not self.solution.overall:
            return None
        conversion = [
            self.result_row(f"overall.conversion.{s.id}", f"Overall conversion of {s.shown}",
                            show(self.solution.overall["conversion"][s.id], "fraction", self.display))
            for s in self.document.species if self.solution.overall["conversion"].get(s.id, 0.0) > 1e-9
        ]  # fmt: skip
        made = [
            self.result_row(f"overall.made.{s.id}", f"{s.shown} made", show(v, "molar flow", self.display))
            for s in self.document.species if (v := self.solution.overall["made"].get(s.id, 0.0)) > 1e-9
        ]  # fmt: skip
        measures = [
            self.result_row(f"overall.{name}", label, show(self.solution.overall.get(name), "fraction", self.display), formula)
            for name, (label, formula) in OVERALL.items() if f"overall.{name}" in self.outputs
        ]  # fmt: skip
        return {
            "results": [*measures, *conversion, *made],
            "balance": self.balance_rows(self.solution.overall["balances"]),
        }

    # Readings

    def reading(self, set_id):
        """A reaction set in words."""
        chosen = self.document.set(set_id)
        if chosen is None or not chosen.steps:
            return "No reaction runs."
        parts = []
        for i, step in enumerate(chosen.steps):
            names = " and ".join(step) if len(step) < 3 else ", ".join(step[:-1]) + " and " + step[-1]
            on = "on what enters" if i == 0 else "on what is left"
            who = f"reaction{'s' if len(step) > 1 else ''} {names}"
            parts.append(f"{who} {'act together' if len(step) > 1 else 'acts'} {on}")
        return _sentence(", then ".join(parts))

    def unit_reading(self, unit):
        """How a reactor runs its set, in words; '' where it has none."""
        for d in KINDS[unit.kind].inputs():
            if d.form == "set" and value_of(unit, d) and not d.optional:
                return (
                    self.reading(value_of(unit, d))
                    if d.steps
                    else "All reactions of the set act together, whatever their steps."
                )
        return ""

    # For the browser

    def formula_words(self):
        """[(address, words)] of what formulas can name."""
        rows = {a.address: a.label for a in self.inputs.values()} | {
            r.address: r.label for r in self.outputs.values() if not r.formula
        }
        return sorted(rows.items())

    def commands(self):
        """Entries of the command finder."""
        rows = [{"words": f"Go to {label}", "url": f"../{stage}/"} for stage, label in STAGES]
        rows += [
            {"words": f"Open unit {u.id} ({KINDS[u.kind].label})", "url": f"../process/?select={u.id}"}
            for u in self.document.units
        ]
        rows += [{"words": f"Open stream {s.id}", "url": f"../process/?select={s.id}"} for s in self.document.streams]
        rows += [
            {"words": f"Open reaction {r.id}", "url": f"../chemistry/?select={r.id}"} for r in self.document.reactions
        ]
        rows += [
            {"words": f"Open species {s.shown}", "url": f"../chemistry/?select=species:{s.id}"}
            for s in self.document.species
        ]
        rows += [
            {"words": "Add a target or a tie", "url": "../loops/"}, {"words": "Compare variants", "url": "../variants/"},
            {"words": "Undo", "click": "undo"}, {"words": "Redo", "click": "redo"}, {"words": "Add a feed", "click": "add-feed"},
            {"words": "Export the project as JSON", "url": "../export.json", "plain": True},
            {"words": "Export the ledger as CSV", "url": "../ledger.csv", "plain": True},
            {"words": "All projects", "url": "../../../", "plain": True},
        ]  # fmt: skip
        return rows


def _sentence(text):
    return text[:1].upper() + text[1:] + "."


def gain_words(loop):
    """The loop gain in words."""
    if loop.gain is None:
        return "Nothing of a disturbance comes back, so one pass is enough."
    g = loop.gain
    if abs(g) >= 1.0:
        return (
            f"{100 * abs(g):.4g} % of a disturbance comes back after one pass: by itself the loop cannot settle."
            if not loop.settled
            else f"{100 * abs(g):.4g} % of a disturbance comes back after one pass: only acceleration holds it."
        )
    plain = math.ceil(math.log(1e-9) / math.log(max(abs(g), 1e-9))) if abs(g) > 0 else 1
    return (
        f"{100 * abs(g):.3g} % of a disturbance comes back after one pass; "
        f"passing by itself would take {f'about {max(plain, 1)}' if plain < 10_000 else 'more than 10 000'} passes, "
        f"this took {loop.passes}."
    )


def show_unit(dimension, display):
    return pretty_unit(DISPLAY_SETS[display].unit(dimension))


def power_text(ln, digits=4):
    """exp(ln) as text, whatever its size."""
    if ln is None:
        return "–"
    return format_number(math.exp(ln), digits) if abs(ln) < 600 else f"10^{ln / math.log(10):.0f}"


def pretty_text(text):
    """Document text as shown in a field; it reads back the same."""
    return text.replace("degC", "°C").replace("degF", "°F").replace("degR", "°R")


def cell_text(value, dimension):
    """A ledger cell: one decimal for temperatures, four figures else."""
    if value is None:
        return "–"
    if dimension == "temperature":
        return f"{value:.1f}".replace("-", "−")
    if abs(value) < 5e-7:
        return "0"
    return format_number(value)


def field_text(address):
    """The text of an input's field; a file's bare fraction is shown in per cent, as the field is."""
    text = address.text or ""
    try:
        number, unit = split_text(text)
    except QuantityError:  # said at the field
        return pretty_text(text)
    return f"{100 * number:.10g} %" if address.dimension == "fraction" and not unit else pretty_text(text)


def slider_text(document, knob_id, position):
    """(address, document text, SI value) of a knob at a slider position 0 … SLIDER_STEPS. Raises QuantityError."""
    knob = document.knob(knob_id)
    inputs = addresses(document)
    if knob is None or knob.input not in inputs:
        raise QuantityError("The knob is gone: reload the page.")
    a = inputs[knob.input]
    unit = DISPLAY_SETS[document.display].unit(a.dimension)
    low, high = (to_unit(parse(t, a.dimension), unit, a.dimension) for t in (knob.low, knob.high))
    at = low + (high - low) * min(max(position, 0), SLIDER_STEPS) / SLIDER_STEPS
    places = max(0, 2 - math.floor(math.log10(abs(high - low)))) if high != low else 3
    text = f"{at:.{places}f}" + ("" if unit == "1" else f" {unit}")
    return knob.input, text, parse(text, a.dimension)


def as_json(data):
    return json.dumps(data, separators=(",", ":"))
