"""Templates keep the house's line length, and every one of them can be read."""

from pathlib import Path

import pytest
from django.template.loader import get_template

import gulch.web

FOLDER = Path(gulch.web.__file__).parent / "templates"


@pytest.mark.parametrize("name", sorted(str(p.relative_to(FOLDER)) for p in FOLDER.rglob("*.html")))
def test_lines_are_short_and_the_template_compiles(name):
    long = [i for i, line in enumerate((FOLDER / name).read_text().split("\n"), 1) if len(line) > 140]
    assert long == []
    get_template(name)
