"""Decanter: part two liquids, by set shares or by their own equilibrium."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import Port, Unit, UnitResult, no_gas_as_liquid
from gulch.engine.declared.declarations import Choice, Input, PerSpecies, Result
from gulch.engine.declared.equipment import Equipment, drum_of
from gulch.engine.declared.pressures import uphill
from gulch.engine.declared.told import Note
from gulch.engine.handbook import MICHELSEN_MOLLERUP, Relation
from gulch.engine.phases import Stream

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given
    from gulch.engine.document import Project


class Decanter(Unit):
    """Lets two liquids settle; the lighter leaves first."""

    kind = "decanter"
    label = "decanter"
    short = "DEC"
    family = "separators"
    parts_liquids = True
    meaning = "parts two liquids, by a set share of each species or by the liquid–liquid equilibrium of the phase model"
    computed: tuple[Relation, ...] = (
        Relation(
            "x_i gamma_i (liquid 1) = x_i gamma_i (liquid 2)",
            "where it settles by equilibrium: the liquids of lowest Gibbs energy",
            f"{MICHELSEN_MOLLERUP}, ch. 10 and 11",
        ),
        Relation(
            "light_i = share_i · feed_i",
            "where it settles by shares",
        ),
    )
    outlets = (Port("light", "the lighter liquid", draws="top"), Port("heavy", "the heavier liquid", draws="bottom"))

    mode = Choice(
        "Parted by",
        {"shares": "shares of the species", "equilibrium": "liquid–liquid equilibrium"},
        "a set share of each species, or the two liquids that the phase model finds",
        default="shares",
    )
    share = PerSpecies(
        "Share to the light liquid",
        "fraction",
        "share of the species that leaves with the lighter liquid",
        low=0.0,
        high=1.0,
        when=("mode", "shares"),
    )
    temperature = Input(
        "Temperature", "temperature", "temperature of both outlets; empty: the inlet's", low=100.0, high=3000.0, optional=True
    )
    pressure = Input("Pressure", "pressure", "pressure of both outlets; empty: the inlet's", low=1.0, high=1e9, optional=True)

    duty = Result("Duty", "power", "heat into the decanter")
    light_share = Result("Light liquid", "fraction", "moles of the lighter liquid over moles of feed", headline=True)

    @classmethod
    def check(cls, entry: Any, project: Project) -> Iterator:
        if entry.mode == "equilibrium" and project.phase_model.kind == "ideal":
            yield (
                "mode",
                f"{entry.id}: the ideal phase model knows only one liquid.",
                "Choose another phase model in Chemistry, or part by shares.",
            )

    @classmethod
    def equipment(cls, inlets: list[Stream], result: UnitResult, given: Given, context: Context) -> list[Equipment]:
        return drum_of(inlets, list(result.outlets.values()), result.number("duty"))

    @classmethod
    def solve(cls, feed: Stream, given: Given, context: Context) -> UnitResult:
        P = feed.P if given.pressure is None else given.pressure
        whole = feed if given.temperature is None and P == feed.P else feed.at(T=given.temperature or feed.T, P=P)
        notes = []
        if feed.is_empty:
            return UnitResult({"light": whole, "heavy": whole}, {"duty": 0.0, "light_share": None})
        if given.mode == "equilibrium":
            return cls.settled(feed, whole, context)
        if whole.vapour_fraction > 1e-9:
            notes.append(cls.vapour_note(whole))
        n = np.minimum(whole.n * given.share, whole.n)
        outlets = {
            "light": Stream.at_temperature(context.model, n, whole.T, P),
            "heavy": Stream.at_temperature(context.model, whole.n - n, whole.T, P),
        }
        return cls.result(feed, whole, outlets, notes, context)

    @staticmethod
    def vapour_note(whole: Stream) -> Note:
        """What is said where vapour enters."""
        return Note(
            "warning",
            f"{100 * whole.vapour_fraction:.3g} % of it is vapour, which a decanter does not part.",
            "Cool the feed, raise the pressure, or take a three-phase separator.",
        )

    @classmethod
    def settled(cls, feed: Stream, whole: Stream, context: Context) -> UnitResult:
        """Parted by the liquid–liquid equilibrium of the phase model; vapour goes with the lighter liquid."""
        notes = no_gas_as_liquid(whole.state, context)
        if whole.vapour_fraction > 1e-9:
            notes.append(cls.vapour_note(whole))
        layers = whole.layers()
        light, heavy = layers["light"], layers["heavy"]
        if not notes and (light.is_empty or heavy.is_empty):
            side = "heavy" if light.is_empty else "light"
            notes.append(
                Note(
                    "warning",
                    f"The phase model finds only one liquid, which leaves at the {side} outlet.",
                    "Check temperature and phase model, or part by shares.",
                )
            )
        if not layers["vapour"].is_empty:
            light = Stream.at_temperature(context.model, light.n + layers["vapour"].n, whole.T, whole.P)
        return cls.result(feed, whole, {"light": light, "heavy": heavy}, notes, context)

    @staticmethod
    def result(feed: Stream, whole: Stream, outlets: dict, notes: list, context: Context) -> UnitResult:
        """The UnitResult of two outlets."""
        return UnitResult(
            outlets,
            {
                "duty": context.later(lambda: sum(s.enthalpy_flow for s in outlets.values()) - feed.enthalpy_flow),
                "light_share": outlets["light"].total / whole.total,
            },
            notes=[*notes, *uphill(feed, whole.P, context)],
        )
