"""Names in little room."""

import pytest
from helpers import demo

from gulch.engine.quantities import QuantityError
from gulch.web.projects.words import SLIDER_STEPS, brief, slider_text


@pytest.mark.parametrize(
    ("text", "letters", "shown"),
    [
        ("purge share", 24, "purge share"),
        ("Flow of hydrogen chloride in feed", 24, "Flow of hydrogen …"),
        ("Temperature of the reactor", 18, "Temperature …"),
        ("tetrahydrofurfurylamine-hydrochloride", 24, "tetrahydrofurfurylamine-hydrochloride"),
        ("", 10, ""),
    ],
)
def test_a_name_is_cut_between_words(text, letters, shown):
    assert brief(text, letters) == shown


def at(low, high, position, display="process-metric"):
    project = demo()
    project.display_set = display
    knob = project.knob("drum_T")
    knob.low, knob.high = low, high
    return slider_text(project, "drum_T", position)


def test_a_slider_stands_between_the_ends_of_its_knob():
    address, text, value = at("45 degC", "90 degC", 0)
    assert (address, text) == ("COOL.temperature", "45.0 degC") and value == pytest.approx(318.15)
    assert at("45 degC", "90 degC", SLIDER_STEPS)[1:] == ("90.0 degC", pytest.approx(363.15))
    assert at("45 degC", "90 degC", 200)[1:] == ("54.0 degC", pytest.approx(327.15))
    assert at("45 degC", "90 degC", -5)[1] == "45.0 degC" and at("45 degC", "90 degC", 5000)[1] == "90.0 degC"
    assert at("45 degC", "45.5 degC", 500)[1] == "45.250 degC"  # three figures of the range
    assert at("45 degC", "90 degC", 200, "us-customary")[1:] == ("129.2 degF", pytest.approx(327.15))
    assert at("50 degC", "50 degC", 700)[1] == "50.000 degC"
    with pytest.raises(QuantityError, match="gone"):
        slider_text(demo(), "none", 0)
