"""Properties over temperature against published values and analytic relations."""

import numpy as np
import pytest
from helpers import document

from gulch.engine.explain.courses import drawn_of, of_material, of_reactions, of_species
from gulch.engine.phases import phase_model
from gulch.engine.project.reading import model_of
from gulch.engine.species import lookup


def at(course, T):
    return float(np.interp(T, course.x, course.values))


def test_steam_over_temperature():
    """Cp° of H2O(g) 33.58 J/(mol K) at 298.15 K and 41.27 at 1000 K, S° 188.8 and 232.7, H−H298 25.98 kJ/mol.

    NIST-JANAF, 4th edition (1998).
    """
    found = {c.name: c for c in of_species(("7732-18-5", ()))}
    cp, h, s, p = (found[k] for k in ("heat_capacity", "enthalpy", "entropy", "vapour_pressure"))
    assert at(cp, 298.15) == pytest.approx(33.58, rel=0.01) and at(cp, 1000.0) == pytest.approx(41.27, rel=0.01)
    assert at(h, 1000.0) - at(h, 298.15) == pytest.approx(25980.0, rel=0.01) and at(h, 298.15) == pytest.approx(-241826.0, rel=2e-3)
    assert at(s, 298.15) == pytest.approx(188.8, rel=3e-3) and at(s, 1000.0) == pytest.approx(232.7, rel=3e-3)
    assert np.exp(np.interp(373.15, p.x, np.log(p.values))) == pytest.approx(101325.0, rel=0.02)  # boils at 100 °C
    assert all(c.source for c in found.values())
    assert at(found["gibbs"], 298.15) == pytest.approx(-241826.0 - 298.15 * 188.83, rel=2e-3)


def test_liquid_water_over_temperature():
    """40.65 kJ/mol to vaporise at 100 °C, 44.0 at 25 °C; 958.4 kg/m3 and 75.9 J/(mol K) at 100 °C (CRC Handbook, 95th ed.)."""
    found = {c.name: c for c in of_species(("7732-18-5", ()))}
    heat, cp, density = (found[k] for k in ("vaporisation", "liquid-capacity", "liquid_density"))
    assert at(heat, 373.15) == pytest.approx(40650.0, rel=0.01) and at(heat, 298.15) == pytest.approx(43980.0, rel=0.01)
    assert at(cp, 373.15) == pytest.approx(75.95, rel=0.01) and at(density, 373.15) == pytest.approx(958.4, rel=0.01)
    assert set(found) == drawn_of(lookup("7732-18-5", ()))


def test_a_boiling_mixture_over_temperature():
    """Benzene and toluene at 1 atm, x = 0.5: boils between 92 and 99 °C (Raoult with Antoine's constants; McCabe, Smith, Harriott)."""
    model = phase_model("peng-robinson", ("71-43-2", "108-88-3"))
    found = {c.name: c for c in of_material(model, np.array([1.0, 1.0]), 101325.0, 350.0, 390.0)}
    vapour = np.array(found["vapour"].values)
    T = np.array(found["vapour"].x)
    assert T[vapour <= 0.0].max() == pytest.approx(365.3, abs=1.6) and T[vapour >= 1.0].min() == pytest.approx(371.9, abs=1.6)
    h, cp = np.array(found["enthalpy"].values), np.array(found["heat_capacity"].values)
    assert (np.diff(h) > 0.0).all() and cp[(vapour > 0.05) & (vapour < 0.95)].min() > 10 * cp[0]  # boiling takes the heat
    density = np.array(found["density"].values)
    assert density[0] == pytest.approx(800.0, rel=0.08) and density[-1] < 4.0
    assert at(found["entropy"], 389.0) > at(found["entropy"], 351.0)


def test_a_boiling_mixture_over_pressure():
    """dG/dP of the vapour at constant T is its volume (Gibbs); Raoult's law gives where benzene and toluene boil at 95 °C."""
    model = phase_model("ideal", ("71-43-2", "108-88-3"))
    n, T = np.array([1.0, 1.0]), 368.15
    found = {c.name: c for c in of_material(model, n, T, 0.2e5, 4e5, "pressure")}
    P, vapour, g = (np.array(v) for v in (found["vapour"].x, found["vapour"].values, found["gibbs"].values))
    assert found["vapour"].along == "pressure" and (np.diff(P) > 0.0).all()
    pure = [
        np.exp(np.interp(T, c.x, np.log(c.values)))
        for key in ("71-43-2", "108-88-3")
        for c in of_species((key, ()))
        if "pressure" in c.name
    ]
    bubble, dew = np.mean(pure), 1.0 / np.mean([1.0 / p for p in pure])
    assert P[vapour >= 1.0].max() == pytest.approx(dew, rel=3e-3) and P[vapour <= 0.0].min() == pytest.approx(bubble, rel=3e-3)
    volume = model.molar_mass.mean() / np.array(found["density"].values)
    inside = np.flatnonzero(vapour[1:] >= 1.0)
    slope = (g[inside + 1] - g[inside]) / (P[inside + 1] - P[inside])
    between = [(model.at_temperature(T, float(p), n)).volume for p in (P[inside] + P[inside + 1]) / 2]
    assert slope == pytest.approx(between, rel=0.01) and volume[0] > 100 * volume[-1]


def test_corners_stand_where_a_phase_comes_or_goes():
    """The dew point of benzene and toluene is a corner of the vapour fraction: points stand within 1e-4 K of it on both sides."""
    model = phase_model("peng-robinson", ("71-43-2", "108-88-3"))
    (vapour, *_) = of_material(model, np.array([1.0, 1.0]), 101325.0, 350.0, 390.0)
    dew = model.at_vapour_fraction(1.0, 101325.0, np.array([1.0, 1.0])).temperature
    T, share = np.array(vapour.x), np.array(vapour.values)
    near = np.abs(T - dew) < 1e-4
    assert near.sum() == 2 and share[near].min() < 1.0 <= share[near].max() and T.size == 45


def test_a_mixture_that_boils_within_a_step_has_both_corners():
    """Benzene and cyclohexane boil within 0.1 K, in steps of 10 K."""
    model = phase_model("peng-robinson", ("71-43-2", "110-82-7"))
    n = np.array([0.3, 0.7])
    (vapour, *_) = of_material(model, n, 101325.0, 200.0, 600.0)
    T, share = np.array(vapour.x), np.array(vapour.values)
    assert T[share <= 0.0].max() == pytest.approx(model.at_vapour_fraction(0.0, 101325.0, n).temperature, abs=1e-3)
    assert T[share >= 1.0].min() == pytest.approx(model.at_vapour_fraction(1.0, 101325.0, n).temperature, abs=1e-3)


def test_constants_of_reactions_over_temperature():
    """K of the water-gas shift at 1000 K is 1.44 (log Kf of CO2 20.679, CO 10.459, H2O 10.062; JANAF tables, 4th ed., 1998)."""
    species = {"CO": "630-08-0", "water": "7732-18-5", "CO2": "124-38-9", "hydrogen": "1333-74-0"}
    project = document(
        species,
        reactions=[
            {"id": "shift", "equation": "CO + water = CO2 + hydrogen", "equilibrium": {"source": "gibbs"}},
            {"id": "typed", "equation": "CO + water = CO2 + hydrogen", "equilibrium": {"source": "constant", "value": ""}},
        ],
    )
    (shift,) = of_reactions(project, model_of(project), 900.0, 1100.0)  # one whose constant cannot be read is left out
    assert at(shift, 1000.0) == pytest.approx(1.44, rel=0.03) and shift.log
