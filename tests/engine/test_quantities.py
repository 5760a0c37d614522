"""Typed quantities against exact definitions of the units (NIST SP 811)."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gulch.engine.quantities import DIMENSIONS, DISPLAY_SETS, QuantityError, complete, parse, show, to_unit, write


@pytest.mark.parametrize(
    ("text", "dimension", "si"),
    [
        ("2.4 bar", "pressure", 2.4e5),
        ("36 psi", "pressure", 36 * 6894.757293168),
        ("15 psig", "pressure", 15 * 6894.757293168 + 101325.0),
        ("2 barg", "pressure", 301325.0),
        ("1 atm", "pressure", 101325.0),
        ("760 torr", "pressure", 101325.0),
        ("130 F", "temperature", (130 + 459.67) / 1.8),
        ("25 °C", "temperature", 298.15),
        ("25degC", "temperature", 298.15),
        ("491.67 R", "temperature", 273.15),
        ("300", "fraction", 300.0),
        ("5 %", "fraction", 0.05),
        ("0.5 kmol/s", "molar flow", 500.0),
        ("100 lbmol/h", "molar flow", 100 * 453.59237 / 3600),
        ("5 t/h", "mass flow", 5000 / 3600),
        ("1e3 kg/h", "mass flow", 1 / 3.6),
        ("7 m3/h", "volume flow", 7 / 3600),
        ("3 kJ/(kmol K)", "molar entropy", 3.0),
        ("10 K", "temperature difference", 10.0),
        ("18 F", "temperature difference", 10.0),
        ("1 kcal/mol", "molar energy", 4184.0),
        ("−5 kW", "power", -5000.0),
    ],
)
def test_reads_units_as_typed(text, dimension, si):
    assert parse(text, dimension) == pytest.approx(si, rel=1e-9)


@pytest.mark.parametrize(
    ("text", "dimension", "words"),
    [
        ("3 foo", "pressure", "not a unit"),
        ("3 kmol/h", "pressure", "unit of molar flow"),
        ("1,5 bar", "pressure", "comma"),
        ("-300 C", "temperature", "absolute zero"),
        ("0 K", "temperature", "absolute zero"),
        ("-2 bar", "pressure", "vacuum"),
        ("3", "pressure", "no unit"),
        ("abc", "pressure", "does not start with a number"),
        ("", "pressure", "No value"),
        ("1e999 bar", "pressure", "finite"),
        ("3 __import__('os')", "pressure", "not a unit"),
    ],
)
def test_refuses_with_a_sentence(text, dimension, words):
    with pytest.raises(QuantityError, match=words):
        parse(text, dimension)


@given(st.floats(1e-3, 1e6))
@settings(max_examples=25)
def test_written_text_reads_back(value):
    for dimension in sorted(DIMENSIONS):
        for display in DISPLAY_SETS:
            back = parse(write(value, dimension, display), dimension)
            assert abs(back - value) <= 1e-9 * max(value, 1.0), (dimension, display)


def test_every_offered_unit_is_readable():
    for name, kind in DIMENSIONS.items():
        for unit in kind.offered:
            value = parse(f"7 {unit}", name)
            assert to_unit(value, unit, name) == pytest.approx(7.0)


def test_bare_number_takes_the_display_unit():
    assert complete("300", "temperature") == "300 degC"
    assert complete("300", "temperature", "us-customary") == "300 degF"
    assert complete("36 psi", "pressure") == "36 psi"
    assert complete("nonsense", "pressure") == "nonsense"


def test_shows_figures_with_units():
    assert show(573.15, "temperature") == "300.0 °C"
    assert show(100 / 3.6, "molar flow") == "100.0 kmol/h"
    assert show(None, "pressure") == "–"
    assert show(0.99999999 / 3.6, "molar flow") == "1.000 kmol/h"
