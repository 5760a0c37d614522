"""From where a solve starts: what an earlier one ended with. Plain data go into files and the database."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np


@dataclass
class TearStart:
    """A torn stream: flow [mol/s] by species, molar_enthalpy [J/mol], pressure [Pa], guess of its temperature [K].

    typed: the signature of the user's guess that it once began from, or None.
    """

    flow: dict
    molar_enthalpy: float
    pressure: float
    guess: float
    typed: str | None = None


@dataclass
class Secants:
    """Scaled changes of the unknowns and of their passes' changes, (n, m) each, as lists; unknowns: what the rows are."""

    unknowns: list
    dx: list
    df: list


@dataclass
class Jacobian:
    """Scaled derivatives of a pass by its unknowns, (n, n) as lists; unknowns: what rows and columns are; at: from where, or None."""

    unknowns: list
    rows: list
    at: list | None = None


@dataclass
class Slope:
    """Sensitivities of gauges to knobs, SI, (m, m) as lists; targets: the ids of the rows."""

    targets: list
    rows: list


@dataclass
class Start:
    """Everything that a solve leaves for the next.

    tears: by stream; ties: SI values by the address that is set; knobs: SI values by target; temperatures: of streams [K].
    branches: of tears at which one of several states was looked for and found [K].
    """

    tears: dict = field(default_factory=dict)
    ties: dict = field(default_factory=dict)
    knobs: dict = field(default_factory=dict)
    secants: list = field(default_factory=list)
    slopes: list = field(default_factory=list)
    jacobians: list = field(default_factory=list)
    temperatures: dict = field(default_factory=dict)
    branches: dict = field(default_factory=dict)

    def secants_of(self, unknowns: tuple) -> tuple | None:
        """(dx, df) for these unknowns, or None."""
        found = next((s for s in self.secants if s.unknowns == list(unknowns)), None)
        return (found.dx, found.df) if found else None

    def jacobian_of(self, unknowns: tuple) -> tuple[np.ndarray, np.ndarray | None] | None:
        """(scaled derivatives of the pass with these unknowns, shape (n, n), from where, (n,)), or None."""
        found = next((j for j in self.jacobians if j.unknowns == list(unknowns)), None)
        if found is None or not np.isfinite(found.rows).all():
            return None
        return np.array(found.rows), None if found.at is None else np.array(found.at)

    def slope_of(self, targets: tuple) -> np.ndarray | None:
        """Finite sensitivities, shape (m, m), for these targets, or None."""
        found = next((s for s in self.slopes if s.targets == list(targets)), None)
        m = len(targets)
        fits = found is not None and np.shape(found.rows) == (m, m) and np.isfinite(found.rows).all()
        return np.array(found.rows) if fits else None

    def to_dict(self) -> dict[str, Any]:
        """Plain data, sharing what it holds with this Start."""
        out = dict(vars(self))
        out["tears"] = {k: dict(vars(v)) for k, v in self.tears.items()}
        for name in ("secants", "slopes", "jacobians"):
            out[name] = [dict(vars(v)) for v in out[name]]
        return out

    @classmethod
    def from_dict(cls, data: dict[str, Any] | None) -> Start:
        """Rebuild what `to_dict` wrote; data of an older form give an empty start."""
        if not data or "tears" not in data:
            return cls()
        out = cls(**data)
        out.tears = {k: TearStart(**v) for k, v in data["tears"].items()}
        out.secants = [Secants(**v) for v in data["secants"]]
        out.slopes = [Slope(**v) for v in data["slopes"]]
        out.jacobians = [Jacobian(**v) for v in data.get("jacobians", ())]
        return out
