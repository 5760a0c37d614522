"""What the chemistry page shows: species with their data, reactions with their constants, sets with their network."""

import math
from types import SimpleNamespace

import numpy as np

from gulch.engine.chemistry import Ambiguous, EquationError, reaction_properties, resolve_equation, write_equation
from gulch.engine.chemistry.constants import BASES, BASIS_UNITS, SOURCES, gibbs_spread
from gulch.engine.chemistry.equations import Unbalanced, UnknownSpecies
from gulch.engine.chemistry.network import layers, limiting, relations
from gulch.engine.chemistry.rates import BASES as RATE_BASES
from gulch.engine.chemistry.rates import PER, half_life, pack, rates, read_rate_constant
from gulch.engine.document import EquilibriumEntry
from gulch.engine.flowsheet.inputs import constant_of, model_of, rate_of, reactions_of
from gulch.engine.flowsheet.measures import OVERALL, PER_REACTOR, key_per_product
from gulch.engine.phases.kernels import LIQUID, VAPOUR, R
from gulch.engine.quantities import (
    DIMENSIONS,
    DISPLAY_SETS,
    QuantityError,
    format_number,
    parse,
    show,
    split_text,
    to_unit,
)
from gulch.engine.species import SpeciesError, lacking, lookup
from gulch.engine.species.own import OWN, POINTS, TYPED
from gulch.web.projects.words import power_text, pretty_text, show_unit

PICKED = ("formation_enthalpy", "entropy", "critical_temperature", "critical_pressure", "acentric_factor")


class ChemistryPage:
    """The page's parts, computed when the template asks for them. space: the Workspace."""

    def __init__(self, space):
        self.space, self.document, self.display = space, space.document, space.display
        self.names = [s.id for s in self.document.species]
        self.shown = [s.shown for s in self.document.species]
        try:
            self.model = model_of(self.document)
        except SpeciesError:
            self.model = None
        try:
            self.T = parse(self.document.reactions_at, "temperature")
            self.T_problem = ""
        except QuantityError as error:
            self.T, self.T_problem = 298.15, str(error)
        self.resolved, self.problems = {}, {}
        for r in self.document.reactions:
            try:
                self.resolved[r.id] = resolve_equation(r.equation, self.document.entries())
            except (EquationError, SpeciesError) as error:
                self.problems[r.id] = error

    def show(self, value, dimension, digits=4, unit=True):
        return show(value, dimension, self.display, digits, unit=unit)

    @property
    def at_text(self):
        return pretty_text(self.document.reactions_at)

    @property
    def at_shown(self):
        return self.show(self.T, "temperature")

    # Species

    def species_rows(self):
        for s in self.document.species:
            here = self.space.select == f"species:{s.id}"
            try:
                d = lookup(*s.key)
            except SpeciesError as error:
                yield {"id": s.id, "shown": s.shown, "here": here, "problem": str(error)}
                continue

            def text(datum, dimension, digits=4):
                return self.show(datum.value, dimension, digits, unit=False) if datum else "–"

            unit = DISPLAY_SETS[self.display].unit("temperature")
            yield {
                "id": s.id, "shown": s.shown, "formula": d.formula, "here": here,
                "own": "own" if s.data else "", "held": d.non_volatile,
                "mass": text(d.molar_mass, "molar mass", 5), "tc": text(d.critical_temperature, "temperature"),
                "pc": text(d.critical_pressure, "pressure"),
                "omega": f"{d.acentric_factor.value:.3f}".replace("-", "−") if d.acentric_factor else "–",
                "tb": text(d.boiling_point, "temperature"), "hf": text(d.formation_enthalpy, "molar energy"),
                "s": text(d.entropy, "molar entropy"),
                "range": " … ".join(f"{to_unit(t, unit, 'temperature'):.0f}".replace("-", "−")
                                    for t in (d.heat_capacity.low, d.heat_capacity.high)),
            }  # fmt: skip

    def species_units(self):
        return {k: show_unit(d, self.display) for k, d in (("t", "temperature"), ("p", "pressure"), ("m", "molar mass"),
                                                           ("h", "molar energy"), ("s", "molar entropy"))}  # fmt: skip

    def species_detail(self):
        """Every datum of the selected species with its source, what other sources say, and fields to replace it."""
        head, _, id_ = self.space.select.partition(":")
        entry = next((s for s in self.document.species if s.id == id_), None) if head == "species" else None
        if entry is None:
            return None
        own = entry.data.model_dump() if entry.data else {}
        out = {"entry": entry, "formula": own.get("formula") or "", "user": bool(own.get("formula")), "rows": [], "fits": [],
               "non_volatile": own.get("non_volatile", False), "lacking": [], "remark": own.get("remark") or ""}  # fmt: skip
        d = None
        try:
            d = lookup(*entry.key)
            out |= {"formula": d.formula, "lacking": lacking(d), "mass": self.show(d.molar_mass.value, "molar mass", 5),
                    "held": d.non_volatile}  # fmt: skip
        except SpeciesError as error:
            out["problem"] = str(error)
        for field, (label, dimension) in OWN.items():
            if field == "formation_gibbs" and d is not None:
                value, source, others = d.formation_gibbs, "from enthalpy and entropy", {}
            else:
                datum = getattr(d, field, None) if d is not None else None
                value, source = (datum.value, datum.source) if datum else (None, "nothing known")
                others = datum.others if datum else {}
            if field == "liquid_density" and value is None:
                source = "Rackett's equation"
            digits = 5 if dimension in ("molar energy", "temperature") else 4
            everything = ({source: value} | others) if field in PICKED and others else {}
            out["rows"].append({
                "field": field, "label": label, "text": self.show(value, dimension, digits), "source": source,
                "typed": own.get(field) or "", "unit": show_unit(dimension, self.display),
                "spread": self.show(max(everything.values()) - min(everything.values()), dimension, 3)
                if len(everything) > 1 and dimension.startswith("molar") else "",
                "sources": [(name, self.show(v, dimension, digits), name == own.get("sources", {}).get(field))
                            for name, v in everything.items() if name != TYPED],
            })  # fmt: skip
        for field, (label, _) in POINTS.items():
            fit = getattr(d, field, None) if d is not None else None
            out["fits"].append({
                "field": field, "label": label, "typed": own.get(field) or "",
                "range": f"{self.show(fit.low, 'temperature')} to {self.show(fit.high, 'temperature')}" if fit else "–",
                "source": fit.source if fit else ("it stays in the liquid" if d else "nothing known"),
                "worst": f"{100 * fit.worst:.2g} %" if fit else "",
                "example": "25 °C 75 J/(mol K); 100 °C 76 J/(mol K)" if field == "heat_capacity" else "25 °C 0.032 bar; 100 °C 1.01 bar",
            })  # fmt: skip
        return out

    def interactions(self):
        """Pairs whose k_ij is not zero or is the user's own, and the species to choose a pair from."""
        if self.model is None or self.document.phase_model.kind == "ideal" or len(self.names) < 2:
            return None
        own = {frozenset(k.pair): k.value for k in self.document.phase_model.interaction}
        rows = []
        for i, a in enumerate(self.names):
            for j, b in enumerate(self.names[:i]):
                typed = own.get(frozenset((a, b)))
                if typed is not None or self.model.kij[i, j] != 0.0:
                    rows.append({"a": b, "b": a, "value": f"{self.model.kij[i, j]:g}", "own": typed is not None})
        return {"rows": rows, "species": [(s.id, s.shown) for s in self.document.species], "own": len(own)}

    # Reactions

    def nu(self, id_):
        nu = np.zeros(len(self.names))
        for i, v in self.resolved[id_].coefficients.items():
            nu[i] = float(v)
        return nu

    def reaction_cards(self):
        for r in self.document.reactions:
            card = {"id": r.id, "equation": r.equation, "key": r.conversion.key if r.conversion else "",
                    "value": r.conversion.value if r.conversion else "", "reactants": [],
                    "polynomial": r.conversion.polynomial if r.conversion else "",
                    "value_error": self.space.errors.get(f"{r.id}.conversion"), "key_error": self.space.errors.get(f"{r.id}.key"),
                    "constant_error": self.space.errors.get(f"{r.id}.equilibrium"),
                    "here": self.space.select == r.id,
                    "knob": next((k.id for k in self.document.knobs if k.input == f"{r.id}.conversion"), None)}  # fmt: skip
            error = self.problems.get(r.id)
            if error is not None:
                card["problem"] = str(error)
                if isinstance(error, Unbalanced):
                    card["suggestion"] = error.suggestion
                    card["elements"] = _elements(error.elements)
                if isinstance(error, UnknownSpecies):
                    card["offers"] = [(m.cas, m.name, m.formula) for m in error.matches[:5]]
                if isinstance(error, Ambiguous):
                    card["ways"] = error.ways
            else:
                found = self.resolved[r.id]
                card["balanced"] = write_equation(found.coefficients, self.shown)
                card["elements"] = _elements(found.elements)
                card["ways"] = found.ways
                card["reactants"] = [
                    (self.names[i], self.names[i] == card["key"]) for i, v in found.coefficients.items() if v < 0
                ]
                if self.model is not None:
                    card |= self.properties(r)
            yield card

    def properties(self, reaction):
        nu = self.nu(reaction.id)
        if any(v and self.model.species[i].formation_enthalpy is None for i, v in enumerate(nu)):
            return {"no_data": "A formation enthalpy is missing, so nothing is known of its heat."}
        p = reaction_properties(nu, self.model, self.T)
        missing = "– (an entropy is missing)"
        out = {"dh": self.show(p.dh, "molar energy"), "heat": "releases heat" if p.dh < 0 else "takes up heat",
               "ds": self.show(p.ds, "molar entropy") if p.ds is not None else missing,
               "dg": self.show(p.dg, "molar energy") if p.dg is not None else missing,
               "k": power_text(p.ln_k), "sure": self.sure(nu)}  # fmt: skip
        if reaction.rate is not None:
            out["rate"] = self.rate_detail(reaction, nu)
        if reaction.equilibrium is not None and reaction.equilibrium.source != "gibbs":
            try:
                constant = constant_of(reaction)
                out["own_k"] = power_text(constant.ln_k(self.T, nu, self.model))
                out["own_words"] = f"{SOURCES[constant.source]}; {self.basis_words(reaction.equilibrium, nu)}"
            except QuantityError:
                pass
        return out

    def sure(self, nu):
        """How far the sources of the formation data leave K open at the temperature shown, as a sentence."""
        spread = gibbs_spread(nu, self.model, self.T)
        if spread is None or spread.high - spread.low < 50.0:
            return ""
        low, high = (power_text(-g / (R * self.T), 2) for g in (spread.high, spread.low))
        worst = self.document.species[spread.parts[0][0]].shown
        return (f"Sources differ by {self.show(spread.high - spread.low, 'molar energy', 2)} in ΔG°, most over {worst}: "
                f"K between {low} and {high}.")  # fmt: skip

    def basis_words(self, entry, nu):
        words = f"{BASES[entry.basis]} in the {entry.phase}"
        if entry.basis in BASIS_UNITS:
            order = nu.sum()
            unit = entry.unit or BASIS_UNITS[entry.basis][1]
            words += f", K in ({unit})^{order:g}" if order else f", in {unit} (they cancel)"
        return words

    def reaction_detail(self):
        """The selected reaction: its equilibrium constant with every field, its plot and how sure it is."""
        reaction = self.document.reaction(self.space.select)
        if reaction is None or reaction.id in self.problems or self.model is None:
            return None
        e = reaction.equilibrium or EquilibriumEntry()
        nu = self.nu(reaction.id)
        out = {
            "id": reaction.id,
            "entry": e,
            "equation": write_equation(self.resolved[reaction.id].coefficients, self.shown),
            "sources": [(v, words, v == e.source) for v, words in SOURCES.items()],
            "phases": [(v, v, v == e.phase) for v in ("vapour", "liquid")],
            "bases": [(v, words, v == e.basis) for v, words in BASES.items()],
            "units": [
                (u, u == (e.unit or BASIS_UNITS[e.basis][1])) for u in DIMENSIONS[BASIS_UNITS[e.basis][0]].offered
            ]
            if e.basis in BASIS_UNITS
            else [],
            "error": self.space.errors.get(f"{reaction.id}.equilibrium"),
            "polynomial": reaction.conversion.polynomial or "" if reaction.conversion else "",
            "has_conversion": reaction.conversion is not None,
            "low": pretty_text(e.low or ""),
            "high": pretty_text(e.high or ""),
            "polynomial_error": self.space.errors.get(f"{reaction.id}.polynomial"),
            "knob": next((k.id for k in self.document.knobs if k.input == f"{reaction.id}.constant"), None),
        }
        out["rate"] = self.rate_detail(reaction, nu)
        if any(v and self.model.species[i].formation_enthalpy is None for i, v in enumerate(nu)):
            return out
        out["sure"] = self.sure(nu)
        spread = gibbs_spread(nu, self.model, self.T)
        if spread:
            out["parts"] = [
                (self.document.species[i], self.show(size, "molar energy", 2))
                for i, size in spread.parts
                if size > 50.0
            ]
        try:
            out["plot"] = self.constant_plot(reaction, nu, spread is not None)
            constant = constant_of(reaction)
            if constant.source != "gibbs":
                heat = constant.reaction_heat(self.T, nu, self.model)
                own = reaction_properties(nu, self.model, self.T).dh
                out["heat_words"] = (
                    f"The constant itself implies a heat of reaction of {self.show(heat, 'molar energy')} at "
                    f"{self.at_shown} (van 't Hoff); the formation data give {self.show(own, 'molar energy')}."
                )
                out["heat_differs"] = abs(heat - own) > 0.15 * max(abs(own), 1e4)
        except QuantityError:
            pass
        return out

    def rate_detail(self, reaction, nu):
        """The rate law's fields, and k, rate and half-life where an engineer can check them."""
        e = reaction.rate
        if e is None:
            return None
        out = {
            "entry": e, "error": self.space.errors.get(f"{reaction.id}.rate"), "question": self.space.errors.get(f"{reaction.id}.energy"),
            "laws": [(v, w, v == e.law) for v, w in (("power", "power law"), ("formula", "formula of its own"))],
            "bases": [(v, words, v == e.basis) for v, (words, _, _) in RATE_BASES.items()],
            "pers": [(v, words, v == e.per) for v, words in PER.items()],
            "reverses": [(v, w, v == e.reverse) for v, w in
                         (("none", "none"), ("own", "with a k of its own"), ("equilibrium", "from the equilibrium constant"))],
            "knob": next((k.id for k in self.document.knobs if k.input == f"{reaction.id}.energy"), None),
            "at": pretty_text(e.forward.at or ""), "back_at": pretty_text(e.backward.at or "") if e.backward else "",
            "species": [(s.id, s.shown) for s in self.document.species],
            "names": [f"{kind}.{s.id.replace('-', '_')}" for s in self.document.species for kind in ("c", "p", "x")][:9],
        }  # fmt: skip
        names = self.names
        usual = {names[i]: f"{-v:g}" for i, v in enumerate(nu) if v < 0.0}
        back = {names[i]: f"{v:g}" for i, v in enumerate(nu) if v > 0.0}
        shown = dict.fromkeys([*(names[i] for i, v in enumerate(nu) if v), *e.orders, *e.reverse_orders])
        out["orders"] = [
            (
                s,
                e.orders.get(s, "0") if e.orders else usual.get(s, "0"),
                e.reverse_orders.get(s, "0") if e.reverse_orders else back.get(s, "0"),
            )
            for s in shown
        ]
        out["others"] = [s for s in names if s not in shown]
        try:
            law = rate_of(reaction, self.document, nu)
        except QuantityError:
            return out
        if law.constant is not None:
            order = float(law.forward.sum())
            out["order"] = f"{order:g}"
            number, unit = split_text(e.forward.k)  # shown in the unit typed, so that a slip in it is seen
            typed = read_rate_constant(e.forward.k, law.basis, law.per, order) / number
            out["k_text"] = f"{format_number(law.constant.at(self.T) / typed, 4)} {unit}"
        out["samples"] = self.rate_samples(reaction, law)
        return out

    def rate_samples(self, reaction, law):
        """Rate and half-life in streams that are solved: the first reactor's inlet or a feed, there and at the chosen temperature."""
        solved = self.space.solution.streams if self.space.solution else {}
        users = [u.id for u in self.document.units if reaction.id in reactions_of(self.document, u)]
        order = [
            *(s.id for s in self.document.streams if s.enters in users),
            *(s.id for s in self.document.streams if s.is_feed),
        ]
        stream = next((i for i in order if i in solved and solved[i].temperature), None)
        if stream is None or not self.model.all_volatile:
            return []
        found = solved[stream]
        n = np.array([found.flow.get(s, 0.0) for s in self.names])
        phase = "vapour" if (found.vapour_fraction or 0.0) > 0.5 else "liquid"
        nu = self.nu(reaction.id)
        try:
            laws, _ = pack([SimpleNamespace(nu=nu, rate=law)], [constant_of(reaction)], len(self.names))
        except QuantityError:
            return []
        rows = []
        dimension = "rate per mass" if law.per == "catalyst" else "rate"
        for T in dict.fromkeys((found.temperature, self.T)):
            speed = float(rates(laws, T, found.pressure, n, phase, self.model)[0])
            half = None
            if law.forward is not None and law.per != "catalyst":
                first = next((i for i in np.argsort(-law.forward) if nu[i] < 0.0 and n[i] > 0.0), None)
                if first is not None:
                    code = VAPOUR if phase == "vapour" else LIQUID
                    c = n[first] / n.sum() / self.model.phase_volume(T, found.pressure, n, code)
                    half = half_life(speed * -nu[first], float(law.forward[first]), c)
            rows.append({"where": f"{stream}, {phase}, {self.show(T, 'temperature')}", "rate": self.show(speed, dimension, 3),
                         "half": self.show(half, "time", 3) if half else "–"})  # fmt: skip
        return rows

    def constant_plot(self, reaction, nu, with_gibbs):
        """log10 K over 1/T: the constant in use, the band of the sources where it rests on Gibbs energies."""
        used = [f for v, s in zip(nu, self.model.species) if v for f in [s.heat_capacity]]
        low, high = max(f.low for f in used), min(f.high for f in used)
        constant = constant_of(reaction)
        believed = constant.range()
        from_T = max(min(low, self.T) if low < 1000 else low, 200.0)
        to_T = min(max(self.T + 50.0, 1500.0), max(high, self.T + 50.0))
        T = 1.0 / np.linspace(1.0 / to_T, 1.0 / from_T, 41)
        unit = DISPLAY_SETS[self.display].unit("temperature")

        def logs(values):
            return [v / math.log(10) for v in values]

        out = {
            "x": (1000.0 / T).tolist(), "T": [to_unit(t, unit, "temperature") for t in T], "unit": show_unit("temperature", self.display),
            "k": logs(constant.ln_k(t, nu, self.model) for t in T) if constant.source != "gibbs" or with_gibbs else [],
            "valid": [1000.0 / min(high, to_T), 1000.0 / max(low, from_T)], "at": 1000.0 / self.T, "low": [], "high": [],
            "believed": [1000.0 / (believed[1] or to_T), 1000.0 / (believed[0] or from_T)] if any(believed) else None,
            "ticks": [], "source": SOURCES[constant.source],
        }  # fmt: skip
        if with_gibbs:
            spreads = [gibbs_spread(nu, self.model, t) for t in T]
            out["low"] = logs(-s.high / (R * t) for s, t in zip(spreads, T))
            out["high"] = logs(-s.low / (R * t) for s, t in zip(spreads, T))
            if constant.source != "gibbs":
                out["gibbs"] = logs(-s.used / (R * t) for s, t in zip(spreads, T))
        for t in (0, 50, 100, 200, 300, 400, 600, 1000, 2000):
            k = t if unit == "K" else t + 273.15 if unit == "degC" else (t + 459.67) / 1.8
            room = 0.11 * (1000.0 / from_T - 1000.0 / to_T)  # so that the numbers do not touch
            if from_T <= k <= to_T and (not out["ticks"] or out["ticks"][-1][0] - 1000.0 / k > room):
                out["ticks"].append([1000.0 / k, f"{t}"])
        return out

    # Sets

    def sets(self):
        for s in self.document.reaction_sets:
            place = {r: i for i, step in enumerate(s.steps, 1) for r in step}
            top = len(s.steps) + 1
            chosen = {
                r: {self.names[i]: float(v) for i, v in self.resolved[r].coefficients.items()}
                for step in s.steps for r in step if r in self.resolved
            }  # fmt: skip
            yield {
                "id": s.id, "reading": self.space.finder.reading(s.id), "message": self.space.errors.get(f"{s.id}.steps"),
                "rows": [{"reaction": r.id, "steps": [(0, "not used", place.get(r.id, 0) == 0),
                                                      *((i, f"step {i}", place.get(r.id) == i) for i in range(1, top + 1))]}
                         for r in self.document.reactions],
                "network": drawing(chosen) if chosen else None, "relations": relations(chosen),
                "preview": self.preview(s, chosen),
            }  # fmt: skip

    def preview(self, entry, chosen):
        """Limiting species of each reaction in a stream: the one chosen, else the first inlet of a reactor of the set."""
        solved = self.space.solution.streams if self.space.solution else {}
        users = [u.id for u in self.document.units if getattr(u, "set", None) == entry.id]
        inlets = [s.id for s in self.document.streams if s.enters in users]
        feeds = [s.id for s in self.document.streams if s.is_feed]
        choices = [i for i in dict.fromkeys([*inlets, *feeds, *(s.id for s in self.document.streams)]) if i in solved]
        if not choices:
            return None
        stream = entry.preview if entry.preview in choices else choices[0]
        rows = []
        for id_, nu in chosen.items():
            first, extent, excess = limiting(nu, solved[stream].flow)
            rest = ", ".join(f"{s} {self.show(v, 'fraction', 3)} in excess" for s, v in excess.items() if v is not None)
            rows.append({
                "reaction": id_, "limiting": first, "extent": self.show(extent, "molar flow", unit=False),
                "rest": rest if extent > 0.0 else f"{first} is absent",
            })  # fmt: skip
        return {
            "choices": [(c, c == stream) for c in choices],
            "rows": rows,
            "unit": show_unit("molar flow", self.display),
        }

    # Measures

    def measures(self):
        m = self.document.measures
        if len(self.names) < 2:
            return None
        out = {
            "key": [(s.id, s.shown, bool(m) and m.key == s.id) for s in self.document.species],
            "product": [(s.id, s.shown, bool(m) and m.product == s.id) for s in self.document.species],
            "on": m is not None, "ratio": (m.ratio or "") if m else "", "message": self.space.errors.get("measures"), "rows": [],
        }  # fmt: skip
        if m and not out["message"]:
            ratio, whence = key_per_product(self.document)
            out["reading"] = (
                f"A is {m.key}, P is {m.product}; one mole of P takes r = {format_number(ratio, 3)} of A ({whence})."
            )
            overall = self.space.solution.overall if self.space.solution else {}
            for name, (label, formula) in OVERALL.items():
                value = overall.get(name)
                out["rows"].append(
                    self.space.accounts.result_row(f"overall.{name}", label, self.show(value, "fraction"), formula)
                    | {"formula": formula}
                )
            out["per_reactor"] = [(label, formula) for label, formula in PER_REACTOR.values()]
        return out


def _elements(elements):
    return [(e, f"{float(a):g}", f"{float(b):g}", a == b) for e, (a, b) in elements.items()]


COLUMN, ROW, PILL = 104, 30, 84


def drawing(reactions):
    """The network as shapes for an SVG: species pills, reaction marks, and arrows between them."""
    species, order = layers(reactions)
    columns = {}
    for s, at in species.items():
        columns.setdefault(at, []).append(("species", s))
    for r, at in order.items():
        columns.setdefault(at, []).append(("reaction", r))
    tallest = max(len(c) for c in columns.values())
    height = tallest * ROW + 16
    places = {}
    for at, column in columns.items():
        for k, node in enumerate(column):
            places[node] = (14 + PILL / 2 + at * COLUMN, height / 2 + (k - (len(column) - 1) / 2) * ROW)
    nodes = [
        {
            "kind": kind,
            "name": name,
            "short": name if len(name) <= (13 if kind == "species" else 18) else name[:12] + "…",
            "x": x,
            "y": y,
            "left": x - PILL / 2,
            "top": y - 11,
            "points": f"{x - 9},{y} {x},{y - 9} {x + 9},{y} {x},{y + 9}",
            "below": y + 20,
        }
        for (kind, name), (x, y) in places.items()
    ]
    edges = []
    for r, nu in reactions.items():
        rx, ry = places["reaction", r]
        for s, v in nu.items():
            sx, sy = places["species", s]
            if v < 0.0:
                x0, y0, x1, y1 = sx + PILL / 2, sy, rx - 9, ry
            else:
                x0, y0, x1, y1 = rx + 9, ry, sx - PILL / 2, sy
            back = x1 < x0
            if back:  # made again where it was fed: round below
                dip = height - 4
                path = f"M{x0} {y0} C{x0 + 40} {dip} {x1 - 40} {dip} {x1} {y1}"
            else:
                middle = (x0 + x1) / 2
                path = f"M{x0} {y0} C{middle} {y0} {middle} {y1} {x1} {y1}"
            edges.append({"path": path, "made": v > 0.0, "back": back})
    width = max(x for x, _ in places.values()) + PILL / 2 + 14
    return {"nodes": nodes, "edges": edges, "width": round(width), "height": round(height)}
