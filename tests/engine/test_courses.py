"""Properties over temperature against published values and analytic relations."""

import numpy as np
import pytest

from gulch.engine.explain.courses import of_material, of_species
from gulch.engine.phases import phase_model


def at(course, T):
    return float(np.interp(T, course.T, course.values))


def test_steam_over_temperature():
    """Cp° of H2O(g) 33.58 J/(mol K) at 298.15 K and 41.27 at 1000 K, S° 188.8 and 232.7, H−H298 25.98 kJ/mol.

    NIST-JANAF, 4th edition (1998).
    """
    found = {c.name: c for c in of_species(("7732-18-5", ()))}
    cp, h, s, p = (found[k] for k in ("heat_capacity", "enthalpy", "entropy", "vapour_pressure"))
    assert at(cp, 298.15) == pytest.approx(33.58, rel=0.01) and at(cp, 1000.0) == pytest.approx(41.27, rel=0.01)
    assert at(h, 1000.0) - at(h, 298.15) == pytest.approx(25980.0, rel=0.01) and at(h, 298.15) == pytest.approx(-241826.0, rel=2e-3)
    assert at(s, 298.15) == pytest.approx(188.8, rel=3e-3) and at(s, 1000.0) == pytest.approx(232.7, rel=3e-3)
    assert np.exp(np.interp(373.15, p.T, np.log(p.values))) == pytest.approx(101325.0, rel=0.02)  # boils at 100 °C
    assert all(c.source for c in found.values())


def test_a_boiling_mixture_over_temperature():
    """Benzene and toluene at 1 atm, x = 0.5: boils between 92 and 99 °C (Raoult with Antoine's constants; McCabe, Smith, Harriott)."""
    model = phase_model("peng-robinson", ("71-43-2", "108-88-3"))
    found = {c.name: c for c in of_material(model, np.array([1.0, 1.0]), 101325.0, 350.0, 390.0)}
    vapour = np.array(found["vapour"].values)
    T = np.array(found["vapour"].T)
    assert T[vapour <= 0.0].max() == pytest.approx(365.3, abs=1.6) and T[vapour >= 1.0].min() == pytest.approx(371.9, abs=1.6)
    h, cp = np.array(found["enthalpy"].values), np.array(found["heat_capacity"].values)
    assert (np.diff(h) > 0.0).all() and cp[(vapour > 0.05) & (vapour < 0.95)].min() > 10 * cp[0]  # boiling takes the heat
    density = np.array(found["density"].values)
    assert density[0] == pytest.approx(800.0, rel=0.08) and density[-1] < 4.0
    assert at(found["entropy"], 389.0) > at(found["entropy"], 351.0)
