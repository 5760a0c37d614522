"""Edits of the process: feeds, units, streams, inputs, knobs and gauges."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from gulch.engine.declared.declarations import LONGEST_COURSE, Choice, Course, PerReaction, ReactionSet, SpeciesChoice
from gulch.engine.declared.told import Cure
from gulch.engine.document import set_value
from gulch.engine.pasted import paste_feeds
from gulch.engine.project import cures, edit, strip
from gulch.engine.project.basis import ends_of_range, in_basis
from gulch.engine.project.couplings import own_reading, readings
from gulch.engine.project.edit import EditError
from gulch.engine.project.inputs import address_of, write
from gulch.engine.project.kind import article, change_kind
from gulch.engine.project.places import About, Place
from gulch.engine.project.results import readable
from gulch.engine.project.typed import answer, typed
from gulch.engine.quantities import DISPLAY_SETS, QuantityError
from gulch.engine.units import KINDS
from gulch.web.projects.forms import Key, Mapping, Several, Text, Ticked, Whole, left_out
from gulch.web.projects.registry import Done, action
from gulch.web.projects.words import SLIDER_STEPS, slider_text

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values

LONGEST_VALUE = 80  # of a number with its unit


@action("strip-move", kind=Key(), id=Key(), to=Whole("places", 0, 500, needed=True))
def move_in_strip(document: Project, form: Values) -> Done:
    strip.move(document, form.kind, form.id, form.to)
    return Done(f"Order the {form.kind}s")


@action("strip-hide", kind=Key(), id=Key())
def hide_in_strip(document: Project, form: Values) -> Done:
    hidden = strip.hide(document, form.kind, form.id)
    return Done(f"{'Hide' if hidden else 'Show'} {form.kind} {form.id}")


@action("set", address=Key(), value=Text(LONGEST_COURSE, "That is too long for a value: type a number with its unit."))
def set_input(document: Project, form: Values) -> Done:
    """Write one input as typed; a bare number takes the display unit."""
    return write_input(document, form.address, form.value)


def write_input(document: Project, address: str, text: str) -> Done:
    """Write document text at an address, as typed. Returns Done; raises EditError."""
    head, _, name = address.partition(".")
    unit = document.unit(head)
    if unit is not None:
        for d in KINDS[unit.kind].inputs():
            if d.key == name and isinstance(d, Choice | ReactionSet | SpeciesChoice):
                with edit.outlets_kept(document, unit):
                    set_value(unit, d, text or None)
                return Done(f"Set {d.label.lower()} of {head} to {getattr(d, 'options', {}).get(text, text or 'none')}")
            if d.key == name and isinstance(d, Course):
                shown = [DISPLAY_SETS[document.display].unit(x) for x in (d.first, d.second)]
                set_value(unit, d, d.with_units(text, *("" if u == "1" else u for u in shown)) or None)
                return Done(f"Set {d.label.lower()} of {head}")
            if isinstance(d, PerReaction) and d.options and name.startswith(d.key + "."):
                if text not in d.options:
                    raise EditError(f"“{text}” is not one of the ways: {', '.join(d.options.values())}.")
                write(document, address, text)
                return Done(f"Let {name.partition('.')[2]} run {d.options[text]} in {head}")
    stream = document.stream(head)
    if stream is not None and name == "to_species" and stream.given is not None:
        stream.given.to_species = text
        return Done(f"Give the ratios of {head} to {text}")
    found = address_of(document, address)
    if found is None:
        raise EditError(f"{address} is not an input any more: reload the page.")
    if len(text) > LONGEST_VALUE:
        raise EditError("That is too long for a value: type a number with its unit.")
    text = in_basis(document, address, typed(document, address, text, found.dimension), found.dimension)
    if unit is not None:
        with edit.outlets_kept(document, unit):
            write(document, address, text)
    else:
        write(document, address, text)
    return Done(f"Set {found.label[:1].lower() + found.label[1:]} to {text or 'nothing'}")


@action("take", id=Key(), taken=Mapping(), address=Text())
def take(document: Project, form: Values) -> Done:
    """Take what a unit or feed assumes as it is: one address, or all of them."""
    done = edit.take_assumed(document, form.id, form.taken, form.address or None)
    if not done:
        raise EditError("What is assumed here follows from the feed, which is not known yet: type it, or solve first.")
    edit.complete_streams(document)
    return Done(f"Take {', '.join(done)} of {form.id} as assumed")


@action("answer", where=Key(), value=Text())
def settle_question(document: Project, form: Values) -> Done:
    """Answer a question of the to-do list, at the place that it is about."""
    place, value = form.where, form.value
    if place in document.doubtful:
        return Done(answer(document, place, value))
    about = Place.of(document, place)
    if about.about is About.SPECIES and about.field == "non_volatile" and value in ("stays", "boils"):
        edit.set_species_datum(document, about.id, "non_volatile", "yes" if value == "stays" else "")
        return Done(f"Let {about.id} {'stay in the liquid' if value == 'stays' else 'boil'}", about.id)
    head, _, name = place.partition(".")
    reaction = document.reaction(head)
    holder = {
        "conversion": reaction and reaction.conversion,
        "energy": reaction and reaction.rate and reaction.rate.forward,
    }.get(name)
    if not holder:
        raise EditError("The question is settled already: reload the page.")
    if value == "keep":
        holder.meant = True
        return Done(f"Keep the {name} of {head}", head)
    setattr(holder, "value" if name == "conversion" else "energy", value)
    return Done(f"Set the {name} of {head} to {value}", head)


@action("cure", where=Key(), way=Key(), kind=Key(), field=Key())
def cure(document: Project, form: Values) -> Done:
    """Mend by one press what a line of the to-do list doubts."""
    if form.way not in cures.WAYS:
        raise EditError(cures.GONE)
    id_ = cures.WAYS[form.way](document, form.where, Cure("", form.way, form.kind, form.field))
    where = f"before {form.where}" if form.way == "before" else f"in place of what {form.where} was"
    return Done(f"Put {article(KINDS[form.kind].label)} {where}", id_)


@action("basis", id=Key(), value=Text())
def set_basis(document: Project, form: Values) -> Done:
    before = {k.id: k.input for k in document.knobs}
    lost = edit.set_basis(document, form.id, form.value)
    told = [f"The knob {k.label or k.id} has lost its input, which these amounts do not have: give it another, or remove it." for k in lost]
    told += [
        f"{k.label or k.id} turns the {known.label[0].lower()}{known.label[1:]} now, {k.low} to {k.high}."
        for k in document.knobs
        if k.input != before[k.id] and (known := address_of(document, k.input))
    ]
    return Done(f"Give {form.id} by {form.value.replace('-', ' ')}", said=" ".join(told[:4]))


@action("feed-paste", id=Key(), text=Text())
def paste_feed(document: Project, form: Values) -> Done:
    """Give feeds what a table of a spreadsheet says."""
    stream = document.stream(form.id)
    if stream is None or not stream.is_feed:
        raise EditError("The feed is gone: reload the page.")
    done, unread = paste_feeds(document, stream, form.text)
    return Done(f"Paste {', '.join(done)}", said=f"Taken: {', '.join(done)}.{left_out(unread)}")


@action("fill-air", id=Key())
def fill_air(document: Project, form: Values) -> Done:
    edit.fill_with_air(document, form.id)
    return Done(f"Give {form.id} the composition of air")


@action("scale-fractions", id=Key())
def scale_fractions(document: Project, form: Values) -> Any:
    edit.scale_fractions(document, form.id)
    return Done(f"Scale the fractions of {form.id} to 100 %")


@action("add-feed")
def add_feed(document: Project, form: Values) -> Done:
    id_ = edit.add_feed(document)
    return Done(f"Add feed {id_}", id_)


@action("append", id=Key(), kind=Key())
def append(document: Project, form: Values) -> Done:
    id_ = edit.append_unit(document, form.id, form.kind)
    return Done(f"Append {KINDS[form.kind].label} {id_} to {form.id}", id_)


@action("kind", id=Key(), kind=Key())
def make_kind(document: Project, form: Values) -> Done:
    """Make a unit one of another kind, in place."""
    change_kind(document, form.id, form.kind)
    return Done(f"Make {form.id} {article(KINDS[form.kind].label)}", form.id)


@action("send", id=Key(), to=Text())
def send(document: Project, form: Values) -> Any:
    if not form.to:
        edit.end_here(document, form.id)
        return Done(f"Let {form.id} end as a product", form.id)
    entered = edit.send_to(document, form.id, form.to)
    return Done(f"Send {form.id} to {entered}", form.id)


@action("outlet", id=Key(), value=Text())
def choose_outlet(document: Project, form: Values) -> Done:
    """Let a stream leave its unit by another outlet; the stream that left there takes its place."""
    edit.exchange_outlet(document, form.id, form.value)
    return Done(f"Let {form.id} leave by {form.value}", form.id)


@action("inlet", id=Key(), value=Text())
def choose_inlet(document: Project, form: Values) -> Done:
    """Let a stream enter its unit by another side; the one that entered there takes its place."""
    edit.exchange_inlet(document, form.id, form.value)
    return Done(f"Let {form.id} enter by {form.value}", form.id)


@action("run-state", id=Key(), near=Key())
def run_state(document: Project, form: Values) -> Any:
    """Run the steady state nearest to a temperature in a stirred tank."""
    unit = document.unit(form.id)
    if unit is None or not hasattr(unit, "near"):
        raise EditError("The tank is gone: reload the page.")
    unit.state, unit.near = "nearest", form.near
    return Done(f"Run the steady state of {unit.id} near {form.near}")


@action("remove", id=Key())
def remove(document: Project, form: Values) -> Any:
    edit.remove(document, form.id)
    return Done(f"Remove {form.id}", "")


@action("rename", id=Key(), value=Text())
def rename(document: Project, form: Values) -> Any:
    edit.rename(document, form.id, form.value)
    return Done(f"Rename {form.id} to {form.value}", form.value)


@action("project-name", value=Text())
def project_name(document: Project, form: Values) -> Done:
    document.name = form.value[:120] or "Untitled project"
    return Done(f"Name the project {document.name}")


@action("display", value=Text())
def display(document: Project, form: Values) -> Done:
    document.display_set = form.value  # type: ignore[assignment]  # pydantic looks at it
    return Done(f"Show units as {DISPLAY_SETS[form.value].label}")


@action("own-unit", dimension=Key(), unit=Text())
def own_unit(document: Project, form: Values) -> Done:
    """Show one kind of quantity in a unit of its own; in that of the set where it is none."""
    rest = {d: u for d, u in document.own_units.items() if d != form.dimension}
    usual = DISPLAY_SETS[document.display_set].units.get(form.dimension)
    document.own_units = rest if form.unit in ("", usual) else rest | {form.dimension: form.unit}
    return Done(f"Show {form.dimension} in {form.unit or usual}")


@action("ledger-columns", columns=Several(), only_pinned=Ticked(), across=Ticked(), species=Text(), also=Text())
def ledger_columns(document: Project, form: Values) -> Done:
    document.ledger.columns = form.columns
    document.ledger.species = form.species
    document.ledger.also = form.also or None
    document.ledger.only_pinned, document.ledger.across = form.only_pinned, form.across
    return Done("Choose the ledger's columns")


@action("ledger-pin", id=Key())
def ledger_pin(document: Project, form: Values) -> Done:
    """Let a stream stand first in the ledger, or among the others again."""
    id_ = edit.need_stream(document, form.id).id
    pinned = document.ledger.pinned
    document.ledger.pinned = [p for p in pinned if p != id_] if id_ in pinned else [*pinned, id_]
    return Done(f"{'Unpin' if id_ in pinned else 'Pin'} {id_} in the ledger")


# Knobs and gauges


@action("knob", address=Key())
def make_knob(document: Project, form: Values) -> Done:
    """Turn an input into a knob, with a range around its value."""
    found = address_of(document, form.address)
    if found is None or not found.knob:
        raise EditError("This input cannot be turned.")
    knob = edit.knob_for(document, found)
    return Done(f"Make {found.label[:1].lower() + found.label[1:]} a knob, {knob.id}")


@action("knob-edit", id=Key(), field=Key(), value=Text())
def edit_knob(document: Project, form: Values) -> Done:
    knob = document.knob(form.id)
    if knob is None:
        raise EditError("The knob is gone: reload the page.")
    field, text = form.field, form.value
    if field == "label":
        knob.label = text[:60] or None
    elif field in ("low", "high"):
        setattr(knob, field, ends_of_range(document, knob, {field: text}, f"knob.{knob.id}.{{end}}")[field])
    return Done(f"Set {field} of knob {knob.label or knob.id} to {text}")


@action("knob-remove", id=Key())
def remove_knob(document: Project, form: Values) -> Done:
    document.knobs = [k for k in document.knobs if k.id != form.id]
    edit.forget(document)
    return Done(f"Remove knob {form.id}", "")


@action("gauge", address=Key(), at_least=Text(), at_most=Text())
def make_gauge(document: Project, form: Values) -> Done:
    """Watch a result as a gauge, with a limit where one is given."""
    found = readable(document).get(form.address)
    if found is None:
        raise EditError("This result cannot be watched.")
    gauge = edit.gauge_on(document, found.address)
    for name in ("at_least", "at_most"):
        if text := getattr(form, name):
            setattr(gauge, name, typed(document, f"gauge.{gauge.id}.{name}", text, found.dimension))
    return Done(f"Watch {found.label[:1].lower() + found.label[1:]} as {gauge.id}")


@action("gauge-formula", formula=Text(), label=Text())
def make_formula_gauge(document: Project, form: Values) -> Done:
    """Watch a formula over inputs and results, under a name."""
    gauge = edit.gauge_on_formula(document, form.formula, form.label)
    return Done(f"Watch {gauge.label or gauge.id} = {gauge.formula}"[:190], f"gauge:{gauge.id}")


@action("gauge-edit", id=Key(), field=Key(), value=Text())
def edit_gauge(document: Project, form: Values) -> Done:
    gauge = document.gauge(form.id)
    if gauge is None:
        raise EditError("The gauge is gone: reload the page.")
    field, text = form.field, form.value
    found = readings(document).get(gauge.reads)
    if field == "label":
        gauge.label = text[:60] or None
    elif field == "formula" and gauge.formula:
        gauge.formula = text
        try:
            own_reading(document, gauge)
        except QuantityError as error:
            raise EditError(str(error)) from None
    elif field == "dimension" and gauge.formula:
        gauge.dimension = text or None
    elif field in ("at_least", "at_most"):
        setattr(
            gauge,
            field,
            (typed(document, f"gauge.{gauge.id}.{field}", text, found.dimension) if found else text) or None,
        )
    return Done(f"Set {field.replace('_', ' ')} of gauge {gauge.label or gauge.id} to {text or 'nothing'}")


@action("gauge-remove", id=Key())
def remove_gauge(document: Project, form: Values) -> Done:
    document.gauges = [g for g in document.gauges if g.id != form.id]
    edit.forget(document)
    return Done(f"Remove gauge {form.id}", "")


@action("turn", id=Key(), position=Whole("slider steps", 0, SLIDER_STEPS), value=Text())
def turn(document: Project, form: Values) -> Done:
    """Set a knob to a slider position or a typed value."""
    if form.position is not None:
        try:
            address, text, _ = slider_text(document, form.id, form.position)
        except (QuantityError, ValueError) as error:
            raise EditError(str(error)) from None
        return turned(document, {address: text})
    knob = document.knob(form.id)
    if knob is None:
        raise EditError("The knob is gone: reload the page.")
    return turned(document, {knob.input: form.value})


def turned(document: Project, point: dict[str, str]) -> Done:
    """Write the values of knobs {address: text}; what shares a whole with them gives way. Returns Done; raises EditError."""
    done = [write_input(document, str(address), str(value)) for address, value in point.items()]
    edit.turn(document, point)
    return done[0] if len(done) == 1 else Done(f"Set {', '.join(str(v) for v in point.values())}")


@action("number-add", name=Text(), value=Text())
def add_number(document: Project, form: Values) -> Done:
    """A number of the project's own, for formulas, knobs and scans."""
    made = edit.add_number(document, form.name, form.value)
    return Done(f"Add number {made.label} = {made.value}"[:190])


@action("number-remove", id=Key())
def remove_number(document: Project, form: Values) -> Done:
    """Remove a number, and with it the ties that use it."""
    freed = edit.remove_number(document, form.id)
    edit.forget(document)
    said = f"{' and '.join(freed)} {'stands' if len(freed) == 1 else 'stand'} as typed again." if freed else ""
    return Done(f"Remove number {form.id}", said=said)


@action("feed-ratio", id=Key(), to=Key())
def give_by_ratio(document: Project, form: Values) -> Done:
    """Give a feed as a ratio to another one."""
    made = edit.ratio_of_feeds(document, form.id, form.to)
    return Done(f"Give {form.id} by {made.label}", said=f"{made.label} is a number of the project now: {made.value} mol a mol.")


@action("feeds-total", id=Key(), to=Key())
def give_by_total(document: Project, form: Values) -> Done:
    """Give two feeds by their total and their ratio."""
    total, ratio = edit.total_and_ratio(document, form.id, form.to)
    said = f"{total.label}, {total.value}, and {ratio.label}, {ratio.value}, are numbers of the project now."
    return Done(f"Give {form.id} and {form.to} by their total and ratio", said=said)
