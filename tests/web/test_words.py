"""Names in little room."""

import pytest

from gulch.web.projects.words import brief


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
