"""Tables pasted from spreadsheets: streams, rate constants, measured points, points of a scan. What cannot be read is listed."""

from gulch.engine.pasted.knobs import read_points_of_knobs
from gulch.engine.pasted.measured import paste_measured
from gulch.engine.pasted.rates import paste_rates
from gulch.engine.pasted.streams import paste_feeds, pasted_guess

__all__ = ["paste_feeds", "paste_measured", "paste_rates", "pasted_guess", "read_points_of_knobs"]
