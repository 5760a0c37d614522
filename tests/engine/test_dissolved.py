"""Gases dissolved in water: Henry's constants against handbooks' solubilities."""

import numpy as np
import pytest

from gulch.engine.phases import kernels as k
from gulch.engine.phases import phase_model
from gulch.engine.phases.dissolved import HIGH, LOW, SOURCES, in_water, measured

WATER = "7732-18-5"
# Henry's constants in water at 25 degC [bar]: Perry's Handbook, 7th ed., table 2-124 ff., and Sander (2015); both from memory
AT_25 = {
    "1333-74-0": 71.4e3, "7727-37-9": 86.5e3, "7782-44-7": 43.9e3, "630-08-0": 58.4e3, "124-38-9": 1.65e3, "74-82-8": 40.6e3,
    "74-84-0": 30.4e3, "74-85-1": 11.6e3, "74-86-2": 1.34e3, "7440-37-1": 40.0e3,
}  # fmt: skip


@pytest.mark.parametrize("cas", AT_25)
def test_henrys_constants_are_the_handbooks(cas):
    assert measured(cas, 298.15) / 1e5 == pytest.approx(AT_25[cas], rel=0.05)


@pytest.mark.parametrize("cas", SOURCES)
def test_the_course_in_use_follows_the_measured_one(cas):
    a, b, c = in_water(cas)
    for T in np.linspace(LOW, HIGH, 9):
        assert np.exp(a + b / T + c * np.log(T)) == pytest.approx(measured(cas, T), rel=0.05)
    hottest = max(np.linspace(LOW, HIGH, 200), key=lambda T: measured(cas, T))
    assert 320.0 < hottest < 460.0  # every gas dissolves least somewhere between 50 and 180 degC (Fernandez-Prini et al., 2003)


@pytest.mark.parametrize("kind", ["unifac", "nrtl", "free-water"])
def test_a_liquid_holds_what_henrys_law_says(kind):
    """Ethylene over water at 25 degC: x = y P/H, at a pressure where the gas is ideal to 1 %."""
    model = phase_model(kind, (WATER, "74-85-1"))
    state = model.at_temperature(298.15, 1.2e5, np.array([0.5, 0.5]))
    _, _, x, _ = state.liquids[0]
    y = state.phases[0][2]
    assert x[1] == pytest.approx(y[1] * 1.2e5 / measured("74-85-1", 298.15), rel=0.01)
    assert model.origins[1, 0] == "Henry's constant: Sander (2015)"


def test_a_gas_without_groups_is_known_in_water():
    model = phase_model("unifac", (WATER, "10102-43-9"))
    assert not model.unknown_pairs
    assert k.ln_phi_phase(298.15, 1e5, np.array([1.0 - 1e-9, 1e-9]), k.LIQUID, *model.mix)[1] == pytest.approx(
        np.log(measured("10102-43-9", 298.15) / 1e5), abs=0.02
    )
