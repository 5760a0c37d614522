"""Paths of compressors and expanders: isentropic or polytropic, real gas.

Isentropic efficiency compares with the isentropic end state (Smith, Van Ness & Abbott, ch. 7); polytropic efficiency is
the isentropic efficiency of a vanishingly small step (any turbomachinery text), taken here as steps of equal ratio whose
outcome is extrapolated to steps of no size.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from gulch.engine.declared.told import UnitTrouble
from gulch.engine.phases.state import TemperatureNotFound
from gulch.engine.phases.stream import Stream
from gulch.engine.phases.tangent import Tangent
from gulch.engine.quantities import Worded

if TYPE_CHECKING:
    import numpy as np

    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState

STEPS = 6  # of a polytropic path; twice as many are taken to extrapolate

PATHS = {"isentropic": "isentropic", "polytropic": "polytropic"}


def change_pressure(stream: Stream, P_out: float, efficiency: float, path: str, model: PhaseModel, word: str) -> tuple:
    """The stream at P_out after one stage with shaft work; returns (stream, work put in [W], negative where gained).

    word: "compression" or "expansion", for the sentence when no end state exists. Raises UnitTrouble.
    """
    if path == "isentropic":
        h, T = _step(stream.state, P_out, efficiency, model, stream.n, word)
        out = stream.at(H=h * stream.total, P=P_out)
        out.begin_at(T)
        return out, out.enthalpy_flow - stream.enthalpy_flow
    coarse, fine = (_polytropic(stream, P_out, efficiency, model, count, word) for count in (STEPS, 2 * STEPS))
    out = stream.at(H=(2.0 * fine - coarse) * stream.total, P=P_out)  # the error is of first order in the step
    return out, out.enthalpy_flow - stream.enthalpy_flow


def _polytropic(stream: Stream, P_out: float, efficiency: float, model: PhaseModel, count: int, word: str) -> float:
    """Molar enthalpy [J/mol] after `count` isentropic steps of equal pressure ratio, each with the efficiency."""
    ratio = (P_out / stream.P) ** (1.0 / count)
    state, P = stream.state, stream.P
    for k in range(count):
        P = P_out if k == count - 1 else P * ratio
        h, T = _step(state, P, efficiency, model, stream.n, word)
        state = model.at_enthalpy(h, P, stream.n, T)
    return state.enthalpy


def _step(state: PhaseState, P: float, efficiency: float, model: PhaseModel, n: np.ndarray, word: str) -> tuple:
    """(molar enthalpy [J/mol] at the end of a step, temperature [K] of its isentropic end)."""
    # what was at its dew point is one gas again at the end; 0.2 is about R/cp of gases with several atoms
    guess = state.temperature * (P / state.pressure) ** 0.2 if state.vapour_fraction == 1.0 else state.temperature
    try:
        ideal = model.at_entropy(state.entropy, P, n, guess)
    except TemperatureNotFound as error:
        raise UnitTrouble(
            Worded(f"The end of the isentropic {word} cannot be found: {{}}.", error),
            "Choose an outlet pressure nearer to the inlet's.",
            "pressure",
        ) from None
    rise = ideal.enthalpy - state.enthalpy
    return state.enthalpy + (rise / efficiency if rise > 0.0 else rise * efficiency), ideal.temperature


def pressure_changed(t: Tangent, out: Stream, efficiency: float, P: np.ndarray) -> Tangent:
    """Changes of the Stream that `change_pressure` made along an isentropic path; P: those of its pressure [Pa], shape (k,)."""
    stream = t.stream
    ideal = Stream.from_state(stream.model, stream.n, stream.model.at_entropy(stream.state.entropy, out.P, stream.n, out.T))
    rise = ideal.enthalpy_flow - stream.enthalpy_flow
    share = 1.0 / efficiency if rise > 0.0 else efficiency
    return t.at(out, H=t.H + share * (Tangent(ideal, t.n, P, S=t.S).H - t.H), P=P)
