"""Material in a pipe: amounts, pressure, and either temperature or enthalpy.

Whatever was not given is computed on first reading, so a pass round a loop pays only for
the flashes whose results somebody reads.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.phases.state import StateNotFinite, TemperatureNotFound, assembled
from gulch.engine.phases.weak import in_water
from gulch.engine.quantities import Worded

if TYPE_CHECKING:
    from collections.abc import Iterator

    from gulch.engine.phases.model import PhaseModel
    from gulch.engine.phases.state import PhaseState


class StreamTrouble(Worded):
    """A stream whose state cannot be computed; the message is a sentence for the user."""


class Stream:
    """A stream at pressure P [Pa] with amounts n [mol/s], shape (n_species,).

    Made by `Stream.at_temperature` or `Stream.at_enthalpy`; values never change afterwards.
    """

    def __init__(
        self,
        model: PhaseModel,
        n: np.ndarray,
        P: float,
        *,
        T: float | None = None,
        H: float | None = None,
        guess: float = 350.0,
        total: float | None = None,
    ) -> None:
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
    def is_at_temperature(self) -> bool:
        """Whether it is given by its temperature, not by its enthalpy."""
        return self._T is not None

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
        try:
            if self._T is not None:
                return self.model.at_temperature(self._T, self.P, self.n)
            assert self._H is not None  # a stream is given by its temperature or its enthalpy
            return self.model.at_enthalpy(self._H / self.total, self.P, self.n, self._guess)
        except TemperatureNotFound as error:
            raise StreamTrouble("The energy balance has no solution: {}.", error) from None
        except StateNotFinite as error:
            raise StreamTrouble("Its state cannot be computed: {}.", error) from None

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
    def warmth(self) -> float:
        """Molar enthalpy above that of its species as ideal gases at 25 °C [J/mol]; 0 of nothing."""
        return (self.enthalpy_flow - float(self.model.formed @ self.n)) / self.total if self.total > 0.0 else 0.0

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
        for label, share, z, properties in self.state.phases:
            if label == name:
                n = n + share * self.total * z
                H += share * self.total * properties[0]
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
            out[name].__dict__["state"] = _only(state, name) if n.any() else None
        return out

    def layers(self) -> dict[str, Stream]:
        """Streams of this one's vapour, light liquid and heavy liquid at its own state: {"vapour": …, "light": …, "heavy": …}.

        A liquid that stands alone is the heavy one where water is more than half of it, else the light one.
        """
        nothing = Stream.at_temperature(self.model, np.zeros_like(self.n), self.T, self.P)
        out = dict.fromkeys(("vapour", "light", "heavy"), nothing)
        if self.is_empty:
            return out
        for key, (name, share, z, properties) in self.layered():
            n = share * self.total * z
            stream = Stream(self.model, n, self.P, T=self.state.temperature, H=share * self.total * properties[0])
            moles = [[name, share, share * z, share * np.array(properties)]]
            stream.__dict__["state"] = assembled(self.state.temperature, self.P, moles)
            out[key] = stream
        return out

    def layered(self) -> Iterator:
        """(layer, phase) of each phase of the state."""
        liquids = self.state.liquids
        for phase in self.state.phases:
            name, _, z, _ = phase
            if name == "vapour":
                yield "vapour", phase
            elif len(liquids) > 1:
                yield "light" if z is liquids[0][2] else "heavy", phase
            else:
                yield "heavy" if self.model.water_share(z) > 0.5 else "light", phase

    def layer_flow(self, layer: str) -> float:
        """Molar flow [mol/s] of one of the `layers`, 0 where there is none."""
        return self.layer_flows()[layer]

    def layer_flows(self) -> dict[str, float]:
        """Molar flows [mol/s] of all `layers`."""
        flows = dict.fromkeys(("vapour", "light", "heavy"), 0.0)
        for key, phase in () if self.is_empty else self.layered():
            flows[key] += self.total * phase[1]
        return flows

    @property
    def vapour_flow(self) -> float:
        return self.layer_flow("vapour")

    @property
    def light_flow(self) -> float:
        return self.layer_flow("light")

    @property
    def heavy_flow(self) -> float:
        return self.layer_flow("heavy")

    @property
    def ph(self) -> float | None:
        """pH of the liquid with most water; None where there is none, or the phase model knows no ions."""
        found = in_water(self)
        return found.pH if found else None


def _only(state: PhaseState, name: str) -> PhaseState:
    """The flashed state of all vapour or all liquid of a state, known without another flash."""
    found = [[label, share, share * z, share * np.array(p)] for label, share, z, p in state.phases if label == name]
    return assembled(state.temperature, state.pressure, found)
