"""What edits are posted with."""

import pytest
from django.http import QueryDict

from gulch.engine.project.edit import EditError
from gulch.web.projects.forms import Key, Mapping, Part, Posted, Several, Text, Ticked, Whole
from gulch.web.projects.registry import ACTIONS
from gulch.web.projects.stages import stages

stages()  # registers the edits


class Example(Posted):
    id = Key()
    text = Text(5, "Five at most.")
    part = Part()
    passes = Whole("passes", 1, 50, "{} passes are too many")
    on = Ticked()
    many = Several()
    taken = Mapping()


def read(sent):
    return Example(QueryDict(sent)).read()


def test_what_is_sent_is_cleaned_and_what_is_not_has_its_empty_value():
    found = read("id=R1&text=+ab+&passes=+7&on=on&many=a&many=b&taken=%7B%22a%22%3A1%7D")
    assert (found.id, found.text, found.part, found.passes, found.on) == ("R1", "ab", None, 7, True)
    assert (found.many, found.taken) == (["a", "b"], {"a": 1})
    assert (read("id=R1&passes=1").passes, read("id=R1&passes=50").passes) == (1, 50)
    empty = read("id=R1&part=&taken=[1]")
    assert (empty.text, empty.part, empty.passes, empty.on, empty.many, empty.taken) == ("", "", None, False, [], {})


@pytest.mark.parametrize(
    ("sent", "words"),
    [
        ("text=ab", "Reload the page"),
        ("id=R1&text=abcdef", "Five at most."),
        ("id=R1&text=a%00b", "character that no text has"),
        ("id=R1&passes=many", "“many” is not a number of passes: type a whole number from 1 to 50."),
        ("id=R1&passes=", "“” is not a number of passes"),
        ("id=R1&passes=1.5", "“1.5” is not a number of passes"),
        ("id=R1&passes=51", "51 passes are too many: type a whole number from 1 to 50."),
    ],
)
def test_a_refusal_is_a_sentence(sent, words):
    with pytest.raises(EditError, match=words):
        read(sent)


@pytest.mark.parametrize("name", sorted(ACTIONS))
def test_whole_numbers_of_every_edit_quote_what_was_typed(name):
    form = ACTIONS[name].form
    sent = QueryDict(mutable=True)
    for field in form.base_fields:
        sent[field] = "x7x"
    wholes = [f for f in form.base_fields.values() if isinstance(f, Whole)]
    if wholes:
        with pytest.raises(EditError, match="“x7x” is not a number of"):
            form(sent).read()
    else:
        form(sent).read()


def test_another_basis_says_what_its_knobs_turn_now(act, row):
    act("knob", address="ethylene_feed.flow.ethylene")
    said = act("basis", id="ethylene_feed", value="mole-fractions")
    assert "turns the mole fraction of ethylene in ethylene_feed now" in said
    said = act("basis", id="water_feed", value="mass-fractions")  # of water alone: its flow is the total
    assert "water fed turns the total flow of water_feed now" in said
    assert next(k for k in row.current.worked.knobs if k.id == "water").low.startswith("1080.9")
