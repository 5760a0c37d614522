"""What is typed of species, phase model, reactions, constants, rate laws and sets."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from gulch.engine.chemistry import EquationError, resolve_equation
from gulch.engine.declared.declarations import ReactionSet
from gulch.engine.document import value_of
from gulch.engine.explain.checks.numbers import read
from gulch.engine.phases.weak import MADE_OF, MOLECULES, is_of_ions
from gulch.engine.project.inputs import addresses, reactions_of
from gulch.engine.project.measures import key_per_product
from gulch.engine.project.messages import Message
from gulch.engine.project.once import once
from gulch.engine.project.places import About, Place, at_reaction, at_set, at_species
from gulch.engine.project.reading import constant_of, pair_numbers, polynomial_of, rate_of
from gulch.engine.quantities import QuantityError, parse, show
from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.kept import expect
from gulch.engine.units import KINDS

WATER = "7732-18-5"

if TYPE_CHECKING:
    from gulch.engine.document import Project
    from gulch.engine.species.records import Species


def known_species(project: Project) -> Iterator:
    """Every species has the data that the phase model and the reactions need."""
    expect(s.cas or "" for s in project.species)
    for s in project.species:
        try:
            lookup(*s.key)
        except SpeciesError as error:
            yield Message("error", at_species(s.id), str(error), f"Remove {s.id} or choose another species.")
    ids = {s.id for s in project.species}
    for k in project.phase_model.interaction:
        for name in k.pair:
            if name not in ids:
                yield Message(
                    "error",
                    Place(About.PHASE_MODEL),
                    f"An interaction parameter names {name}, which is not in the project.",
                    f"Add {name} or remove the parameter.",
                )


def _found(project: Project) -> Iterator:
    """(entry, Species) of the species whose data can be read; of the others `known_species` tells."""
    for s in project.species:
        try:
            yield s, lookup(*s.key)
        except SpeciesError:
            continue


def _as_ions(project: Project, species: Species) -> bool:
    """Whether the phase model takes a species for ions in water."""
    return project.phase_model.kind == "electrolytes" and is_of_ions(species)


def ions_have_partners(project: Project) -> Iterator:
    """Weak electrolytes need water, and what a salt may give off must be a species, so that it can leave."""
    if project.phase_model.kind != "electrolytes" or not project.species:
        return
    there = {s.cas for s in project.species}
    if WATER not in there:
        what = "The phase model knows weak electrolytes in water, and water is not among the species"
        yield Message("warning", Place(About.PHASE_MODEL), f"{what}.", "Add water, or take another phase model.")
    for s, found in _found(project):
        gives = [cas for cas, name in MOLECULES.items() if name in MADE_OF.get(found.cas or "", {}) and cas not in there]
        if gives:
            names = " and ".join(lookup(cas).name for cas in gives)
            yield Message(
                "warning",
                at_species(s.id),
                f"{s.shown} may give off {names}, which is not among the species: none of it can leave the water.",
                f"Add {names}.",
            )


def particles_are_typed(project: Project) -> Iterator:
    """Into how many particles a dissolved species parts is its own matter: 1 is taken until somebody says it."""
    waters = {s.id for s in project.species if s.cas == WATER}
    for s, found in _found(project):
        if found.dissolves and found.particles is None and waters and not _as_ions(project, found):
            yield Message(
                "warning",
                at_species(s.id, "particles"),
                f"{s.shown} is dissolved in water as one particle, for nobody said into how many it parts.",
                "Type its particles in solution (2 for a salt of two ions), or say that it does not dissolve.",
            )


def salts_that_boil(project: Project) -> Iterator:
    """A salt or hydroxide of which the databank knows a boiling point is asked about once: mostly it is to stay in the liquid."""
    for s, found in _found(project):
        if found.hardly_boils and not s.boils and not _as_ions(project, found):
            boils = show(found.boiling_point.value, "temperature", project.display)
            yield Message(
                "question",
                at_species(s.id, "non_volatile"),
                f"{s.shown} counts as volatile, for the databank has it boil at {boils}. Does it stay in the liquid?",
                "Until you say so, flashes and columns let it boil.",
                [["it stays in the liquid", "stays"], ["it boils", "boils"]],
            )


def pairs_can_be_read(project: Project) -> Iterator:
    """Typed parameters of pairs are numbers that an activity model can use."""
    for entry in project.phase_model.pairs:
        try:
            pair_numbers(entry.pair, entry.a, entry.b)
        except QuantityError as error:
            yield Message("error", Place(About.PHASE_MODEL), str(error), "Write b as in 350 K, or 700 cal/mol.")


def phase_model_fits(project: Project) -> Iterator:
    """The chosen phase model can use every species."""
    if project.phase_model.kind == "ideal":
        return
    for s, found in _found(project):
        if not found.has_critical and not found.non_volatile and not _as_ions(project, found):
            yield Message(
                "error",
                at_species(s.id),
                f"{s.shown} has no critical constants, which the phase model needs.",
                "Type them, or choose the ideal model.",
            )


def equations(project: Project) -> Iterator:
    """Every equation can be read and is balanced."""
    if not project.reactions:
        return
    entries = project.entries()
    for r in project.reactions:
        try:
            resolved = resolve_equation(r.equation, entries)
        except EquationError as error:
            yield Message("error", at_reaction(r.id, "equation"), f"Reaction {r.id}: {error}", "Mend the equation in Chemistry.")
            continue
        except SpeciesError:
            continue  # said by known_species
        if r.conversion is None:
            continue
        reactants = [entries[i][0] for i in resolved.reactants]
        if r.conversion.key not in reactants:
            yield Message(
                "error",
                at_reaction(r.id, "key"),
                f"Reaction {r.id}: the key species {r.conversion.key or '–'} is not one of its reactants.",
                f"Choose {' or '.join(reactants)}.",
            )


def formation_data(project: Project) -> Iterator:
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
                    at_species(s.id),
                    f"The sources of the formation enthalpy of {s.shown} lie {datum.spread / 1e3:.3g} kJ/mol apart; "
                    f"{datum.source} is taken, and {r.id} rests on it.",
                    "Choose a source, or type a value of your own.",
                )
        if lacking:
            yield Message(
                "error",
                at_species(lacking[0].id),
                f"{lacking[0].shown} has no formation enthalpy, so {r.id} has no heat of reaction.",
                f"Type the formation enthalpy of {lacking[0].shown}, or take {r.id} out of the set.",
            )


def equilibrium_constants(project: Project) -> Iterator:
    """What is typed for equilibrium constants can be read."""
    for id_, why in unreadable_constants(project).items():
        yield Message("error", at_reaction(id_, "equilibrium"), f"Equilibrium constant of {id_}: {why}", "Mend it in Chemistry.")


@once
def unreadable_constants(project: Project) -> dict[str, str]:
    """{id of a reaction: why its equilibrium constant cannot be read}."""
    out = {}
    for r in project.reactions:
        if r.equilibrium is not None:
            try:
                constant_of(r)
            except QuantityError as error:
                out[r.id] = str(error)
    return out


def polynomials(project: Project) -> Iterator:
    """Conversions over temperature can be read and stay between 0 and 1."""
    for r in project.reactions:
        if r.conversion is not None and r.conversion.polynomial:
            try:
                polynomial_of(r.conversion.polynomial)
            except QuantityError as error:
                yield Message(
                    "error",
                    at_reaction(r.id, "polynomial"),
                    f"Conversion of {r.id}: {error}",
                    "Write its coefficients apart by commas, for example “0.1, 2e-4”.",
                )


def rate_laws(project: Project) -> Iterator:
    """Rate laws can be read, their units fit their orders, and nothing in them looks like a slip."""
    entries = project.entries()
    for r in project.reactions:
        if r.rate is None:
            continue
        try:
            resolved = resolve_equation(r.equation, entries)
        except (EquationError, SpeciesError):
            continue
        try:
            law = rate_of(r, project, resolved.nu(len(entries)))
        except QuantityError as error:
            yield Message("error", at_reaction(r.id, "rate"), f"Rate law of {r.id}: {error}", "Mend it in Chemistry.")
            continue
        if law.constant is None:
            continue
        if law.reverse == "equilibrium" and (r.equilibrium is None or r.equilibrium.source == "gibbs"):
            try:
                lacking = [s.shown for i in resolved.coefficients if lookup(*(s := project.species[i]).key).entropy is None]
            except SpeciesError:
                lacking = []
            if lacking:
                yield Message(
                    "error",
                    at_reaction(r.id, "rate"),
                    f"The reverse of {r.id} is to come from equilibrium, but {lacking[0]} has no "
                    "entropy, so there is no equilibrium constant.",
                    f"Give {r.id} a constant, or a reverse of its own.",
                )
        if r.rate.orders:
            vanish = [s for i in resolved.reactants if (s := entries[i][0]) not in r.rate.orders]
            if vanish:
                yield Message(
                    "warning",
                    at_reaction(r.id, "rate"),
                    f"{r.id} uses up {', '.join(vanish)} but has no order in it.",
                    "The reaction then stops when it is exhausted; give an order if the rate depends on it.",
                )
        T = hottest_in_use(project)
        steep = law.constant.at(T + 100.0) / max(law.constant.at(T), 1e-300)
        if not 1e-6 < steep < 1e6 and not r.rate.forward.meant:
            energy = r.rate.forward.energy
            less = f"{parse(energy, 'molar energy') / 1e6:.6g} kJ/mol"
            yield Message(
                "question",
                at_reaction(r.id, "energy"),
                f"k of {r.id} changes by a factor of {steep:.0e} over 100 K. Was {less} meant instead of {energy}?",
                "Answer at the reaction.",
                [[less, less], [f"keep {energy}", "keep"]],
            )


def hottest_in_use(project: Project) -> float:
    """Highest temperature [K] typed for material; that at which reactions are shown where there is none."""
    found = []
    for a in addresses(project).values():
        if a.dimension == "temperature" and a.material and not a.assumed:
            try:
                found.append(read(a))
            except QuantityError:
                continue  # said by quantities
    known = [T for T in found if T is not None]
    if known:
        return max(known)
    try:
        return parse(project.reactions_at, "temperature")
    except QuantityError:
        return 298.15


def measures(project: Project) -> Iterator:
    """The key reactant and the wanted product are in the project and reactions lead from one to the other."""
    m = project.measures
    if m is None:
        return
    ids = {s.id for s in project.species}
    for species in (m.key, m.product):
        if species not in ids:
            yield Message(
                "error",
                Place(About.MEASURES),
                f"Selectivity is counted on {species or '–'}, which is not in the project.",
                "Choose the key reactant and the wanted product again in Chemistry.",
            )
            return
    if m.key == m.product:
        yield Message(
            "error",
            Place(About.MEASURES),
            "Key reactant and wanted product are the same species.",
            "Choose another product.",
        )
        return
    try:
        key_per_product(project)
    except QuantityError as error:
        yield Message("error", Place(About.MEASURES), str(error), "Type it again in Chemistry.")


def conversions(project: Project) -> Iterator:
    """Every conversion has a reactant as key and a value that is meant."""
    for r in project.reactions:
        if r.conversion is None or r.conversion.polynomial:
            continue
        where = at_reaction(r.id, "conversion")
        if str(where) in project.doubtful:
            continue  # asked by doubts
        try:
            value = parse(r.conversion.value, "fraction")
        except QuantityError:
            continue  # said by quantities
        if 0.0 < value < 0.01 and not r.conversion.meant:
            meant = f"{100 * 100 * value:.4g} %"
            typed = f"{100 * value:.4g} %"
            yield Message(
                "question",
                where,
                f"The conversion of {r.conversion.key} by {r.id} is {typed}. Was {meant} meant?",
                "Answer in the reaction's card.",
                [[meant, meant], [f"keep {typed}", "keep"]],
            )


def conversion_sums(project: Project) -> Iterator:
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
                    yield Message(
                        "error" if s.id in used else "warning",
                        at_set(s.id, "steps"),
                        f"In step {place} of set {s.id} the conversions of {key} by {names} add up to {100 * total:.4g} %.",
                        "Lower them to 100 % together, or put the reactions in different steps.",
                    )
