"""Species separator: a share of each species to the first outlet."""

from gulch.engine.phases import Stream
from gulch.engine.units.base import PerSpecies, Port, Result, Unit, UnitResult


class SpeciesSeparator(Unit):
    """Splits a stream species by species; both outlets keep temperature and pressure."""

    kind = "species-separator"
    label = "species separator"
    short = "SEP"
    meaning = "sends a set share of each species to the first outlet and the rest to the second"
    outlets = (Port("first", "the set shares", draws="top"), Port("second", "the rest", draws="bottom"))

    share = PerSpecies("Share to first", "fraction", "share of the species that leaves by the first outlet",
                       low=0.0, high=1.0)  # fmt: skip

    duty = Result("Duty", "power", "heat needed to bring both outlets to the inlet temperature", headline=True)

    @classmethod
    def solve(cls, feed, given, context):
        first = Stream.at_temperature(context.model, feed.n * given.share, feed.T, feed.P)
        second = Stream.at_temperature(context.model, feed.n - first.n, feed.T, feed.P)
        return UnitResult(
            {"first": first, "second": second},
            {"duty": context.later(lambda: first.enthalpy_flow + second.enthalpy_flow - feed.enthalpy_flow)},
        )
