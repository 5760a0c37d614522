"""Checks before solving: each is a small function that yields to-do lines (Message).

They read the document only; the interface renders what they say, the solver refuses to start
while there are errors.
"""

from collections import Counter

import numpy as np

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.document import source_of, value_of
from gulch.engine.flowsheet.couplings import circles, names, own_reading, read_target, read_tie, readings
from gulch.engine.flowsheet.graph import reaches
from gulch.engine.flowsheet.inputs import (
    FEED_BASES,
    addresses,
    assumed,
    constant_of,
    number,
    polynomial_of,
    rate_of,
    reactions_of,
    total_dimension,
)
from gulch.engine.flowsheet.measures import key_per_product
from gulch.engine.flowsheet.once import standing
from gulch.engine.flowsheet.solution import Code, Message
from gulch.engine.flowsheet.typed import doubts
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.units import KINDS
from gulch.engine.units.base import ReactionSet, SpeciesChoice


def check(project):
    """All to-do lines of a document, errors first."""
    found = []
    with standing(project):
        for one in CHECKS:
            found.extend(one(project))
    order = {"error": 0, "question": 1, "warning": 2, "assumed": 3}
    return sorted(found, key=lambda m: order[m.level])


def read(address):
    """SI value of an Address, or None. Raises QuantityError."""
    return None if address.text in (None, "") else parse(address.text, address.dimension)


def unique_ids(project):
    """Ids are unique within their kind, and among streams, units and reactions together."""
    groups = {
        "species": [s.id for s in project.species],
        "reaction set": [s.id for s in project.reaction_sets],
        "knob": [k.id for k in project.knobs],
        "gauge": [g.id for g in project.gauges],
        "scan": [s.id for s in project.scans],
        "stream, unit or reaction": [x.id for x in (*project.streams, *project.units, *project.reactions)],
    }
    for what, ids in groups.items():
        for id_, times in Counter(ids).items():
            if times > 1:
                yield Message("error", id_, f"{id_} names more than one {what}.", "Rename all but one of them.")
    for cas, times in Counter(s.cas for s in project.species if s.cas).items():
        if times > 1:
            ids = ", ".join(s.id for s in project.species if s.cas == cas)
            yield Message(
                "error", f"species.{ids.split(', ')[0]}", f"{ids} are the same species ({cas}).", "Remove one."
            )


def known_species(project):
    """Every species has the data that the phase model and the reactions need."""
    for s in project.species:
        try:
            lookup(*s.key)
        except SpeciesError as error:
            yield Message("error", f"species.{s.id}", str(error), f"Remove {s.id} or choose another species.")
    ids = {s.id for s in project.species}
    for k in project.phase_model.interaction:
        for name in k.pair:
            if name not in ids:
                yield Message("error", "phase_model", f"An interaction parameter names {name}, which is not in the project.",
                              f"Add {name} or remove the parameter.")  # fmt: skip


def phase_model_fits(project):
    """The chosen phase model can use every species."""
    if project.phase_model.kind == "ideal":
        return
    for s in project.species:
        try:
            found = lookup(*s.key)
        except SpeciesError:
            continue
        if not found.has_critical and not found.non_volatile:
            yield Message("error", f"species.{s.id}", f"{s.shown} has no critical constants, which the phase model needs.",
                          "Type them, or choose the ideal model.")  # fmt: skip


def formation_data(project):
    """A reaction that a reactor runs needs the formation enthalpies of its species."""
    used = {i for u in project.units for i in reactions_of(project, u)}
    entries = project.entries()
    for r in project.reactions:
        if r.id not in used:
            continue
        try:
            coefficients = resolve_equation(r.equation, entries).coefficients
            data = [(project.species[i], lookup(*project.species[i].key).formation_enthalpy) for i in coefficients]
        except (EquationError, SpeciesError):
            continue
        lacking = [s for s, datum in data if datum is None]
        for s, datum in data:
            if datum is not None and datum.disputed:
                yield Message(
                    "warning",
                    f"species.{s.id}",
                    f"The sources of the formation enthalpy of {s.shown} lie {datum.spread / 1e3:.3g} kJ/mol apart; "
                    f"{datum.source} is taken, and {r.id} rests on it.",
                    "Choose a source, or type a value of your own.",
                )
        if lacking:
            yield Message(
                "error",
                f"species.{lacking[0].id}",
                f"{lacking[0].shown} has no formation enthalpy, so {r.id} has no heat of reaction.",
                f"Type the formation enthalpy of {lacking[0].shown}, or take {r.id} out of the set.",
            )


def equilibrium_constants(project):
    """What is typed for equilibrium constants can be read."""
    for r in project.reactions:
        if r.equilibrium is None:
            continue
        try:
            constant_of(r)
        except QuantityError as error:
            yield Message(
                "error", f"{r.id}.equilibrium", f"Equilibrium constant of {r.id}: {error}", "Mend it in Chemistry."
            )


def polynomials(project):
    """Conversions over temperature can be read and stay between 0 and 1."""
    for r in project.reactions:
        if r.conversion is not None and r.conversion.polynomial:
            try:
                polynomial_of(r.conversion.polynomial)
            except QuantityError as error:
                yield Message("error", f"{r.id}.polynomial", f"Conversion of {r.id}: {error}",
                              "Write its coefficients apart by commas, for example “0.1, 2e-4”.")  # fmt: skip


def rate_laws(project):
    """Rate laws can be read, their units fit their orders, and nothing in them looks like a slip."""
    entries = project.entries()
    for r in project.reactions:
        if r.rate is None:
            continue
        try:
            resolved = resolve_equation(r.equation, entries)
        except (EquationError, SpeciesError):
            continue
        nu = np.zeros(len(entries))
        for i, v in resolved.coefficients.items():
            nu[i] = float(v)
        try:
            law = rate_of(r, project, nu)
        except QuantityError as error:
            yield Message("error", f"{r.id}.rate", f"Rate law of {r.id}: {error}", "Mend it in Chemistry.")
            continue
        if law.constant is None:
            continue
        if law.reverse == "equilibrium" and (r.equilibrium is None or r.equilibrium.source == "gibbs"):
            try:
                lacking = [
                    s.shown for i in resolved.coefficients if lookup(*(s := project.species[i]).key).entropy is None
                ]
            except SpeciesError:
                lacking = []
            if lacking:
                yield Message(
                    "error",
                    f"{r.id}.rate",
                    f"The reverse of {r.id} is to come from equilibrium, but {lacking[0]} has no "
                    "entropy, so there is no equilibrium constant.",
                    f"Give {r.id} a constant, or a reverse of its own.",
                )
        if r.rate.orders:
            vanish = [
                s for i, v in resolved.coefficients.items() if v < 0 and (s := entries[i][0]) not in r.rate.orders
            ]
            if vanish:
                yield Message("warning", f"{r.id}.rate", f"{r.id} uses up {', '.join(vanish)} but has no order in it.",
                              "The reaction then stops when it is exhausted; give an order if the rate depends on it.")  # fmt: skip
        T = hottest_in_use(project)
        steep = law.constant.at(T + 100.0) / max(law.constant.at(T), 1e-300)
        if not 1e-6 < steep < 1e6 and not r.rate.forward.meant:
            energy = r.rate.forward.energy
            less = f"{parse(energy, 'molar energy') / 1e6:.6g} kJ/mol"
            yield Message("question", f"{r.id}.energy", f"k of {r.id} changes by a factor of {steep:.0e} over 100 K. Was {less} meant "
                          f"instead of {energy}?", "Answer at the reaction.", [[less, less], [f"keep {energy}", "keep"]])  # fmt: skip


def hottest_in_use(project):
    """Highest temperature [K] typed for material; that at which reactions are shown where there is none."""
    found = []
    for a in addresses(project).values():
        if a.dimension == "temperature" and a.material and not a.assumed:
            try:
                found.append(read(a))
            except QuantityError:
                continue  # said by quantities
    found = [T for T in found if T is not None]
    if found:
        return max(found)
    try:
        return parse(project.reactions_at, "temperature")
    except QuantityError:
        return 298.15


def kinetic_reactors(project):
    """Reactors that run by rates need a rate law in every reaction of their set."""
    for u in project.units:
        if not getattr(KINDS[u.kind], "needs_rates", False):
            continue
        without = [i for i in reactions_of(project, u) if project.reaction(i).rate is None]
        if without:
            yield Message("error", f"{u.id}.set", f"{u.id} runs by rates, but {', '.join(without)} has no rate law.",
                          f"Give {without[0]} a rate law in Chemistry, or choose another set.")  # fmt: skip


def measures(project):
    """The key reactant and the wanted product are in the project and reactions lead from one to the other."""
    m = project.measures
    if m is None:
        return
    ids = {s.id for s in project.species}
    for species in (m.key, m.product):
        if species not in ids:
            yield Message("error", "measures", f"Selectivity is counted on {species or '–'}, which is not in the project.",
                          "Choose the key reactant and the wanted product again in Chemistry.")  # fmt: skip
            return
    if m.key == m.product:
        yield Message(
            "error", "measures", "Key reactant and wanted product are the same species.", "Choose another product."
        )
        return
    try:
        key_per_product(project)
    except QuantityError as error:
        yield Message("error", "measures", str(error), "Type it again in Chemistry.")


def equations(project):
    """Every equation can be read and is balanced."""
    if not project.reactions:
        return
    entries = project.entries()
    for r in project.reactions:
        try:
            resolved = resolve_equation(r.equation, entries)
        except EquationError as error:
            yield Message("error", f"{r.id}.equation", f"Reaction {r.id}: {error}", "Mend the equation in Chemistry.")
            continue
        except SpeciesError:
            continue  # said by known_species
        if r.conversion is None:
            continue
        reactants = [entries[i][0] for i, v in resolved.coefficients.items() if v < 0]
        if r.conversion.key not in reactants:
            yield Message("error", f"{r.id}.key", f"Reaction {r.id}: the key species {r.conversion.key or '–'} is not one "
                          "of its reactants.", f"Choose {' or '.join(reactants)}.")  # fmt: skip


def conversions(project):
    """Every conversion has a reactant as key and a value that is meant."""
    for r in project.reactions:
        if r.conversion is None or r.conversion.polynomial:
            continue
        where = f"{r.id}.conversion"
        if where in project.doubtful:
            continue  # asked by doubts
        try:
            value = parse(r.conversion.value, "fraction")
        except QuantityError:
            continue  # said by quantities
        if 0.0 < value < 0.01 and not r.conversion.meant:
            meant = f"{100 * 100 * value:.4g} %"
            typed = f"{100 * value:.4g} %"
            yield Message("question", where, f"The conversion of {r.conversion.key} by {r.id} is {typed}. Was {meant} meant?",
                          "Answer in the reaction's card.", [[meant, meant], [f"keep {typed}", "keep"]])  # fmt: skip


def conversion_sums(project):
    """Conversions on one key in one step must not add up to more than 100 %."""
    used = {value_of(u, d) for u in project.units for d in KINDS[u.kind].declared(ReactionSet) if d.steps}
    for s in project.reaction_sets:
        for place, step in enumerate(s.steps, 1):
            sums = {}
            for id_ in step:
                r = project.reaction(id_)
                if r is not None and r.conversion is not None:
                    try:
                        sums.setdefault(r.conversion.key, []).append((parse(r.conversion.value, "fraction"), id_))
                    except QuantityError:
                        continue
            for key, parts in sums.items():
                total = sum(v for v, _ in parts)
                if len(parts) > 1 and total > 1.0 + 1e-9:
                    names = " and ".join(i for _, i in parts)
                    yield Message("error" if s.id in used else "warning", f"{s.id}.steps",
                                  f"In step {place} of set {s.id} the conversions of {key} by {names} add up to "
                                  f"{100 * total:.4g} %.",
                                  "Lower them to 100 % together, or put the reactions in different steps.")  # fmt: skip


def reaction_sets(project):
    """Sets name reactions that are there, once each, and units name sets that are there."""
    known = {r.id for r in project.reactions}
    for s in project.reaction_sets:
        listed = [r for step in s.steps for r in step]
        for id_ in listed:
            if id_ not in known:
                yield Message("error", f"{s.id}.steps", f"Set {s.id} uses reaction {id_}, which the project does not have.",
                              f"Take {id_} out of the set, or add the reaction.")  # fmt: skip
        for id_, times in Counter(listed).items():
            if times > 1:
                yield Message(
                    "error", f"{s.id}.steps", f"Set {s.id} runs {id_} more than once.", "Keep it in one step."
                )
    for u in project.units:
        yield from species_chosen(project, u)
        for d in KINDS[u.kind].declared(ReactionSet):
            yield from set_chosen(project, u, d)


def species_chosen(project, unit):
    """Species that a unit is asked to name are in the project."""
    for d in KINDS[unit.kind].declared(SpeciesChoice) if project.species else ():
        chosen = value_of(unit, d)
        if chosen not in {s.id for s in project.species}:
            label = d.label.lower()
            what = (
                f"{unit.id}: {label} is {chosen}, which is not in the project."
                if chosen
                else f"{unit.id} has no {label}."
            )
            yield Message("error", f"{unit.id}.{d.key}", what, "Choose one in the inspector.")


def set_chosen(project, unit, declared):
    """The reaction set that a unit uses is there and holds something."""
    chosen, where = value_of(unit, declared), f"{unit.id}.{declared.key}"
    if chosen is None:
        if not declared.optional:
            yield Message("error", where, f"{unit.id} has no reaction set.", "Choose one in the inspector.")
    elif project.set(chosen) is None:
        yield Message(
            "error", where, f"{unit.id} uses set {chosen}, which the project does not have.", "Choose another set."
        )
    elif not any(project.set(chosen).steps):
        yield Message("warning", where, f"Set {chosen} of {unit.id} holds no reaction.", "Add a reaction in Chemistry.")


def quantities(project):
    """Every number can be read, has the right dimension and lies inside its bounds."""
    required = set()
    tied = {t.sets for t in project.ties}
    for u in project.units:
        for d in KINDS[u.kind].inputs():
            if not getattr(d, "optional", True) and not d.context:
                required.add(f"{u.id}.{d.key}")
    for a in addresses(project).values():
        try:
            value = read(a)
        except QuantityError as error:
            yield Message("error", a.address, f"{a.label}: {error}", "Type it again.")
            continue
        if value is None:
            if a.address not in tied and (a.address in required or a.address.endswith(".total")):
                yield Message("error", a.address, f"{a.label} is not given.", "Type a value with its unit.")
            continue
        if not a.low <= value <= a.high:
            side, bound = ("below", a.low) if value < a.low else ("above", a.high)
            what = "negative" if a.low == 0.0 and value < 0.0 else f"{side} {show(bound, a.dimension, project.display)}"
            yield Message(
                "error",
                a.address,
                f"{a.label} is {what}: {a.text}.",
                "Give a value that is zero or more."
                if what == "negative"
                else f"Keep it {'above' if value < a.low else 'below'} that.",
            )


def feeds(project):
    """Every feed has a state and carries something."""
    for s in project.streams:
        if not s.is_feed:
            if s.given is not None:
                yield Message(
                    "error", s.id, f"{s.id} leaves a unit but carries given values.", "Remove them or its “from”."
                )
            continue
        if s.given is None:
            yield Message("error", s.id, f"Feed {s.id} has no state.", "Give its temperature, pressure and flows.")
            continue
        if s.to is None:
            yield Message("warning", s.id, f"Feed {s.id} goes nowhere yet.", "Press + at its end to append a unit.")
        ids = {x.id for x in project.species}
        key = FEED_BASES[s.given.basis][0]
        if s.given.basis == "mole-ratios" and s.given.to_species not in ids:
            yield Message("error", f"{s.id}.to_species", f"Feed {s.id} does not say which species its ratios are to.",
                          "Choose one in the inspector.")  # fmt: skip
            continue
        values = getattr(s.given, key)
        for name in values:
            if name not in ids:
                yield Message("error", f"{s.id}.{key}.{name}", f"Feed {s.id} holds {name}, which is not a species of the project.",
                              f"Add {name} in Chemistry or remove it from the feed.")  # fmt: skip
        dimension = FEED_BASES[s.given.basis][1]
        try:
            numbers = [parse(v, dimension) for v in values.values()]
            if key in ("fraction", "mass_fraction", "ratio") and s.given.total:
                if parse(s.given.total, "molar flow" if key == "ratio" else total_dimension(s.given.total)) == 0.0:
                    yield Message(
                        "error", f"{s.id}.total", f"Feed {s.id} has a total flow of zero.", "Give a flow above zero."
                    )
        except QuantityError:
            continue
        if (
            not any(n > 0.0 for n in numbers)
            and key != "ratio"
            and not any(t.sets.startswith(f"{s.id}.") for t in project.ties)
        ):
            yield Message("error", f"{s.id}.{key}", f"Feed {s.id} carries nothing: all its {key.replace('_', ' ')}s are zero or missing.",
                          "Give at least one of them a value above zero.")  # fmt: skip
        elif dimension == "fraction" and abs(sum(numbers) - 1.0) > 1e-4:
            total = 100 * sum(numbers)
            yield Message("error", f"{s.id}.{key}", f"The fractions of feed {s.id} add up to {total:.6g} %, not 100 %.",
                          "Mend one of them, or scale them all to 100 %.", [["scale to 100 %", "scale"]])  # fmt: skip


def connections(project):
    """Every port is connected once, and what is connected exists."""
    taken = Counter()
    for s in project.streams:
        if s.source is not None:
            unit_id, port = source_of(s)
            unit = project.unit(unit_id)
            if unit is None:
                yield Message(
                    "error", s.id, f"Stream {s.id} comes from {unit_id}, which is not a unit.", "Re-route it."
                )
                continue
            ports = [p.name for p in KINDS[unit.kind].ports_out(unit)]
            if port is None and len(ports) > 1:
                yield Message("error", s.id, f"Stream {s.id} does not say which outlet of {unit_id} it leaves by.",
                              f"Write {unit_id}.{ports[0]} or {unit_id}.{ports[1]}.")  # fmt: skip
            elif port is not None and port not in ports:
                yield Message("error", s.id, f"{unit_id} has no outlet “{port}” in use.", f"Choose {', '.join(ports)}.")
            else:
                name = f"{unit_id}.{port or ports[0]}"
                taken[name] += 1
                if taken[name] == 2:
                    yield Message("error", s.id, f"Two streams leave {name}.", "Remove one or add a splitter.")
        if s.to is not None and project.unit(s.enters) is None:
            yield Message("error", s.id, f"Stream {s.id} goes to {s.to}, which is not a unit.", "Re-route it.")
    for u in project.units:
        inlets = KINDS[u.kind].inlets
        entering = [s for s in project.streams if s.enters == u.id]
        for s in entering:
            if (s.inlet or inlets[0].name) not in [p.name for p in inlets] or (s.inlet is None and len(inlets) > 1):
                yield Message("error", s.id, f"Stream {s.id} does not say which inlet of {u.id} it enters by.",
                              f"Send it to {' or '.join(f'{u.id}.{p.name}' for p in inlets)}.")  # fmt: skip
        for port in inlets:
            count = sum((s.inlet or inlets[0].name) == port.name for s in entering)
            place = f"{u.id} takes by its {port.name} side" if len(inlets) > 1 else f"{u.id} takes"
            if not count:
                what = f"{u.id} has no inlet." if len(inlets) == 1 else f"{u.id} has nothing on its {port.name} side."
                yield Message("error", u.id, what, f"Send a stream to {u.id}, or remove it.")
            elif count > 1 and not port.many:
                yield Message("error", u.id, f"{count} streams enter where {place} one.", "Put a mixer before it.")
        for p in KINDS[u.kind].ports_out(u):
            if not taken[f"{u.id}.{p.name}"]:
                yield Message("warning", u.id, f"Outlet {p.name} of {u.id} has no stream, so its material is not shown.",
                              "Add a stream from it.")  # fmt: skip


def unit_rules(project):
    """What the unit kinds themselves check."""
    for u in project.units:
        for name, what, todo in KINDS[u.kind].check(u, project):
            yield Message("error", f"{u.id}.{name}", what, todo)


def knobs_and_gauges(project):
    """Knobs turn inputs that are there, inside their bounds; gauges read results that are there."""
    inputs = addresses(project)
    outputs = readings(project)
    for k in project.knobs:
        if k.input not in inputs:
            yield Message(
                "warning",
                f"knob.{k.id}",
                f"Knob {k.id} turns {k.input}, which is not an input now.",
                "Remove the knob.",
            )
            continue
        try:
            low, high = (parse(v, inputs[k.input].dimension) for v in (k.low, k.high))
        except QuantityError as error:
            yield Message("error", f"knob.{k.id}", f"Range of knob {k.id}: {error}", "Type it again.")
            continue
        if not low < high:
            yield Message(
                "error", f"knob.{k.id}", f"Knob {k.id} has its low end at or above its high end.", "Exchange them."
            )
    for g in project.gauges:
        if g.formula and g.reads not in outputs:
            try:
                own_reading(project, g)
            except QuantityError as error:
                yield Message("error", f"gauge.{g.id}", str(error), "Mend the formula, or remove the gauge.")
            continue
        if g.reads not in outputs:
            yield Message(
                "warning",
                f"gauge.{g.id}",
                f"Gauge {g.id} reads {g.reads}, which is not a result now.",
                "Remove the gauge.",
            )
            continue
        for limit in (g.at_least, g.at_most):
            if limit is not None:
                try:
                    parse(limit, outputs[g.reads].dimension)
                except QuantityError as error:
                    yield Message("error", f"gauge.{g.id}", f"Limit of gauge {g.id}: {error}", "Type it again.")


def closing(project):
    """Limits of the loops' search."""
    try:
        if not 1e-13 <= number(project.closing.tolerance, "The tolerance") <= 1e-2:
            yield Message("error", "closing.tolerance", f"The tolerance {project.closing.tolerance} is not between 1e-13 and 0.01.",
                          "Type for example 1e-9 in Loops.")  # fmt: skip
    except QuantityError as error:
        yield Message(
            "error", "closing.tolerance", f"The tolerance of the loops: {error}", "Type for example 1e-9 in Loops."
        )


def couplings(project):
    """Ties and targets: each can be read, sets an input of its own, and reaches what it is about."""
    setters = {}
    ties = []
    known = names(project) if project.ties else None
    for entry in project.ties:
        where = f"tie.{entry.sets}"
        try:
            tie = read_tie(entry, project, known)
        except QuantityError as error:
            yield Message("error", where, str(error), "Mend the tie in Loops, or remove it.")
            continue
        if entry.sets in setters:
            yield Message("error", where, f"Two ties set {tie.label}.", "Remove one of them.")
            continue
        if entry.sets in tie.reads:
            yield Message(
                "error",
                where,
                f"The tie on {tie.label} reads the very input that it sets.",
                "Take it out of the formula.",
            )
            continue
        setters[entry.sets] = tie
        ties.append(tie)
    for circle in circles(ties):
        around = " → ".join([*circle, circle[0]])
        yield Message("error", f"tie.{circle[0]}", f"These ties set each other in a circle: {around}.",
                      "Give one of these inputs a value of its own.")  # fmt: skip
    turned, read_by = {}, {}
    for entry in project.targets:
        where = f"target.{entry.id}"
        if not entry.on:
            continue
        try:
            target = read_target(entry, project)
        except QuantityError as error:
            yield Message("error", where, str(error), "Mend the target in Loops, switch it off, or remove it.")
            continue
        if target.address in setters:
            yield Message("error", where, f"The target on {target.gauge_label} and a tie both set {target.knob_label} ({target.address}).",
                          "Remove the tie, or give the target another knob.")  # fmt: skip
        elif target.address in turned:
            yield Message("error", where, f"The targets on {turned[target.address]} and {target.gauge_label} turn the same input, "
                          f"{target.address}.", "Give one of them another knob, or switch it off.")  # fmt: skip
        elif target.reads in read_by:
            yield Message(
                "error", where, f"Two targets ask {target.gauge_label} to read a value.", "Switch one of them off."
            )
        elif not any(reaches(project, target.address, a, ties) for a in target.parts):
            yield Message("error", where, f"Turning {target.knob_label} cannot change {target.gauge_label}: nothing leads from "
                          f"{target.address} to {target.reads}.", "Choose a knob upstream of the gauge, or inside its loop.")  # fmt: skip
        turned[target.address], read_by[target.reads] = target.gauge_label, target


def tears(project):
    """Guesses and choices about torn streams."""
    species = {s.id for s in project.species}
    for tear in project.tears:
        where = f"open.{tear.stream}"
        stream = project.stream(tear.stream)
        if stream is None or stream.source is None or stream.to is None:
            yield Message("warning", where, f"{tear.stream} is to be cut or guessed, but it is no stream between units now.",
                          "Remove this in Loops.")  # fmt: skip
            continue
        try:
            flows = [parse(v, "molar flow") for s, v in tear.flow.items() if s in species and v]
            for text, dimension in ((tear.temperature, "temperature"), (tear.pressure, "pressure")):
                if text and parse(text, dimension) <= 0.0:
                    raise QuantityError(f"the {dimension} {text} is not above zero.")
        except QuantityError as error:
            yield Message("error", where, f"The guess of {tear.stream}: {error}", "Type it again in Loops.")
            continue
        if any(f < 0.0 for f in flows):
            yield Message(
                "error",
                where,
                f"The guess of {tear.stream} holds a negative flow.",
                "Type a flow of zero or more in Loops.",
            )
        elif tear.open and not any(f > 0.0 for f in flows):
            yield Message("error", where, f"The loop is to be open at {tear.stream}, but its guess carries nothing.",
                          "Type a guess in Loops, or close the loop.")  # fmt: skip


def assumptions(project):
    """Values that nobody typed and figures rest on, counted by unit and feed."""
    running = {
        i for u in project.units if getattr(KINDS[u.kind], "needs_rates", False) for i in reactions_of(project, u)
    }
    for x in (
        *(s for s in project.streams if s.is_feed),
        *project.units,
        *(r for r in project.reactions if r.id in running),
    ):
        labels = list(dict.fromkeys(a.label for a in assumed(project, x.id)))
        if labels:
            yield Message("assumed", x.id, f"{x.id}: {len(labels)} assumed: {', '.join(labels)}.", "Type them, or take them as they are.",
                          [["take them all", "take"]])  # fmt: skip


def beginnings(project):
    """What an empty project needs next."""
    if not project.species:
        yield Message("warning", "chemistry", "No species yet.", "Add the species of the process in Chemistry.")
    elif not any(s.is_feed for s in project.streams):
        yield Message("warning", "process", "No feed yet.", "Add a feed in Process.")


def fed(project, id_):
    """Ids of the species that a feed holds; None where it is no feed."""
    stream = project.stream(id_)
    if stream is None or stream.given is None:
        return None
    held = {
        s for s, text in getattr(stream.given, FEED_BASES[stream.given.basis][0]).items() if not text.startswith("0 ")
    }
    return held | {stream.given.to_species} if stream.given.basis == "mole-ratios" else held


def temperature_range(project):
    """Temperatures inside the heat-capacity data of every species."""
    fits = []
    for s in project.species:
        try:
            fits.append((lookup(*s.key).heat_capacity, s))
        except SpeciesError:
            return
    for a in addresses(project).values():
        if a.dimension != "temperature" or not a.material:
            continue
        try:
            T = read(a)
        except QuantityError:
            continue
        if T is None:
            continue
        here = fed(project, a.address.partition(".")[0])
        out = [s.shown for f, s in fits if not f.low - 1.0 <= T <= f.high + 1.0 and (here is None or s.id in here)]
        if out:
            low, high = max(f.low for f, _ in fits), min(f.high for f, _ in fits)
            yield Message("warning", a.address, f"{a.label} ({a.text}) lies outside the heat-capacity data of "
                          f"{', '.join(out[:3])}.",
                          f"Results there are extrapolated; data hold from {show(low, 'temperature', project.display)} "
                          f"to {show(high, 'temperature', project.display)}.", code=Code.BEYOND_DATA)  # fmt: skip


CHECKS = (
    beginnings,
    unique_ids,
    known_species,
    phase_model_fits,
    equations,
    formation_data,
    equilibrium_constants,
    polynomials,
    rate_laws,
    kinetic_reactors,
    measures,
    quantities,
    conversions,
    conversion_sums,
    reaction_sets,
    feeds,
    connections,
    unit_rules,
    temperature_range,
    knobs_and_gauges,
    closing,
    couplings,
    tears,
    doubts,
    assumptions,
)
