"""Edits of the variants themselves; they change the whole project, not only the variant worked on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.project import variants
from gulch.engine.project.edit import EditError
from gulch.web.projects.forms import Key, Text
from gulch.web.projects.registry import Done, action

if TYPE_CHECKING:
    from gulch.engine.document.project import Project
    from gulch.web.projects.forms import Values


@action("variant-add", whole=True, name=Text())
def add(project: Project, form: Values) -> Done:
    id_ = variants.add(project, form.name)
    return Done(f"Add variant {project.variant(id_).name}")


@action("variant-work", whole=True, id=Text())
def work_on(project: Project, form: Values) -> Done:
    variants.work_on(project, form.id)
    found = project.variant(project.working) if project.working else None
    return Done(f"Work on {f'variant {found.name}' if found else 'the base'}", "")


@action("variant-remove", whole=True, id=Key())
def remove(project: Project, form: Values) -> Done:
    name = variants.need(project, form.id).name
    variants.remove(project, form.id)
    return Done(f"Remove variant {name}")


@action("variant-name", whole=True, id=Key(), value=Text())
def rename(project: Project, form: Values) -> Done:
    variant, name = variants.need(project, form.id), " ".join(form.value.split())[:60]
    if not name or name.lower() == variants.BASE or any(v.name == name for v in project.variants if v is not variant):
        raise EditError(f"“{name}” cannot be the variant's name: choose one that no other variant has.")
    variant.name = name
    return Done(f"Name a variant {name}")


@action("variant-make-base", whole=True, id=Key())
def make_base(project: Project, form: Values) -> Done:
    new, name = variants.make_base(project, form.id)
    for field in type(project).model_fields:
        setattr(project, field, getattr(new, field))
    return Done(f"Make variant {name} the base", "")


@action("operating-hours", whole=True, value=Text())
def operating_hours(project: Project, form: Values) -> Done:
    project.operating_hours = hours_text(form.value)
    return Done(f"Operate {project.operating_hours} hours a year")


def hours_text(text: str) -> str:
    """Typed hours of a year as the document keeps them. Raises EditError."""
    plain = text.strip().removesuffix("h").strip().replace(" ", "")
    try:
        value = float(plain)
    except ValueError:
        value = -1.0
    if not 0.0 < value <= 8784.0:
        raise EditError(f"“{text}” is no number of hours in a year: type for example 8000.")
    return f"{value:g}"
