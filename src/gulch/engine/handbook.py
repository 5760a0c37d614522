"""How what is shown is computed, as a handbook writes it: formulas with their sources. Declared beside the code, read by the help."""

from typing import NamedTuple

SMITH_VAN_NESS = "Smith, Van Ness & Abbott, Introduction to Chemical Engineering Thermodynamics"
MICHELSEN_MOLLERUP = "Michelsen & Mollerup, Thermodynamic Models, 2nd ed."
FOGLER = "Fogler, Elements of Chemical Reaction Engineering"
LEVENSPIEL = "Levenspiel, Chemical Reaction Engineering"


class Relation(NamedTuple):
    """One line of how something is computed. formula: as a handbook writes it; words: what it says; source: where it is from."""

    formula: str
    words: str = ""
    source: str = ""
