"""Random mixtures at random states in every phase model: nothing but numbers, nothing lost, and back from the enthalpy."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gulch.engine.phases import phase_model
from gulch.engine.phases.model import PHASE_MODELS
from gulch.engine.phases.state import TemperatureNotFound

POOL = [
    "7732-18-5", "7664-41-7", "124-38-9", "7783-06-4", "7446-09-5", "7782-50-5", "74-98-6", "115-07-1", "106-97-8", "75-21-8", "115-10-6",
    "75-01-4", "74-87-3", "463-58-1", "1333-74-0", "7727-37-9", "74-82-8", "630-08-0", "67-56-1", "64-17-5", "67-64-1", "71-43-2",
    "108-88-3", "110-54-3", "110-82-7", "64-19-7", "79-20-9", "141-78-6", "107-06-2", "67-66-3", "7647-01-0", "50-00-0", "141-43-5",
    "106-99-0", "91-20-3", "23550-45-0",
]  # fmt: skip
amounts = st.one_of(st.just(0.0), st.just(1e-12), st.floats(1e-6, 1.0), st.floats(0.1, 1.0))


@pytest.mark.parametrize("kind", PHASE_MODELS)
@settings(max_examples=560, deadline=None, derandomize=True)
@given(
    species=st.lists(st.sampled_from(POOL), min_size=1, max_size=6, unique=True),
    shares=st.lists(amounts, min_size=6, max_size=6),
    T=st.floats(200.0, 1200.0),
    log_P=st.floats(3.0, 7.5),
)
def test_no_state_is_less_than_a_number(kind, species, shares, T, log_P):
    model = phase_model(kind, tuple(species))
    n = np.array(shares[: len(species)])
    n[0] = max(n[0], 0.05)
    state = model.at_temperature(T, 10.0**log_P, n)
    assert np.isfinite([state.enthalpy, state.entropy, state.volume]).all()
    assert all(np.isfinite(x).all() and x.min() >= 0.0 for _, _, x, _ in state.phases)
    assert sum(share * x for _, share, x, _ in state.phases) * n.sum() == pytest.approx(n, rel=1e-7, abs=1e-9)
    try:
        back = model.at_enthalpy(state.enthalpy, state.pressure, n, T)
    except TemperatureNotFound:
        pytest.fail("no way back from an enthalpy")
    assert abs(back.temperature - T) < 1e-3 or back.enthalpy == pytest.approx(state.enthalpy, rel=1e-6, abs=1e-3)
