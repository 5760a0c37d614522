"""Edits of measurements and fits."""

from __future__ import annotations

from dataclasses import fields
from typing import TYPE_CHECKING, Any

from gulch.engine.document.measured import LONGEST_TABLE
from gulch.engine.fitting import FitTrouble
from gulch.engine.fitting.answer import Answer, Found
from gulch.engine.fitting.use import use
from gulch.engine.pasted import paste_measured
from gulch.engine.project import edit
from gulch.engine.project.edit import EditError
from gulch.engine.project.typed import typed
from gulch.engine.quantities import complete
from gulch.web.projects.forms import Key, Mapping, Several, Text, Ticked, Whole, left_out
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values

TOO_LONG = f"That is too long: paste at most {LONGEST_TABLE:,} characters, as by leaving every second row out."
WITH_UNIT = {"temperature": "temperature", "pressure": "pressure", "catalyst": "density", "surface": "area per volume", "void": "fraction"}


@action("sheet-add", text=Text(LONGEST_TABLE, TOO_LONG))
def add_sheet(document: Project, form: Values) -> Done:
    id_ = edit.add_sheet(document, form.text)
    return Done("Paste measurements", f"sheet:{id_}")


@action("sheet-table", id=Key(), text=Text(LONGEST_TABLE, TOO_LONG))
def set_table(document: Project, form: Values) -> Done:
    edit.set_table(document, form.id, form.text)
    return Done(f"Paste another table for {edit.need_sheet(document, form.id).shown}", f"sheet:{form.id}")


@action("sheet-edit", id=Key(), field=Key(), value=Text(2000))
def set_sheet(document: Project, form: Values) -> Done:
    text = form.value
    if form.field in WITH_UNIT and text:
        text = typed(document, f"sheet.{form.id}.{form.field}", text, WITH_UNIT[form.field])
    edit.set_sheet(document, form.id, form.field, text)
    return Done(f"Change {form.field} of {edit.need_sheet(document, form.id).shown}", f"sheet:{form.id}")


@action("sheet-charge", id=Key(), species=Key(), value=Text())
def set_charge(document: Project, form: Values) -> Done:
    edit.set_charge(document, form.id, form.species, form.value)
    return Done(f"Charge {form.species} in {edit.need_sheet(document, form.id).shown}", f"sheet:{form.id}")


@action("sheet-column", id=Key(), number=Whole("columns", 1, 300), field=Key(), value=Text())
def set_column(document: Project, form: Values) -> Done:
    edit.set_column(document, form.id, form.number, form.field, form.value)
    return Done(f"Say what column {form.number} holds", f"sheet:{form.id}")


@action("sheet-row", id=Key(), row=Whole("rows", 1, 10_000), reason=Text(200), back=Ticked())
def leave_out(document: Project, form: Values) -> Done:
    edit.leave_out(document, form.id, form.row, None if form.back else form.reason)
    return Done(f"{'Take row' if form.back else 'Leave row'} {form.row} {'back' if form.back else 'out'}", f"sheet:{form.id}")


@action("sheet-remove", id=Key())
def remove_sheet(document: Project, form: Values) -> Done:
    shown = edit.need_sheet(document, form.id).shown
    edit.remove_sheet(document, form.id)
    return Done(f"Remove {shown}", "")


@action("fit-add")
def add_fit(document: Project, form: Values) -> Done:
    return Done("Ask what the measurements say", f"fit:{edit.add_fit(document)}")


@action("fit-edit", id=Key(), set=Text(), sheets=Several(), free=Several(), errors=Text())
def set_fit(document: Project, form: Values) -> Done:
    edit.set_fit(document, form.id, form.sheets, form.free, form.set or None, {"": form.errors})
    return Done("Change what is fitted", f"fit:{form.id}")


@action("fit-bound", id=Key(), address=Key(), side=Key(), value=Text())
def set_bound(document: Project, form: Values) -> Done:
    edit.set_bound(document, form.id, form.address, form.side, form.value)
    return Done(f"Bound {form.address}", f"fit:{form.id}")


@action("fit-remove", id=Key())
def remove_fit(document: Project, form: Values) -> Done:
    edit.remove_fit(document, form.id)
    return Done("Remove a fit", "")


@action("rival-add", id=Key(), name=Text(60))
def add_rival(document: Project, form: Values) -> Done:
    edit.add_rival(document, form.id, form.name)
    return Done(
        "Keep the law as a rival",
        f"fit:{form.id}",
        "The law is kept as it is. Change the law in Chemistry now: both are fitted to the same data and compared here.",
    )


@action("rival-remove", id=Key(), name=Key())
def remove_rival(document: Project, form: Values) -> Done:
    edit.remove_rival(document, form.id, form.name)
    return Done(f"Remove the rival {form.name}", f"fit:{form.id}")


@action("rival-take", id=Key(), name=Key())
def take_rival(document: Project, form: Values) -> Done:
    edit.take_rival(document, form.id, form.name)
    return Done(f"Take the law {form.name}", f"fit:{form.id}", "The law is the project’s own now; the one before is kept as a rival.")


@action("fit-use", id=Key(), answer=Mapping())
def use_it(document: Project, form: Values) -> Done:
    """Write what was found into the laws."""
    entry = edit.need_fit(document, form.id)
    try:
        use(document, entry, _answer(form.answer))
    except FitTrouble as error:
        raise EditError(str(error)) from None
    return Done(
        "Use what was found",
        f"fit:{form.id}",
        "The laws hold what was found, and “how sure” samples it from now on with what hangs together.",
    )


def _answer(data: dict[str, Any]) -> Answer:
    """What was found, of what the page was given. Raises EditError where that is no answer."""
    known = {f.name for f in fields(Found)}
    try:
        numbers = [Found(**{k: v for k, v in n.items() if k in known}) for n in data["numbers"]]
        sizes = {k: (float(a), bool(b), bool(c)) for k, (a, b, c) in data["sizes"].items()}
        covariance = [[float(x) for x in row] for row in data["covariance"]]
        return Answer(T=float(data["T"]), numbers=numbers, covariance=covariance, freedom=int(data["freedom"]), sizes=sizes)
    except (KeyError, TypeError, ValueError, AttributeError):
        raise EditError("There is nothing found to be used: wait for the fit, or mend what it asks for.") from None


@action("measured-paste", text=Text())
def paste_measured_tables(document: Project, form: Values) -> Any:
    done, unread = paste_measured(document, form.text)
    pairs = [f"{a} and {b}" for a, b in done]
    return Done(f"Paste points of {'; '.join(pairs)}", said=f"Taken: {'; '.join(pairs)}.{left_out(unread)}")


@action("pair-measured", a=Key(), b=Key(), field=Key(), value=Text(20000, "These are too many points: paste at most 500 rows."))
def measured_pair(document: Project, form: Values) -> Any:
    text = form.value
    if form.field == "at" and text:
        text = complete(text, "pressure", document.display)
    edit.set_measured(document, form.a, form.b, form.field, text)
    done = {"at": f"Draw {form.a} and {form.b} at {text}", "points": f"{'Paste' if text else 'Take away'} points of {form.a} and {form.b}"}
    return Done(done.get(form.field, f"Say where points of {form.a} and {form.b} come from"), f"pair:{form.a}:{form.b}")
