"""Material in a pipe: amounts, pressure, and either temperature or enthalpy.

Whatever was not given is computed on first reading, so a pass round a loop pays only for
the flashes whose results somebody reads.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.phases.state import TemperatureNotFound

if TYPE_CHECKING:
    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState


class StreamTrouble(ValueError):
    """A stream whose state cannot be computed; the message is a sentence for the user."""


class Stream:
    """A stream at pressure P [Pa] with amounts n [mol/s], shape (n_species,).

    Made by `Stream.at_temperature` or `Stream.at_enthalpy`; values never change afterwards.
    """

    def __init__(self, model, n, P, *, T=None, H=None, guess=350.0, total=None):
        self.model = model
        self.n = n
        self.P = P
        self._T = T
        self._H = H
        self._guess = guess
        self.total = float(n.sum()) if total is None else total  # mol/s

    @classmethod
    def at_temperature(cls, model: PhaseModel, n: np.ndarray, T: float, P: float) -> Stream:
        """A Stream of amounts n [mol/s], shape (n_species,), at T [K] and P [Pa]."""
        return cls(model, n, P, T=T)

    @classmethod
    def at_enthalpy(cls, model: PhaseModel, n: np.ndarray, H: float, P: float, guess: float = 350.0) -> Stream:
        """H: enthalpy flow on the elements basis [W]."""
        return cls(model, n, P, H=H, guess=guess)

    @classmethod
    def from_state(cls, model: PhaseModel, n: np.ndarray, state: PhaseState) -> Stream:
        """A stream whose flash is already known (same composition as the state's whole)."""
        stream = cls(model, n, state.pressure, T=state.temperature, H=state.enthalpy * float(n.sum()))
        stream.__dict__["state"] = state
        return stream

    def at(self, *, T: float | None = None, P: float | None = None, H: float | None = None) -> Stream:
        """The same material at another temperature, pressure or enthalpy flow."""
        pressure = self.P if P is None else P
        if T is not None:
            return Stream(self.model, self.n, pressure, T=T, total=self.total)
        heat = self.enthalpy_flow if H is None else H
        return Stream(self.model, self.n, pressure, H=heat, guess=self.guess, total=self.total)

    @property
    def is_empty(self) -> bool:
        return self.total <= 0.0

    @property
    def is_flashed(self) -> bool:
        """Whether its temperature stands without a search."""
        return self._T is not None or "state" in self.__dict__

    @property
    def guess(self) -> float:
        """A temperature near this stream's, for solves that start from it."""
        if self._T is not None:
            return self._T
        state = self.__dict__.get("state")
        return self._guess if state is None else state.temperature

    def begin_at(self, T: float) -> None:
        """Begin the search for this stream's temperature at T [K], for example its own in the pass before."""
        if not self.is_flashed:
            self._guess = T

    @cached_property
    def state(self) -> Any:
        """The flashed PhaseState; None for an empty stream. Raises StreamTrouble."""
        if self.is_empty:
            return None
        if self._T is not None:
            return self.model.at_temperature(self._T, self.P, self.n)
        try:
            return self.model.at_enthalpy(self._H / self.total, self.P, self.n, self._guess)
        except TemperatureNotFound as error:
            raise StreamTrouble(f"The energy balance has no solution: {error}.") from None

    def enthalpy_flows(self, T: np.ndarray, P: float) -> np.ndarray:
        """Enthalpy flows [W] of this material at temperatures T [K], shape (m,), and P [Pa]."""
        return self.model.enthalpies(T, P, self.n) * self.total

    @property
    def T(self) -> float:
        if self._T is not None:
            return self._T
        return self._guess if self.is_empty else self.state.temperature

    @property
    def enthalpy_flow(self) -> float:
        """Enthalpy flow on the elements basis [W]."""
        if self._H is not None:
            return self._H
        return 0.0 if self.is_empty else self.state.enthalpy * self.total

    @property
    def volume_flow(self) -> float:
        return 0.0 if self.is_empty else self.state.volume * self.total

    @property
    def mass_flow(self) -> float:
        return float(self.n @ self.model.molar_mass)

    @property
    def vapour_fraction(self) -> Any:
        return None if self.is_empty else self.state.vapour_fraction

    def phase(self, name: str) -> tuple:
        """Amounts [mol/s] and enthalpy flow [W] of all vapour or all liquid in this stream."""
        n = np.zeros_like(self.n)
        H = 0.0
        if self.is_empty:
            return n, H
        s = self.state
        for share, label, z, props in (
            (s.light_share, s.light, s.y, s.light_properties),
            (1.0 - s.light_share, s.heavy, s.x, s.heavy_properties),
        ):
            if label == name and share > 0.0:
                n = n + share * self.total * z
                H += share * self.total * props[0]
        return n, H

    def parted(self) -> dict[str, Any]:
        """Streams of all vapour and all liquid in this one, {"vapour": …, "liquid": …}, at its own state."""
        out = {}
        if self.is_empty:
            return {name: Stream.at_temperature(self.model, self.n.copy(), self.T, self.P) for name in ("vapour", "liquid")}
        state = self.state
        for name in ("vapour", "liquid"):
            n, H = self.phase(name)
            out[name] = Stream(self.model, n, self.P, T=state.temperature, H=H)
            if name == state.light == state.heavy or (state.light != state.heavy):
                out[name].__dict__["state"] = _single(state, name, n)
        return out


def _single(state, name, n):
    """The flashed state of one outlet, known from the whole without another flash."""
    if not n.any():
        return None
    if state.light == state.heavy:
        return state
    properties = state.light_properties if name == "vapour" else state.heavy_properties
    z = state.y if name == "vapour" else state.x
    h, s, v = properties
    return replace(
        state,
        light_share=1.0 if name == "vapour" else 0.0,
        light=name,
        heavy=name,
        x=z,
        y=z,
        enthalpy=h,
        entropy=s,
        volume=v,
        heavy_properties=properties,
        light_properties=properties,
        further_phase=False,
    )
