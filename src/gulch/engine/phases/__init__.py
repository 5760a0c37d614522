"""Phase models and flashes."""

from gulch.engine.phases.model import PhaseModel, PhaseState, phase_model
from gulch.engine.phases.stream import Stream, StreamTrouble

__all__ = ["PhaseModel", "PhaseState", "Stream", "StreamTrouble", "phase_model"]
