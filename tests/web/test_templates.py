"""Templates keep the house's line length, and every one of them can be read."""

from pathlib import Path

import pytest
from django.template.loader import get_template

import gulch.web

FOLDER = Path(gulch.web.__file__).parent / "templates"


@pytest.mark.parametrize("name", sorted(str(p.relative_to(FOLDER)) for p in FOLDER.rglob("*.html")))
def test_lines_are_short_and_the_template_compiles(name):
    lines = (FOLDER / name).read_text().split("\n")
    assert [i for i, line in enumerate(lines, 1) if len(line) > 140] == []
    open_ended = [i for i, line in enumerate(lines, 1) if line.count("{#") != line.count("#}")]
    assert open_ended == []  # a comment over two lines is none: it would be shown
    get_template(name)
