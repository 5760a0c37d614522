"""Gibbs reactor: least Gibbs energy over the project's species, no reactions given.

Notation: n [mol/s]: shape (n,).
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from gulch.engine.chemistry.elements import by_elements, describing_reactions, moved
from gulch.engine.chemistry.equations import write_equation
from gulch.engine.chemistry.equilibrium import EquilibriumTrouble
from gulch.engine.declared.base import UnitResult
from gulch.engine.declared.declarations import Input, PerReaction, PerSpecies, ReactionSet, Result
from gulch.engine.declared.pressures import outlet_pressure
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.fluids import R
from gulch.engine.handbook import MICHELSEN_MOLLERUP, SMITH_VAN_NESS, Relation
from gulch.engine.phases import phase_model
from gulch.engine.reactors.equilibrium import EquilibriumReactor
from gulch.engine.reactors.spaces import TOLD_CATALYST, TOLD_VOLUME, Told
from gulch.engine.species.databank import GRAPHITE

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.declared.moved import Moved
    from gulch.engine.phases.stream import Stream
    from gulch.engine.phases.tangent import Tangent

LEAST_ELEMENT = 1e-14  # of what is fed: an element of which there is less is missing


class GibbsReactor(Told):
    """Element potentials in the gas, with graphite and other pure solids beside it where the project has such species.

    A share of a species may bypass the reaction as inert; reactions of a set may be held at extents, which fixes
    the outflow of their key species.
    """

    kind = "gibbs-reactor"
    label = "Gibbs reactor"
    meaning = "brings the gas to its least Gibbs energy over all species of the project, element by element"
    computed: tuple[Relation, ...] = (
        Relation(
            "least G = sum n_i mu_i with sum n_i a_ie = b_e",
            "b_e: moles of each element; pure solids beside the gas, graphite among them, where the project has them",
            f"{SMITH_VAN_NESS}, ch. 13",
        ),
        Relation(
            "mu_i = RT sum_e a_ie lambda_e",
            "lambda_e: element potentials, the unknowns of the search",
            f"{MICHELSEN_MOLLERUP}, ch. 12",
        ),
    )

    set = ReactionSet(
        "Reactions held back", "a set whose reactions may be held at given extents; none is needed", steps=False, optional=True
    )
    approach = Input(
        "Approach temperature",
        "temperature difference",
        "Gibbs energies are taken at the outlet temperature plus this",
        low=-500.0,
        high=500.0,
        default="0 K",
        counted=False,
    )
    held_extent = PerReaction("Held at extent", "fixes the change of the reaction's key species; empty: free", "molar flow", default=None)
    inert = PerSpecies(
        "Inert share",
        "fraction",
        "share of the species fed that takes no part; 100 % also forbids making it",
        low=0.0,
        high=1.0,
        counted=False,
    )
    volume = TOLD_VOLUME
    bulk_density = TOLD_CATALYST

    heat_of_reaction = None  # type: ignore[assignment]  # takes the declaration away
    potential = Result("Element potential", "ratio", "chemical potential of an element over RT", per="element")
    carbon_activity = Result("Carbon activity", "ratio", "fugacity of carbon in the gas over that of graphite; above 1 graphite forms")
    carbon_formed = Result("Graphite formed", "molar flow", "carbon that leaves as graphite")

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        pressure = outlet_pressure(feed, given.pressure_drop, context)
        if feed.is_empty:
            return UnitResult({"product": feed.at(T=feed.T, P=pressure)}, {"duty": 0.0})
        barred = given.inert >= 1.0 - 1e-12
        cls.check_data(barred, context)
        bypass = feed.n * given.inert
        start, barred = cls.hold(feed.n - bypass, barred, given, context)

        seen = {}

        def at(T: float) -> tuple:
            if T not in seen:
                seen[T] = solved(T)
            return seen[T]

        def solved(T: float) -> tuple:
            if T + given.approach < 100.0:
                raise UnitTrouble("The approach puts the Gibbs energies below 100 K.", "Choose one nearer to zero.", "approach")
            try:
                found = by_elements(start, barred, T, pressure, context.model, bypass, given.approach)
            except EquilibriumTrouble as error:
                raise UnitTrouble(str(error), "Check the feed and the inert shares.", "inert") from None
            return found, found.n + bypass

        product = cls.settle_heat(feed, given, context, lambda T: at(T)[1])
        found, n = at(product.T)
        values = cls.account(feed, product, [], given, [], context)
        values.pop("heat_of_reaction")
        values["potential"] = found.potentials
        notes = EquilibriumReactor.remarks(product, None, context) if found.solid <= 0.0 else []
        activity = carbon_activity(found.potentials, product.T + given.approach)
        graphite = next((i for i, s in enumerate(context.model.species) if s.cas == GRAPHITE), None)
        formed = None if graphite is None else found.solids.get(graphite, float(start[graphite]))
        if activity is not None and activity > 1.0 + 1e-9 and not formed:
            notes.append(
                (
                    "warning",
                    f"The carbon activity is {activity:.3g}: above 1 graphite would form, which is not a species of this project.",
                    "Add graphite in Chemistry to let it form, feed more steam or oxygen, or change the temperature.",
                )
            )
        if formed and activity is not None and activity < 1.0 - 1e-6:
            activity = None  # graphite that no gas can take up says nothing of carbon in the gas
        values["carbon_activity"] = activity
        values["carbon_formed"] = formed
        rows = []
        for net in describing_reactions(n - feed.n, n, context.model.species):
            rows.append({"equation": write_equation(net.coefficients, context.names), "extent": net.extent})
        rooms = context.later(lambda: cls.phase_rooms(product, "vapour") if found.solid <= 0.0 else [])
        return UnitResult({"product": product}, values, [("net change", n - feed.n)], notes, rows, rooms)

    @classmethod
    def tangents(cls, at: Moved) -> dict[str, Tangent]:
        return cls.by_formula(at) or at.differenced(cls)

    @classmethod
    def by_formula(cls, at: Moved) -> dict[str, Tangent] | None:
        """Changes of what leaves, of a gas alone; None where solids, held reactions or shares that take no part make it more than that."""
        given, model, product = at.given, at.context.model, at.result.outlets["product"]
        barred = given.inert >= 1.0 - 1e-12
        held = any(v is not None for v in given.held_extent.values())
        if at.inlets[0].is_empty or held or not model.all_volatile or not (barred | (given.inert == 0.0)).all():
            return None
        missing = model.atoms[:, ~barred] @ at.inlets[0].n[~barred] <= LEAST_ELEMENT * at.inlets[0].total
        active = ~barred & ~(model.atoms[missing] > 0.0).any(axis=0)
        found = moved(product.n, active, product.T, product.P, given.approach, model, at.only.n, at.only.P)
        return None if found is None else {"product": cls.reacted(at, *found)}

    @staticmethod
    def check_data(barred: np.ndarray, context: Context) -> None:
        """Raise UnitTrouble where a species that may react has no Gibbs energy; barred: shape (n,). Raises UnitTrouble."""
        for id_, species, out in zip(context.species, context.model.species, barred, strict=True):
            lacking = [w for w, d in (("entropy", species.entropy), ("formation enthalpy", species.formation_enthalpy)) if d is None]
            if lacking and not out:
                raise UnitTrouble(
                    f"{id_} has no {lacking[0]}, so its Gibbs energy is unknown.",
                    "Type it in Chemistry, make the species inert, or use another reactor.",
                    f"inert.{id_}",
                )

    @classmethod
    def hold(cls, n: np.ndarray, barred: np.ndarray, given: Given, context: Context) -> tuple:
        """(amounts, barred) after the held reactions have run: their key species then takes no further part. Raises UnitTrouble."""
        reactions = [r for step in context.sets.get(given.set, ()) for r in step] if given.set else []
        n, barred = n.copy(), barred.copy()
        for r in reactions:
            extent = given.held_extent.get(r.id)
            if extent is None:
                continue
            key = r.key if r.key is not None else int(np.flatnonzero(r.nu < 0.0)[0])
            after = n[key] + extent * r.nu[key]
            if barred[key]:
                raise UnitTrouble(
                    f"{context.species[key]} is held by two reactions, or inert as well.",
                    "Hold it once only.",
                    f"held_extent.{r.id}",
                )
            n = n + extent * r.nu
            if after < -1e-12 * n.sum() or n.min() < -1e-12 * abs(n).sum():
                short = context.species[int(np.argmin(n))]
                raise UnitTrouble(f"The extent of {r.id} uses more {short} than is fed.", "Lower the extent.", f"held_extent.{r.id}")
            n = np.maximum(n, 0.0)
            barred[key] = True
        return n, barred


def carbon_activity(potentials: dict[str, float], T: float) -> float | None:
    """Activity of graphite from the potential of carbon, or None without carbon.

    Graphite: enthalpy 0 and entropy 5.74 J/(mol K) at 298.15 K (CODATA), heat capacity of the JANAF (1998) table.
    """
    if potentials is None or "C" not in potentials:
        return None
    h, s = phase_model("ideal", (GRAPHITE,)).ideal_gas_properties(T)
    return math.exp(min(potentials["C"] - float(h[0] - T * s[0]) / (R * T), 600.0))
