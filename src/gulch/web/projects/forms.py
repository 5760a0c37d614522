"""What edits are posted with: fields of Django forms whose refusals are sentences of ours."""

from __future__ import annotations

import json
import re
from typing import Any

from django import forms

from gulch.engine.project.edit import EditError

LONGEST = 20_000  # characters of one field
CONTROLS = re.compile(r"[\x01-\x08\x0b\x0c\x0e-\x1f\x7f]")
MOST_TOLD = 12  # places of a pasted table that are named
MISSING = "This cannot be done here: what it needs is missing or of another kind. Reload the page and try again."
UNREADABLE = "What was typed holds a character that no text has: type it again."


class Posted(forms.Form):
    """The values of one edit; each edit adds its fields."""

    def read(self) -> Values:
        """The cleaned values as attributes. Raises EditError with the first refusal."""
        if not self.is_valid():
            raise EditError(next(iter(self.errors.values()))[0])
        return Values(self.cleaned_data)


class Values:
    """Cleaned values by name."""

    def __init__(self, values: dict) -> None:
        vars(self).update(values)

    def __getattr__(self, name: str) -> Any:
        raise AttributeError(name)


class Text(forms.CharField):
    """What was typed, without the blanks around it; nothing typed is "". long: words for what it must not be longer than."""

    def to_python(self, value: str | None) -> str:
        """The text without characters that control devices, which no table of a workbook may hold."""
        return CONTROLS.sub("", super().to_python(value))

    def __init__(self, longest: int = LONGEST, long: str = "That is too long: shorten it.", **more: Any) -> None:
        refusals = {"max_length": long, "null_characters_not_allowed": UNREADABLE}
        super().__init__(required=False, max_length=longest, error_messages=refusals | more.pop("error_messages", {}), **more)


def left_out(unread: Any) -> Any:
    """What was not read of a pasted table, as a sentence; '' where nothing was."""
    if not unread:
        return ""
    more = f"; and {len(unread) - MOST_TOLD} more" if len(unread) > MOST_TOLD else ""
    return f" Not read: {'; '.join(unread[:MOST_TOLD])}{more}."


class Part(Text):
    """As Text, of a form that may be posted in parts: None where it was not sent."""

    def clean(self, value: str | None) -> str | None:
        """The text, or None."""
        return None if value is None else super().clean(value)


class Key(Text):
    """An id, an address or the name of a part, as the page gave it; an edit without it cannot be made."""

    def clean(self, value: str | None) -> str:
        """The text. Raises ValidationError where it is missing."""
        found = super().clean(value)
        if not found:
            raise forms.ValidationError(MISSING)
        return found


class Whole(forms.IntegerField):
    """A whole number between two others; None where it was not sent, unless it is needed. what: words
    for it, in the plural; beyond: what is said of one outside."""

    def __init__(self, what: str, low: int, high: int, beyond: str = "{} is beyond what there is", needed: bool = False) -> None:
        super().__init__(required=False)
        self.what, self.low, self.high, self.beyond, self.needed = what, low, high, beyond, needed

    def clean(self, value: str | None) -> int | None:
        """The number. Raises ValidationError that quotes what was typed."""
        if value is None and self.needed:
            raise forms.ValidationError(MISSING)
        if value is None:
            return None
        advice = f"type a whole number from {self.low} to {self.high}."
        try:
            number = super().clean(value)
        except forms.ValidationError:
            number = None
        if number is None:
            raise forms.ValidationError(f"“{str(value)[:40]}” is not a number of {self.what}: {advice}")
        if not self.low <= number <= self.high:
            raise forms.ValidationError(f"{self.beyond.format(number)}: {advice}")
        return number


class Ticked(forms.BooleanField):
    """Whether something is ticked, or anything at all was sent for it."""

    def __init__(self) -> None:
        super().__init__(required=False, widget=forms.TextInput)

    def to_python(self, value: str | None) -> bool:
        """True for any text."""
        return bool(value)


class Several(forms.Field):
    """All values of a name, a list of texts."""

    def __init__(self) -> None:
        super().__init__(required=False, widget=forms.MultipleHiddenInput)

    def to_python(self, value: list[str]) -> list[str]:
        """The list."""
        return [str(v)[:LONGEST] for v in value or ()]


class Mapping(forms.Field):
    """A JSON object that the page was given; {} where it is none."""

    def __init__(self) -> None:
        super().__init__(required=False, widget=forms.TextInput)

    def to_python(self, value: str | None) -> dict:
        """The dict."""
        try:
            found = json.loads(value or "{}")
        except ValueError:
            return {}
        return found if isinstance(found, dict) else {}
