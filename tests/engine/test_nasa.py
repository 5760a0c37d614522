"""Published polynomials, pasted: against JANAF's values at 298.15 K and 1000 K, and what cannot be read."""

import numpy as np
import pytest

from gulch.engine.species import SpeciesError, lookup
from gulch.engine.species.nasa import read_polynomial

# Methane, 7 coefficients (from memory of a published mechanism); nitrogen, 9 coefficients (NASA/TP-2002-211556, from memory).
METHANE = """200 1000 5.14987613E+00 -1.36709788E-02 4.91800599E-05 -4.84743026E-08 1.66693956E-11 -1.02466476E+04 -4.64130376E+00
1000 3500 7.48514950E-02 1.33909467E-02 -5.73285809E-06 1.22292535E-09 -1.01815230E-13 -9.46834459E+03 1.84373180E+01"""
CARD = "\n".join(
    f"{line:<79}{number}"
    for number, line in enumerate(
        (
            "CH4               L 8/88C   1H   4          G   200.000  3500.000  1000.000",
            " 7.48514950E-02 1.33909467E-02-5.73285809E-06 1.22292535E-09-1.01815230E-13",
            "-9.46834459E+03 1.84373180E+01 5.14987613E+00-1.36709788E-02 4.91800599E-05",
            "-4.84743026E-08 1.66693956E-11-1.02466476E+04-4.64130376E+00",
        ),
        1,
    )
)
NITROGEN = """N2                Ref-Elm. Gurvich,1978 pt1 p280 pt2 p207.
 1 tpis78 N   2.00    0.00    0.00    0.00    0.00 0   28.0134000          0.000
    200.000   1000.0007 -2.0 -1.0  0.0  1.0  2.0  3.0  4.0  0.0         8670.104
 2.210371497D+04-3.818461820D+02 6.082738360D+00-8.530914410D-03 1.384646189D-05
-9.625793620D-09 2.519705809D-12                 7.108460860D+02-1.076003744D+01"""


@pytest.mark.parametrize(
    ("text", "enthalpy", "entropy", "cp", "cp_1000"),
    [(METHANE, -74.6e3, 186.3, 35.7, 73.6), (CARD, -74.6e3, 186.3, 35.7, 73.6), (NITROGEN, 0.0, 191.6, 29.12, 32.70)],
    ids=["methane, lines", "methane, card", "nitrogen, 9 coefficients"],
)
def test_polynomials_give_janafs_values(text, enthalpy, entropy, cp, cp_1000):
    found = read_polynomial(text, "it")
    at = found.standard
    assert at.enthalpy(298.15) == pytest.approx(enthalpy, abs=100.0)
    assert at.entropy(298.15) == pytest.approx(entropy, rel=1e-3)
    assert at.cp(np.array([298.15]))[0] == pytest.approx(cp, rel=2e-3)
    T, table = found.table()
    assert np.interp(1000.0, T, table) == pytest.approx(cp_1000, rel=5e-3)


def test_lines_and_card_say_the_same():
    one, two = read_polynomial(METHANE, "a"), read_polynomial(CARD, "b")
    for a, b in zip(one.ranges, two.ranges, strict=True):
        assert (a.low, a.high, a.of_enthalpy, a.of_entropy) == (b.low, b.high, b.of_enthalpy, b.of_entropy)
        assert list(a.coefficients) == list(b.coefficients)


def test_a_species_of_ones_own_takes_heat_capacity_enthalpy_and_entropy_from_it():
    """The heat of combustion's course follows too: the refit of the polynomial is as good as its stated error."""
    own = (("formula", "CH4"), ("name", "gas"), ("polynomial", METHANE), ("critical_temperature", "190.6 K"))
    own += (("critical_pressure", "46 bar"), ("acentric_factor", "0.011"))
    gas, known = lookup(None, tuple(sorted(own))), lookup("74-82-8")
    assert gas.formation_enthalpy.value == pytest.approx(known.formation_enthalpy.value, abs=150.0)
    assert gas.entropy.value == pytest.approx(known.entropy.value, rel=1e-3)
    assert gas.heat_capacity.worst < 0.02 and (gas.heat_capacity.low, gas.heat_capacity.high) == (200.0, 3500.0)
    assert "polynomial" in gas.formation_enthalpy.source


def test_what_is_typed_itself_goes_before():
    typed = lookup("74-82-8", (("formation_enthalpy", "-75 kJ/mol"), ("polynomial", METHANE)))
    assert typed.formation_enthalpy.value == -75e3
    assert typed.entropy.value == pytest.approx(186.3, rel=1e-3)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("\n".join("x" * 61 + str(i) for i in (1, 2, 3, 4)), "holds 1 number:"),
        ("200 1000 1e999 0 0 0 0 0 0", "not above zero"),
        ("200 1000 1 2 3", "Line 1 of the polynomial of it holds 5 numbers"),
        ("no numbers here", "Line 1 of the polynomial of it holds 0 numbers"),
        ("   ", "holds no numbers"),
        ("1000 200 3.5 0 0 0 0 0 0", "begins with 1000 and 200"),
        ("200 1000 3.5 0 0 0 0 0 0\n1200 3000 3.5 0 0 0 0 0 0", "ranges that do not meet"),
        ("200 1000 3.5 0 0 0 0 0 0\n1000 3000 4.5 0 0 0 0 0 0", "jumps at 1000 K"),
        ("200 1000 -3.5 0 0 0 0 0 0", "not above zero"),
    ],
)
def test_what_cannot_be_read_is_said(text, words):
    with pytest.raises(SpeciesError, match=words):
        read_polynomial(text, "it")
