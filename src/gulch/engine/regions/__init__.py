"""What can be had at all: attainable regions, and the arrangements of reactors that reach them."""

from gulch.engine.regions.arrangement import Arrangement, Step
from gulch.engine.regions.region import Region, RegionTrouble, region

__all__ = ["Arrangement", "Region", "RegionTrouble", "Step", "region"]
