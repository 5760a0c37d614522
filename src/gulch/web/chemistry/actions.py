"""Edits of the chemistry: species, phase model, reactions and reaction sets."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.chemistry import Ambiguous, EquationError, resolve_equation
from gulch.engine.document import SetEntry
from gulch.engine.pasted import paste_rates
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.project.typed import typed
from gulch.engine.quantities import complete
from gulch.engine.species.own import OWN
from gulch.web.projects.forms import Key, Text, Ticked, Whole, left_out
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


@action("species-add", cas=Key(), name=Text())
def add_species(document: Project, form: Values) -> Done:
    id_ = edit.add_species(document, form.cas, form.name or None)
    return Done(f"Add species {id_}", f"species:{id_}")


@action("species-air")
def add_air(document: Project, form: Values) -> Done:
    ids = edit.add_air(document)
    return Done(f"Add {', '.join(ids) or 'nothing'} for air")


@action("species-own", name=Text(), formula=Text(), cas=Text(), non_volatile=Ticked())
def add_own_species(document: Project, form: Values) -> Done:
    id_ = edit.add_own_species(
        document,
        form.name,
        form.formula,
        form.cas or None,
        form.non_volatile,
    )
    return Done(f"Add species {id_} with data of its own", f"species:{id_}")


@action("species-fraction", name=Text(), boiling_point=Text(), density=Text())
def add_fraction(document: Project, form: Values) -> Done:
    """Add a petroleum fraction; bare numbers take the display units."""
    boiling = complete(form.boiling_point, "temperature", document.display)
    density = complete(form.density, "density", document.display)
    id_ = edit.add_fraction(document, form.name, boiling, density)
    return Done(f"Add fraction {id_}", f"species:{id_}")


@action("reaction-heat", id=Key(), value=Text())
def reaction_heat(document: Project, form: Values) -> Done:
    """The heat of a reaction of lumps; a bare number takes the display unit."""
    text = complete(form.value, "molar energy", document.display)
    species = edit.set_reaction_heat(document, form.id, text)
    return Done(f"Set the heat of {form.id} to {text} by the formation enthalpy of {species}", form.id)


@action("species-datum", id=Key(), field=Key(), value=Text())
def species_datum(document: Project, form: Values) -> Done:
    """Type one datum of a species; a bare number takes the display unit."""
    field, text = form.field, form.value
    if field in OWN and text:
        text = complete(text, OWN[field][1], document.display)
    edit.set_species_datum(document, form.id, field, text)
    words = field.replace("_", " ")
    return Done(
        f"Set {words} of {form.id}" + (f" to {text}" if field != "polynomial" else "") if text else f"Take back {words} of {form.id}",
        f"species:{form.id}",
    )


@action("species-source", id=Key(), field=Key(), value=Text())
def species_source(document: Project, form: Values) -> Done:
    edit.choose_source(document, form.id, form.field, form.value)
    source = form.value or "Gulch's choice"
    return Done(f"Take {form.field.replace('_', ' ')} of {form.id} from {source}", f"species:{form.id}")


@action("species-remove", id=Key())
def remove_species(document: Project, form: Values) -> Done:
    edit.remove_species(document, form.id)
    return Done(f"Remove species {form.id}", "")


@action("species-move", id=Key(), by=Key())
def move_species(document: Project, form: Values) -> Done:
    edit.move_species(document, form.id, -1 if form.by == "up" else 1)
    return Done(f"Move species {form.id} {form.by}")


@action("species-order")
def order_species(document: Project, form: Values) -> Done:
    edit.order_by_boiling_point(document)
    return Done("Order species by boiling point")


@action("phase-model", value=Text())
def phase_model(document: Project, form: Values) -> Done:
    document.phase_model.kind = form.value
    return Done(f"Choose phase model {form.value}")


@action("model-vapour", value=Text())
def model_vapour(document: Project, form: Values) -> Any:
    document.phase_model.vapour = form.value
    return Done("Choose the vapour beside the activity model")


@action("interaction", a=Key(), b=Key(), value=Text())
def interaction(document: Project, form: Values) -> Done:
    a, b, text = form.a, form.b, form.value
    edit.set_interaction(document, a, b, text)
    return Done(f"Set the interaction of {a} and {b} to {text or 'the shipped one'}")


@action("pair", a=Key(), b=Key(), a_ab=Text(), a_ba=Text(), b_ab=Text(), b_ba=Text(), alpha=Text())
def pair(document: Project, form: Values) -> Done:
    texts = {name: getattr(form, name) for name in ("a_ab", "a_ba", "b_ab", "b_ba", "alpha")}
    edit.set_pair(document, form.a, form.b, texts)
    return Done(f"Type the parameters of {form.a} and {form.b}")


@action("pairs-paste", value=Text(20000, "That is too long: paste at most a few hundred rows."))
def paste_pairs(document: Project, form: Values) -> Any:
    count = edit.paste_pairs(document, form.value)
    return Done(f"Take the parameters of {count} pair{'' if count == 1 else 's'} from a table")


@action("rates-paste", text=Text())
def paste_rate_constants(document: Project, form: Values) -> Any:
    done, unread = paste_rates(document, form.text)
    return Done(f"Paste rate constants of {', '.join(done)}", said=f"Taken: {', '.join(done)}.{left_out(unread)}")


@action("pair-drop", a=Key(), b=Key())
def drop_pair(document: Project, form: Values) -> Done:
    edit.set_pair(document, form.a, form.b, {})
    return Done(f"Take the parameters of {form.a} and {form.b} from UNIFAC again")


@action("reaction-add", equation=Text(), add_species=Ticked())
def add_reaction(document: Project, form: Values) -> Done:
    """Add a typed equation; with `add_species` the species it names come along where the databank is sure of them."""
    equation = form.equation
    try:
        if form.add_species:
            edit.add_species_of(document, equation)
        resolve_equation(equation, document.entries())
    except Ambiguous:
        pass  # the card offers the ways to balance it
    except EquationError as error:
        raise EditError(str(error)) from None
    id_ = edit.add_reaction(document, equation)
    return Done(f"Add reaction {id_}: {equation}", id_)


@action("reaction-edit", id=Key(), value=Text())
def edit_reaction(document: Project, form: Values) -> Done:
    reaction = document.reaction(form.id)
    if reaction is None:
        raise EditError("The reaction is gone: reload the page.")
    reaction.equation = form.value[:400]
    return Done(f"Write {reaction.id} as {reaction.equation}", reaction.id)


@action("reaction-remove", id=Key())
def remove_reaction(document: Project, form: Values) -> Done:
    edit.remove_reaction(document, form.id)
    return Done(f"Remove reaction {form.id}", "")


@action("conversion", id=Key(), value=Text(), key=Text())
def conversion(document: Project, form: Values) -> Done:
    """Key species and conversion of a reaction; a bare number is taken as per cent."""
    id_, text = form.id, form.value
    reaction = document.reaction(id_)
    if reaction is None:
        raise EditError("The reaction is gone: reload the page.")
    key = form.key or (reaction.conversion.key if reaction.conversion else "")
    if not key and text:
        try:
            found = resolve_equation(reaction.equation, document.entries())
            key = edit.limiting_reactant(document, found.nu(len(document.species)))
        except EquationError as error:
            raise EditError(f"Mend the equation first. {error}") from None
    text = typed(document, f"{id_}.conversion", text, "fraction")
    edit.set_conversion(document, id_, key, text)
    return Done(f"Convert {text or 'nothing'} of {key} by {id_}", id_)


@action("polynomial", id=Key(), value=Text())
def polynomial(document: Project, form: Values) -> Done:
    """Let a reaction's conversion follow a polynomial in temperature, or its one value again."""
    reaction = document.reaction(form.id)
    if reaction is None or reaction.conversion is None:
        raise EditError("Give the reaction a key species and a conversion first.")
    text = form.value
    edit.set_conversion(document, reaction.id, reaction.conversion.key, reaction.conversion.value, text)
    return Done(f"Let the conversion by {reaction.id} follow {text or 'its one value'}", reaction.id)


@action("equilibrium", id=Key(), field=Key(), value=Text())
def equilibrium(document: Project, form: Values) -> Done:
    """One part of a reaction's equilibrium constant."""
    field, text = form.field, form.value
    if field in ("low", "high"):
        text = complete(text, "temperature", document.display)
    edit.set_equilibrium(document, form.id, field, text)
    return Done(f"Set {field} of the constant of {form.id} to {text or 'nothing'}", form.id)


@action("rate-add", id=Key())
def add_rate(document: Project, form: Values) -> Done:
    edit.add_rate(document, form.id)
    return Done(f"Give {form.id} a rate law", form.id)


@action("rate-remove", id=Key())
def remove_rate(document: Project, form: Values) -> Any:
    edit.need_rate(document, form.id)
    document.reaction(form.id).rate = None
    document.knobs = [k for k in document.knobs if k.input != f"{form.id}.energy"]
    edit.forget(document)
    return Done(f"Take the rate law of {form.id} away", form.id)


@action("rate", id=Key(), field=Key(), value=Text())
def rate(document: Project, form: Values) -> Any:
    """One part of a rate law; energies and temperatures typed bare take the display unit."""
    field, text = form.field, form.value
    dimension = {"energy": "molar energy", "at": "temperature"}.get(field.rpartition(".")[2])
    if dimension and text:
        text = complete(text, dimension, document.display)
    edit.set_rate(document, form.id, field, text)
    return Done(f"Set {field.replace('.', ' ')} of the rate law of {form.id} to {text or 'nothing'}"[:190], form.id)


@action("rate-order", id=Key(), species=Key(), value=Text(), back=Text())
def rate_order(document: Project, form: Values) -> Done:
    edit.set_order(document, form.id, form.species, form.value, form.back == "1")
    return Done(f"Set the order of {form.id} in {form.species} to {form.value or '0'}", form.id)


@action("rate-second", id=Key(), k=Text(), at=Text())
def second_point(document: Project, form: Values) -> Done:
    """The activation energy from k at a second temperature."""
    edit.by_second_point(document, form.id, form.k, complete(form.at, "temperature", document.display))
    return Done(f"Take the activation energy of {form.id} from a second point", form.id)


@action("rate-eyring", id=Key(), enthalpy=Text(), entropy=Text())
def activated_complex(document: Project, form: Values) -> Done:
    """k by Eyring's equation."""
    enthalpy, entropy = (complete(t, d, document.display) for t, d in ((form.enthalpy, "molar energy"), (form.entropy, "molar entropy")))
    edit.by_activated_complex(document, form.id, enthalpy, entropy)
    return Done(f"Give k of {form.id} by Eyring’s equation", form.id)


@action("rate-number", id=Key(), name=Key(), value=Text())
def rate_number(document: Project, form: Values) -> Done:
    """A number of a formula of one's own."""
    edit.set_number(document, form.id, form.name, form.value)
    return Done(f"Set {form.name} of {form.id} to {form.value or 'nothing'}"[:190], form.id)


@action("adsorption-add", id=Key(), species=Key())
def add_adsorption(document: Project, form: Values) -> Done:
    edit.add_adsorption(document, form.id, form.species)
    return Done(f"Let {form.species} adsorb in {form.id}", form.id)


@action("adsorption", id=Key(), at=Whole("adsorption terms", 0, 100, needed=True), field=Key(), value=Text())
def adsorption(document: Project, form: Values) -> Any:
    field, text = form.field, form.value
    dimension = {"energy": "molar energy", "at": "temperature"}.get(field)
    if dimension and text:
        text = complete(text, dimension, document.display)
    edit.set_adsorption(document, form.id, form.at, field, text)
    return Done(f"Change an adsorption term of {form.id}", form.id)


@action("reactions-at", value=Text())
def reactions_at(document: Project, form: Values) -> Done:
    document.reactions_at = complete(form.value, "temperature", document.display) or "25 degC"
    return Done(f"Show the reactions at {document.reactions_at}")


@action("measures", key=Text(), product=Text(), ratio=Text())
def measures(document: Project, form: Values) -> Done:
    key, product = form.key, form.product
    edit.set_measures(document, key, product, form.ratio)
    return Done(f"Count selectivity on {product} from {key}" if key or product else "Count no selectivity")


@action("set-preview", id=Key(), value=Text())
def preview(document: Project, form: Values) -> Done:
    chosen = document.set(form.id)
    if chosen is None:
        raise EditError("The set is gone: reload the page.")
    chosen.preview = form.value
    return Done(f"Show what limits set {chosen.id} in {form.value}")


@action("set-add")
def add_set(document: Project, form: Values) -> Done:
    id_ = edit.fresh("set", {s.id for s in document.reaction_sets})
    document.reaction_sets.append(SetEntry(id=id_, steps=[[r.id] for r in document.reactions]))
    return Done(f"Add reaction set {id_}")


@action("set-remove", id=Key())
def remove_set(document: Project, form: Values) -> Done:
    document.reaction_sets = [s for s in document.reaction_sets if s.id != form.id]
    return Done(f"Remove reaction set {form.id}")


@action("set-place", set=Key(), reaction=Key(), value=Whole("steps", 0, 100, needed=True))
def place(document: Project, form: Values) -> Done:
    edit.place_in_set(document, form.set, form.reaction, form.value)
    return Done(f"Put {form.reaction} into step {form.value} of {form.set}")
