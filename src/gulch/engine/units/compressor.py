"""Compressor: raise a vapour's pressure by an isentropic path and an efficiency."""

from gulch.engine.phases.model import TemperatureNotFound
from gulch.engine.units.base import Input, Result, Unit, UnitResult, UnitTrouble


class Compressor(Unit):
    """Real-gas compression: outlet enthalpy = inlet + isentropic rise / efficiency (Smith, Van Ness & Abbott, ch. 7)."""

    kind = "compressor"
    label = "compressor"
    short = "K"
    meaning = "raises the pressure of a vapour; work follows from an isentropic compression and an efficiency"

    pressure = Input(
        "Outlet pressure", "pressure", "pressure of the stream that leaves", low=1.0, high=1e9, default="10 bar"
    )
    efficiency = Input(
        "Isentropic efficiency", "fraction", "ideal work over real work", low=0.05, high=1.0, default="75 %"
    )

    work = Result("Work", "power", "shaft work into the stream", headline=True)
    outlet_temperature = Result("Outlet temperature", "temperature", "temperature of the stream that leaves")

    @classmethod
    def solve(cls, feed, given, context):
        if feed.is_empty:
            return UnitResult(
                {"product": feed.at(T=feed.T, P=given.pressure)}, {"work": 0.0, "outlet_temperature": feed.T}
            )
        if given.pressure < feed.P * (1.0 - 1e-9):
            raise UnitTrouble(
                f"The outlet pressure of {given.pressure / 1e5:.5g} bar lies below the inlet's {feed.P / 1e5:.5g} bar.",
                "Raise the outlet pressure, or leave the compressor out.",
                "pressure",
            )
        notes = []
        if feed.vapour_fraction < 1.0 - 1e-6:
            notes.append(
                (
                    "warning",
                    f"The inlet holds {100 * (1 - feed.vapour_fraction):.3g} % liquid, which a compressor must not take.",
                    "Separate the liquid in a flash drum first, or heat the inlet.",
                )  # fmt: skip
            )
        try:
            ideal = context.model.at_entropy(feed.state.entropy, given.pressure, feed.n, feed.T)
        except TemperatureNotFound as error:
            raise UnitTrouble(
                f"The isentropic outlet cannot be found: {error}.", "Lower the outlet pressure.", "pressure"
            ) from None
        work = (ideal.enthalpy - feed.state.enthalpy) * feed.total / given.efficiency
        product = feed.at(H=feed.enthalpy_flow + work, P=given.pressure)
        product._guess = ideal.temperature
        return UnitResult(
            {"product": product}, {"work": work, "outlet_temperature": context.later(lambda: product.T)}, notes=notes
        )
