"""Demo projects of the invented site Juniper Flats; all figures are made up."""

from importlib.resources import files

from gulch.engine.document import loads

NAMES = (
    "juniper_flats_ethanol",
    "juniper_flats_reformer",
    "juniper_flats_styrene",
    "juniper_flats_acid",
    "juniper_flats_cyclohexane",
)


def projects():
    """The demo projects, freshly read."""
    return [loads((files(__package__) / f"{name}.json").read_text(encoding="utf-8")) for name in NAMES]
