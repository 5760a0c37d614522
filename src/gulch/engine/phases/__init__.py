"""Phase models and flashes."""

from gulch.engine.phases.guide import DISSOLVED_NEED, LIQUID_PAIRS_NEED, gas_in_liquid, poorly_known, taken_for_solvents, unpaired_acids
from gulch.engine.phases.model import PHASE_MODELS, PhaseModel, phase_model
from gulch.engine.phases.state import PhaseState
from gulch.engine.phases.stream import Stream, StreamTrouble
from gulch.engine.phases.weak import in_water

__all__ = [
    "LIQUID_PAIRS_NEED",
    "PHASE_MODELS",
    "PhaseModel",
    "PhaseState",
    "Stream",
    "StreamTrouble",
    "gas_in_liquid",
    "phase_model",
    "poorly_known",
    "DISSOLVED_NEED",
    "in_water",
    "taken_for_solvents",
    "unpaired_acids",
]
