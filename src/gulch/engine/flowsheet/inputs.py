"""Addresses of inputs, and reading the document's text into SI numbers.

One scheme serves knobs, scans, forms, checks and files: `R1.temperature`, `feed.flow.ethylene`,
`hydration.conversion`, `SEP.share.water`.
"""

from dataclasses import dataclass

import numpy as np

from gulch.engine import formulas
from gulch.engine.chemistry.constants import BASIS_UNITS, Constant
from gulch.engine.chemistry.rates import RATE_BASES, RateConstant, RateLaw, read_rate_constant
from gulch.engine.document import (
    FEED_DEFAULTS,
    assumed_choices,
    choices_of,
    default_text,
    set_value,
    value_of,
)
from gulch.engine.flowsheet.once import once
from gulch.engine.phases import phase_model
from gulch.engine.phases.kernels import R
from gulch.engine.quantities import QuantityError, conversion, parse, parse_points, split_text, unit_factor
from gulch.engine.species import SpeciesError
from gulch.engine.units import KINDS
from gulch.engine.units.base import PerReaction, Scope


@dataclass(frozen=True)
class Address:
    """An input that can be read and written: its dimension, words for it, and bounds in SI.

    text: as typed, or what is assumed in its place; None where there is neither. assumed: nobody typed it; context:
    where the value comes from, in words, when it is taken from what enters.
    """

    address: str
    dimension: str
    label: str
    low: float = -np.inf
    high: float = np.inf
    text: str | None = None
    knob: bool = True  # may be turned
    material: bool = True  # a temperature that material has
    assumed: bool = False
    context: str = ""
    counted: bool = True  # among the assumed ones, if it is one


FEED_BASES = {
    "molar": ("flow", "molar flow", "Flow of"),
    "mass": ("mass_flow", "mass flow", "Mass flow of"),
    "mole-fractions": ("fraction", "fraction", "Mole fraction of"),
    "mass-fractions": ("mass_fraction", "fraction", "Mass fraction of"),
    "mole-ratios": ("ratio", "ratio", "Mole ratio of"),
}


def total_dimension(text):
    """Dimension of a feed's typed total: molar or mass flow. Raises QuantityError."""
    try:
        parse(text, "molar flow")
        return "molar flow"
    except QuantityError as error:
        try:
            parse(text, "mass flow")
            return "mass flow"
        except QuantityError:
            raise error from None


def feed_addresses(project, stream):
    """Addresses of one feed."""
    given = stream.given
    for name, low, high in (("temperature", 100.0, 3000.0), ("pressure", 1.0, 1e9)):
        typed = getattr(given, name)
        text = typed or default_text(FEED_DEFAULTS[name], name, project.display)
        yield Address(f"{stream.id}.{name}", name, f"{name.title()} of {stream.id}", low, high, text, assumed=not typed)
    key, dimension, words = FEED_BASES[given.basis]
    if given.basis.endswith("fractions"):
        try:
            kind = total_dimension(given.total or "")
        except QuantityError:
            kind = "molar flow" if given.basis == "mole-fractions" else "mass flow"
        yield Address(f"{stream.id}.total", kind, f"Total flow of {stream.id}", 0.0, np.inf, given.total)
    elif given.basis == "mole-ratios":
        yield Address(
            f"{stream.id}.total",
            "molar flow",
            f"Flow of {given.to_species or '–'} in {stream.id}",
            0.0,
            np.inf,
            given.total,
        )
    values = getattr(given, key)
    for s in project.species:
        if given.basis == "mole-ratios" and s.id == given.to_species:
            continue
        yield Address(f"{stream.id}.{key}.{s.id}", dimension, f"{words} {s.shown} in {stream.id}", 0.0,
                      1.0 if dimension == "fraction" else np.inf, values.get(s.id), not given.basis.endswith("fractions"))  # fmt: skip


def reactions_of(project, unit):
    """Ids of the reactions of a unit's set, in order."""
    chosen = project.set(getattr(unit, "set", None) or "")
    known = {r.id for r in project.reactions}
    return [i for step in chosen.steps for i in step if i in known] if chosen else []


def scope_of(project, unit):
    """The Scope of a unit's declarations."""
    reactions = tuple(reactions_of(project, unit))
    ways = {d.name: d.chosen(value_of(unit, d), reactions) for d in KINDS[unit.kind].declared(PerReaction) if d.options}
    return Scope(tuple((s.id, s.shown) for s in project.species), reactions, choices_of(unit), ways)


def unit_addresses(project, unit):
    """Addresses of one unit's numbers that are in use."""
    scope = scope_of(project, unit)
    for d in KINDS[unit.kind].inputs():
        if not d.in_use(scope.choices):
            continue
        for n in d.numbers(value_of(unit, d), scope):
            text = n.text
            if n.lacking and not n.item and d.default:
                text = default_text(text, d.dimension, project.display)
            yield Address(
                f"{unit.id}.{d.key}.{n.item}" if n.item else f"{unit.id}.{d.key}", d.dimension,
                f"{n.label} {'in' if n.item else 'of'} {unit.id}", d.low, d.high, text, True, getattr(d, "material", True),
                n.lacking, d.context, getattr(d, "counted", True),
            )  # fmt: skip


@dataclass(frozen=True)
class Assumed:
    """Something that nobody typed and figures rest on. address: of the input or choice; text: None where context decides."""

    address: str
    label: str
    text: str | None


def assumed(project, id_):
    """What a unit or feed rests on that nobody typed: a list of Assumed, in the order of its form."""
    unit, stream, reaction = project.unit(id_), project.stream(id_), project.reaction(id_)
    if reaction is not None:
        rate = reaction.rate
        if rate is None or rate.law != "power" or not rate.forward.k or rate.forward.energy:
            return []
        return [
            Assumed(
                f"{id_}.energy", "activation energy, as zero", default_text("0 kJ/mol", "molar energy", project.display)
            )
        ]
    if unit is None:
        if stream is None or stream.given is None:
            return []
        return [
            Assumed(a.address, a.address.partition(".")[2], a.text)
            for a in feed_addresses(project, stream)
            if a.assumed
        ]
    labels = {d.key: d.label for d in KINDS[unit.kind].inputs()}
    found = [Assumed(f"{id_}.{d.name}", d.label.lower(), choices_of(unit)[d.name]) for d in assumed_choices(unit)]
    found += [
        Assumed(a.address, labels[a.address.split(".")[1]].lower(), a.text)
        for a in unit_addresses(project, unit) if a.assumed and a.counted
    ]  # fmt: skip
    place = list(labels)
    return sorted(found, key=lambda a: place.index(a.address.split(".")[1]))


@once
def addresses(project):
    """{address: Address} of every input of the project."""
    found = {}
    for stream in project.streams:
        if stream.is_feed and stream.given:
            found.update((a.address, a) for a in feed_addresses(project, stream))
    for unit in project.units:
        found.update((a.address, a) for a in unit_addresses(project, unit))
    for r in project.reactions:
        if r.equilibrium and r.equilibrium.source == "constant":
            a = Address(
                f"{r.id}.constant", "ratio", f"Equilibrium constant of {r.id}", 1e-300, 1e300, r.equilibrium.value
            )
            found[a.address] = a
        if r.rate and r.rate.law == "power":
            energy = r.rate.forward.energy
            a = Address(f"{r.id}.energy", "molar energy", f"Activation energy of {r.id}", -1e9, 1e9,
                        energy or default_text("0 kJ/mol", "molar energy", project.display), assumed=not energy)  # fmt: skip
            found[a.address] = a
        if r.conversion and not r.conversion.polynomial:
            a = Address(f"{r.id}.conversion", "fraction", f"Conversion of {r.conversion.key} by {r.id}", 0.0, 1.0,
                        r.conversion.value)  # fmt: skip
            found[a.address] = a
    return found


def write(project, address, text):
    """Write document text at an input address; the project is changed in place.

    Raises KeyError when there is no such input.
    """
    head, _, rest = address.partition(".")
    name, _, species = rest.partition(".")
    stream, unit, reaction = project.stream(head), project.unit(head), project.reaction(head)
    if stream is not None and stream.given is not None:
        if species:
            values = dict(getattr(stream.given, name))
            if text in (None, ""):
                values.pop(species, None)
            else:
                values[species] = text
            setattr(stream.given, name, values)
        else:
            if not hasattr(stream.given, name):
                raise KeyError(address)
            setattr(stream.given, name, text or None)
        return
    if unit is not None:
        for d in KINDS[unit.kind].inputs():
            if name == d.key:
                set_value(unit, d, d.changed(value_of(unit, d), species, text))
                return
    if reaction is not None and name == "conversion" and reaction.conversion is not None:
        reaction.conversion.value = text
        reaction.conversion.meant = False
        return
    if reaction is not None and name == "constant" and reaction.equilibrium is not None:
        reaction.equilibrium.value = text
        return
    if reaction is not None and name == "energy" and reaction.rate is not None:
        reaction.rate.forward.energy, reaction.rate.forward.meant = text, False
        return
    raise KeyError(address)


def constant_of(entry, value=None):
    """The Constant of a reaction entry; value replaces a constant's own. Raises QuantityError with a sentence."""
    e = entry.equilibrium
    if e is None:
        return Constant()
    low, high = (parse(t, "temperature") if t else None for t in (e.low, e.high))
    if low is not None and high is not None and not low < high:
        raise QuantityError("The lowest temperature believed is not below the highest.")
    if e.source == "gibbs":
        return Constant(low=low, high=high)
    if e.basis == "partial-pressure" and e.phase == "liquid":
        raise QuantityError("Partial pressures belong to a vapour: choose the vapour, or another basis.")
    scale = 1.0
    if e.basis in BASIS_UNITS:
        dimension, usual = BASIS_UNITS[e.basis]
        scale = conversion(e.unit or usual, dimension)[0]
    coefficients, points = (0.0, 0.0, 0.0, 0.0), ((), ())
    if e.source == "formula":
        coefficients = tuple(number(getattr(e, k) or "0", k.upper()) for k in "abcd")
        if not any(coefficients):
            raise QuantityError("the formula is empty. Type A and B of ln K = A + B/T, from the constant's source.")
    elif e.source == "table":
        T, k = parse_points(e.table, "temperature", "ratio")
        if T[0] is None:
            raise QuantityError("The table needs temperatures: write for example “300 degC 0.0051; 350 degC 0.0022”.")
        if min(k) <= 0.0:
            raise QuantityError("A K of the table is not above zero.")
        points = (tuple(T), tuple(np.log(k).tolist()))
    else:
        if value is None and not e.value.strip():
            raise QuantityError("no value is typed yet. Type K, a number without unit.")
        k = number(e.value, "K") if value is None else value
        if k <= 0.0:
            raise QuantityError(f"K is not above zero: {e.value}.")
        coefficients = (float(np.log(k)), 0.0, 0.0, 0.0)
    return Constant(e.source, e.phase, e.basis, scale, coefficients, points, low, high)


def rate_of(entry, project, nu, values=None):
    """The RateLaw of a reaction entry, or None. nu: signed coefficients, shape (n,). Raises QuantityError with a sentence.

    values: numbers of a run that replace typed ones, {address tail: SI value}.
    """
    e = entry.rate
    if e is None:
        return None
    species = [s.id for s in project.species]
    if e.law == "formula":
        return RateLaw(per=e.per, program=rate_formula(e, species).instructions)
    forward = orders_of(e.orders, species, np.maximum(-nu, 0.0), entry.id)
    constant = rate_constant_of(e.forward, e.basis, e.per, float(forward.sum()), (values or {}).get("energy"))
    back = backward = None
    if e.reverse == "own":
        if e.backward is None:
            raise QuantityError(
                "The reverse reaction has no rate constant: type it, or take the reverse from equilibrium."
            )
        backward = orders_of(e.reverse_orders, species, np.maximum(nu, 0.0), entry.id)
        back = rate_constant_of(e.backward, e.basis, e.per, float(backward.sum()))
    adsorption = []
    quantity = RATE_BASES[e.basis][2]
    for a in e.adsorption:
        if a.species not in species:
            raise QuantityError(f"The rate law names {a.species or '–'}, which is not a species of the project.")
        power = number(a.power, "the power")
        adsorption.append(
            (species.index(a.species), strength_of(a.constant, f"1/({quantity})**{power!r}" if quantity else ""), power)
        )
    return RateLaw(
        e.basis,
        e.per,
        constant,
        forward,
        e.reverse,
        back,
        backward,
        tuple(adsorption),
        number(e.exponent, "the exponent m"),
    )


def rate_formula(entry, species):
    """The Formula of a typed rate. Raises QuantityError."""
    known = {"T": ("T", 0.0, "K"), "P": ("P", 0.0, "Pa"), "R": ("push", R, "J/mol/K")}
    for i, s in enumerate(species):
        name = s.replace("-", "_")
        known |= {
            f"c.{name}": ("c", float(i), "mol/m**3"),
            f"p.{name}": ("p", float(i), "Pa"),
            f"x.{name}": ("x", float(i), ""),
        }
    if not entry.formula.strip():
        raise QuantityError("No formula is given: type for example “2e3[1/s]*exp(-60[kJ/mol]/(R*T))*c.ethanol”.")
    try:
        return formulas.read(entry.formula, known, "mol/kg/s" if entry.per == "catalyst" else "mol/m**3/s")
    except formulas.FormulaError as error:
        raise QuantityError(str(error)) from None


def orders_of(typed, species, usual, id_):
    """Orders by species, shape (n,): those typed, or `usual` when none is."""
    if not typed:
        return usual
    out = np.zeros(len(species))
    for name, text in typed.items():
        if name not in species:
            raise QuantityError(f"The rate law of {id_} names {name}, which is not a species of the project.")
        out[species.index(name)] = number(text, f"the order in {name}")
    return out


def rate_constant_of(entry, basis, per, order, energy=None):
    """RateConstant of a typed k. Raises QuantityError."""
    return _rate_constant(entry, read_rate_constant(entry.k, basis, per, order), energy)


def strength_of(entry, si):
    """RateConstant of an adsorption constant: K = K0 exp(-H/(R T)), H negative where heat is released."""
    if not entry.k.strip():
        raise QuantityError(
            f"An adsorption constant is empty: type it in {si.replace('**', '^') or 'no unit'}, or a unit like it."
        )
    value, unit = split_text(entry.k)
    factor = unit_factor(unit, si)
    if factor is None or value <= 0.0:
        raise QuantityError(
            f"The adsorption constant “{entry.k}” needs a value above zero in {si.replace('**', '^') or 'no unit'}, or a unit like it."
        )
    return _rate_constant(entry, value * factor, None)


def _rate_constant(entry, k, energy):
    if energy is None:
        energy = parse(entry.energy, "molar energy") if entry.energy else 0.0
    power = number(entry.power, "the power of T")
    ln_k = float(np.log(k))
    if entry.at:
        T = parse(entry.at, "temperature")
        ln_k += energy / (R * T) - power * float(np.log(T))
    return RateConstant(ln_k, power, energy)


def number(text, what):
    """A bare number. Raises QuantityError naming what it is."""
    value, unit = split_text(text)
    if unit:
        raise QuantityError(f"{what} = “{text}”: write a number without unit (T is in K).")
    return value


def polynomial_of(text):
    """Coefficients c0, c1, … of a conversion X = c0 + c1 T + …, T in K. Raises QuantityError."""
    return tuple(number(t, f"c{i}") for i, t in enumerate(text.replace(";", ",").split(",")))


def model_of(project):
    """The project's PhaseModel. Raises SpeciesError."""
    if not project.species:
        raise SpeciesError("The project has no species yet.")
    position = {s.id: i for i, s in enumerate(project.species)}
    kij = tuple(
        (position[k.pair[0]], position[k.pair[1]], k.value)
        for k in project.phase_model.interaction
        if k.pair[0] in position and k.pair[1] in position
    )
    return phase_model(project.phase_model.kind, tuple(s.key for s in project.species), kij)


def feed_amounts(given, basis, values, species, molar_mass):
    """Molar flows [mol/s] of a feed, shape (n,), from its basis and SI values by address tail."""
    key = FEED_BASES[basis][0]
    numbers = np.array([values.get(f"{key}.{s}", 0.0) for s in species])
    if basis == "molar":
        return numbers
    if basis == "mass":
        return numbers / molar_mass
    if basis == "mole-ratios":
        return values["total"] * np.where(np.array(species) == given["to_species"], 1.0, numbers)
    total, dimension = values["total"], given["total_dimension"]
    numbers = numbers / numbers.sum()
    mole = numbers if basis == "mole-fractions" else (numbers / molar_mass) / (numbers / molar_mass).sum()
    return mole * (total if dimension == "molar flow" else total / float(mole @ molar_mass))
