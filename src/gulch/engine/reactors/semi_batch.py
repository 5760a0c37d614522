"""A semi-batch: a batch into which something is dosed over time."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from gulch.engine.declared.base import Port, UnitResult, lowest
from gulch.engine.declared.declarations import Choice, Course, Input, Result
from gulch.engine.declared.told import UnitTrouble
from gulch.engine.handbook import FOGLER, Relation
from gulch.engine.reactors.batch import BatchReactor

if TYPE_CHECKING:
    from gulch.engine.declared.base import Context, Given


class SemiBatchReactor(BatchReactor):
    """Batches into which a second stream is dosed, evenly or along a course."""

    kind = "semi-batch-reactor"
    label = "semi-batch reactor"
    meaning = "batches into which one stream is charged and another dosed over time, by the rate laws of a set"
    computed: tuple[Relation, ...] = (
        Relation(
            "n_i(t) = n_i(charged) + share(t) n_i(dosed) + sum_r nu_ir xi_r(t)", "what is dosed brings its enthalpy", f"{FOGLER}, ch. 6"
        ),
    )
    inlets = (
        Port("charge", "what is in the vessel at the beginning"),
        Port("dosed", "what is dosed over time"),
    )

    dosing = Choice(
        "Dosed", {"evenly": "evenly", "course": "along a typed course"}, "how what is dosed comes in over time", default="evenly"
    )
    dose_from = Input(
        "Dosing from", "time", "after the charge", low=0.0, high=1e8, default="0 min", when=("dosing", "evenly"), counted=False
    )
    dose_for = Input("Dosing for", "time", "how long it is dosed", low=1e-3, high=1e8, default="30 min", when=("dosing", "evenly"))
    doses_typed = Course(
        "Course of dosing",
        "time",
        "fraction",
        "share of the dose that is in over time, up to 100 %",
        "0 min 0 %; 10 min 50 %; 60 min 100 %",
        low=0.0,
        high=1.0,
        when=("dosing", "course"),
    )
    accumulation = Result(
        "Accumulation", "fraction", "rise that failing cooling leaves, at the worst moment, over the adiabatic rise of all that is put in"
    )

    @classmethod
    def solve(cls, feed: Any, given: Given, context: Context) -> UnitResult:
        given.doses = cls.course_of(given)
        return cls.batch(feed["charge"], feed["dosed"], given, context)

    @staticmethod
    def course_of(given: Given) -> np.ndarray:
        """Shares of the dose that are in, over time [s], shape (k, 2). Raises UnitTrouble where they fall or end short."""
        if given.dosing == "evenly":
            return np.array([[given.dose_from, 0.0], [given.dose_from + given.dose_for, 1.0]])
        course = given.doses_typed
        if np.any(np.diff(course[:, 1]) < 0.0) or abs(course[-1, 1] - 1.0) > 1e-9 or course[0, 1] != 0.0:
            raise UnitTrouble(
                "The course of dosing does not rise from 0 % to 100 %.",
                "Begin it at 0 %, end it at 100 %, and let it never fall.",
                "doses_typed",
            )
        return course

    @classmethod
    def pressures(cls, entering: dict[str, list[float]], given: Given, ports: list[str]) -> dict[str, float]:
        return super().pressures({"feed": [lowest(entering["charge"])]}, given, ports)
