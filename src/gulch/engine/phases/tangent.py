"""How streams change with what they hang on, in several directions at once.

A Tangent goes with a Stream as the Stream goes with material: units hand it on. What is not given is computed on first reading.

Notation: k directions; n species; changes of amounts [mol/s]: shape (n, k), of pressure [Pa], temperature [K], enthalpy flow [W]: (k,).
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from gulch.engine.fluids import LIQUID, VAPOUR, state_slopes
from gulch.engine.fluids.constants import ENTHALPY, ENTROPY, VAPOUR_SHARE, R
from gulch.engine.phases.stream import Stream

TEMPERATURE = -1  # held, in place of one of the kernels' columns
STEP = 1e-4  # of what is moved, where a state is differenced
EDGE = 1e-7  # vapour fraction, from none or from all, at which a bubble or dew point is looked at
CODES = {"vapour": VAPOUR, "liquid": LIQUID}


class Tangent:
    """Changes of a Stream. Made by `at_temperature` or `at_enthalpy`, as the Stream was; both may be known."""

    def __init__(
        self,
        stream: Stream,
        n: np.ndarray,
        P: np.ndarray,
        T: np.ndarray | None = None,
        H: np.ndarray | None = None,
        S: np.ndarray | None = None,
    ) -> None:
        self.stream, self.n, self.P = stream, n, P
        self._T, self._H, self._S = T, H, S

    @classmethod
    def still(cls, stream: Stream, k: int) -> Tangent:
        """Of a Stream that does not change."""
        return cls(stream, np.zeros((stream.n.size, k)), np.zeros(k), np.zeros(k), np.zeros(k))

    @classmethod
    def saturated(cls, stream: Stream, n: np.ndarray, P: np.ndarray, dew: bool) -> Tangent:
        """Of a Stream that stays at its dew point, or at its bubble point, with T and H known."""
        inside = _just_inside(stream, dew)
        found = None if inside is None else _by_theorem(inside, VAPOUR_SHARE, np.vstack([n, P, np.zeros(P.size)]))
        if found is not None:
            return cls(stream, n, P, T=found[2], H=found[1][:, 0].sum(axis=0))
        T = np.zeros(P.size)
        for c in np.flatnonzero(n.any(axis=0) | (P != 0.0)):
            step = _reach(stream, TEMPERATURE, n[:, c], P[c], 0.0)
            sides = (
                stream.model.saturated(dew, stream.P + s * P[c], np.maximum(stream.n + s * n[:, c], 0.0), stream.T) for s in (step, -step)
            )
            above, below = (state.temperature for state in sides)
            T[c] = (above - below) / (2.0 * step)
        return cls(stream, n, P, T=T)

    @property
    def k(self) -> int:
        return self.P.size

    @property
    def given(self) -> tuple[bool, np.ndarray]:
        """(whether it is the temperature, its changes) of what the Stream is given by beside amounts and pressure."""
        return (self.stream.is_at_temperature, self.T if self.stream.is_at_temperature else self.H)

    def __add__(self, other: Tangent) -> Tangent:
        """Changes that come of two causes, of one Stream."""
        T = self._T + other._T if self._T is not None and other._T is not None else None
        H = self.H + other.H if T is None or (self._H is not None and other._H is not None) else None
        return Tangent(self.stream, self.n + other.n, self.P + other.P, T, H)

    def at(self, stream: Stream, *, P: np.ndarray | None = None, T: np.ndarray | None = None, H: np.ndarray | None = None) -> Tangent:
        """The changes of a Stream made of this one's by `Stream.at`."""
        pressure = self.P if P is None else P
        if T is not None:
            return Tangent(stream, self.n, pressure, T=T)
        return Tangent(stream, self.n, pressure, H=self.H if H is None else H)

    def beside(self, c: int, step: float, stream: Stream | None = None) -> Stream:
        """The Stream a step along direction c; `stream`: as it stands, where that is another than this one's."""
        here = self.stream if stream is None else stream
        n, P = np.maximum(here.n + step * self.n[:, c], 0.0), here.P + step * float(self.P[c])
        by_T, held = self.given
        if by_T:
            return Stream.at_temperature(here.model, n, here.T + step * float(held[c]), P)
        return Stream.at_enthalpy(here.model, n, here.enthalpy_flow + step * float(held[c]), P, here.guess)

    @property
    def is_still(self) -> bool:
        """Whether nothing that was given changes."""
        return not (self.n.any() or self.P.any() or self._held[1].any())

    @property
    def _held(self) -> tuple[int, np.ndarray]:
        """(what is given beside amounts and pressure, its changes)."""
        for hold, changes in ((TEMPERATURE, self._T), (ENTHALPY, self._H), (ENTROPY, self._S)):
            if changes is not None:
                return hold, changes
        raise ValueError("a tangent is given by temperature, enthalpy or entropy")

    @cached_property
    def _state(self) -> tuple:
        """Changes of the phases, light first: of amounts, (m, n, k); of flows of enthalpy, entropy and volume, (m, 3, k); of T, (k,)."""
        stream = self.stream
        hold, held = self._held
        if self.is_still:
            m = len(stream.state.phases)
            return np.zeros((m, *self.n.shape)), np.zeros((m, 3, self.k)), np.zeros(self.k)
        found = _by_theorem(stream, hold, np.vstack([self.n, self.P, held]))
        return _differenced(stream, hold, self.n, self.P, held) if found is None else found

    @property
    def T(self) -> np.ndarray:
        if self._T is not None:
            return self._T
        return np.zeros(self.k) if self.stream.is_empty else self._state[2]

    @property
    def H(self) -> np.ndarray:
        if self._H is not None:
            return self._H
        return np.zeros(self.k) if self.stream.is_empty else self._state[1][:, 0].sum(axis=0)

    @property
    def S(self) -> np.ndarray:
        """Of the entropy flow [W/K]."""
        return np.zeros(self.k) if self.stream.is_empty else self._state[1][:, 1].sum(axis=0)

    @property
    def V(self) -> np.ndarray:
        """Of the volume flow [m3/s]."""
        return np.zeros(self.k) if self.stream.is_empty else self._state[1][:, 2].sum(axis=0)

    def parted(self, parts: dict[str, Stream]) -> dict[str, Tangent]:
        """Changes of the Streams that `Stream.parted` made of this one's; nothing comes of a phase that is not there."""
        out = {name: Tangent.still(s, self.k) for name, s in parts.items()}
        if self.stream.is_empty:
            return {name: Tangent(s, 0.0 * self.n, self.P, T=self.T) for name, s in parts.items()}
        n, flows, T = self._state
        labels = [p[0] for p in self.stream.state.phases]
        for name, s in parts.items():
            mine = [a for a, label in enumerate(labels) if label == name]
            out[name] = Tangent(s, n[mine].sum(axis=0), self.P, T=T, H=flows[mine, 0].sum(axis=0))
        return out

    def layers(self, parts: dict[str, Stream]) -> dict[str, Tangent]:
        """Changes of the Streams that `Stream.layers` made of this one's."""
        if self.stream.is_empty:
            return {name: Tangent(s, 0.0 * self.n, self.P, T=self.T) for name, s in parts.items()}
        n, flows, T = self._state
        out = {name: Tangent(s, 0.0 * self.n, self.P, T=T) for name, s in parts.items()}
        for a, (layer, _) in enumerate(self.stream.layered()):
            out[layer] = Tangent(parts[layer], n[a], self.P, T=T, H=flows[a, 0])
        return out


def _just_inside(stream: Stream, dew: bool) -> Stream | None:
    """A Stream of the same material next to its dew or bubble point, of both phases; None where none is found."""
    model, state = stream.model, stream.state
    if len(state.phases) < 2:
        try:
            state = model.at_vapour_fraction(1.0 - EDGE if dew else EDGE, stream.P, stream.n, stream.T)
        except ValueError:
            return None
    return Stream.from_state(model, stream.n, state) if len(state.phases) > 1 else None


def _by_theorem(stream: Stream, hold: int, moved: np.ndarray) -> tuple | None:
    """Changes of a Stream's phases by the kernel; None where its state is none of equal fugacities in every species."""
    model, state = stream.model, stream.state
    phases = state.phases
    if not model.all_volatile or state.further_phase or (len(phases) > 1 and np.count_nonzero(stream.n) < len(phases)):
        return None
    amounts = np.array([share * stream.total * z for _, share, z, _ in phases])
    names = np.array([CODES[p[0]] for p in phases])
    there, changes = state_slopes(state.temperature, state.pressure, amounts, names, hold, np.ascontiguousarray(moved), *model.mix)
    if not there or not np.isfinite(changes).all():
        return None
    m, n = amounts.shape
    split = changes[:-1].reshape(m, n + 3, -1)
    return split[:, :n], split[:, n:], changes[-1]


def _differenced(stream: Stream, hold: int, n: np.ndarray, P: np.ndarray, held: np.ndarray) -> tuple:
    """Changes of a Stream's phases from states beside it, both sides where amounts allow."""
    labels = [p[0] for p in stream.state.phases]
    k, size = P.size, n.shape[0]
    out_n, out_flows, out_T = np.zeros((len(labels), size, k)), np.zeros((len(labels), 3, k)), np.zeros(k)
    for c in range(k):
        scale = _reach(stream, hold, n[:, c], P[c], held[c])
        if scale == 0.0:
            continue
        sides = [(s, _beside(stream, hold, s * scale, n[:, c], P[c], held[c])) for s in (1.0, -1.0)]
        there = [(s * scale, at) for s, at in sides if at is not None and [p[0] for p in at.state.phases] == labels]
        if len(there) < 2:
            there.append((0.0, stream))
        (a, one), (b, other) = there[0], there[1] if len(there) > 1 else there[0]
        if a == b:
            continue
        for j in range(len(labels)):
            out_n[j, :, c], out_flows[j, :, c] = ((u - v) / (a - b) for u, v in zip(_phase(one, j), _phase(other, j), strict=True))
        out_T[c] = (one.T - other.T) / (a - b)
    return out_n, out_flows, out_T


def _phase(stream: Stream, j: int) -> tuple:
    """(amounts, flows of enthalpy, entropy and volume) of a phase."""
    _, share, z, properties = stream.state.phases[j]
    return share * stream.total * z, share * stream.total * np.array(properties)


def _reach(stream: Stream, hold: int, n: np.ndarray, P: float, held: float) -> float:
    """The step that moves nothing by more than STEP of its size."""
    size = {TEMPERATURE: stream.T, ENTHALPY: stream.total * R * stream.T, ENTROPY: stream.total * R}[hold]
    share = max(float(np.abs(n).max()) / stream.total, abs(P) / stream.P, abs(held) / size)
    return STEP / share if share > 0.0 else 0.0


def _beside(stream: Stream, hold: int, step: float, n: np.ndarray, P: float, held: float) -> Stream | None:
    """The Stream a step away; None where amounts would be negative or it has no state."""
    amounts = stream.n + step * n
    if (amounts < 0.0).any():
        return None
    model, pressure = stream.model, stream.P + step * P
    try:
        if hold == ENTROPY:
            flow = stream.state.entropy * stream.total + step * held
            return Stream.from_state(model, amounts, model.at_entropy(flow / float(amounts.sum()), pressure, amounts, stream.T))
        if hold == TEMPERATURE:
            moved = Stream.at_temperature(model, amounts, stream.T + step * held, pressure)
        else:
            moved = Stream.at_enthalpy(model, amounts, stream.enthalpy_flow + step * held, pressure, stream.T)
        return moved if moved.state is not None else None
    except ValueError:
        return None
