"""What a solve returns. SI units throughout; plain numbers, text and lists, ready for JSON."""

from dataclasses import asdict, dataclass, field


@dataclass
class Message:
    """A to-do line. level: error (nothing computed there), warning, or question."""

    level: str
    where: str  # address of what it concerns, "" for the whole project
    what: str
    todo: str = ""
    answers: list = field(default_factory=list)  # for a question: [(label, document text)]


@dataclass
class StreamResult:
    """A solved stream. temperature [K], pressure [Pa], flow [mol/s] by species, enthalpy_flow [W]."""

    temperature: float | None
    pressure: float
    vapour_fraction: float | None
    flow: dict
    total: float
    mass_flow: float
    enthalpy_flow: float
    volume_flow: float
    phases: list = field(default_factory=list)  # {"kind", "share", "fraction": {species: x}}


@dataclass
class UnitOutcome:
    """A unit after a solve; values by result name, balances relative to the throughput."""

    solved: bool
    values: dict = field(default_factory=dict)
    inlet: dict = field(default_factory=dict)  # total amounts in [mol/s] by species
    outlet: dict = field(default_factory=dict)
    changes: list = field(default_factory=list)  # [(label, {species: mol/s})]
    reactions: list = field(default_factory=list)
    balances: dict = field(default_factory=dict)  # mass, energy, elements: {...}


@dataclass
class LoopOutcome:
    """How one recycle loop converged."""

    id: str
    units: list
    tears: list
    settled: bool
    reason: str
    passes: int
    history: list
    gain: float | None
    distance: float | None
    tolerance: float
    mode: dict = field(default_factory=dict)  # share of each species in the slowest change
    builds_up: str | None = None
    advice: str = ""


@dataclass
class Solution:
    """Everything a solve found, solved or not."""

    solved: bool
    species: list
    streams: dict = field(default_factory=dict)
    units: dict = field(default_factory=dict)
    loops: list = field(default_factory=list)
    gauges: dict = field(default_factory=dict)
    overall: dict = field(default_factory=dict)
    messages: list = field(default_factory=list)
    tears: dict = field(default_factory=dict)  # stream id -> {"flow": {}, "molar_enthalpy", "pressure", "guess"}
    seconds: float = 0.0

    def to_dict(self):
        return asdict(self)

    @classmethod
    def from_dict(cls, data):
        """Rebuild what `to_dict` wrote."""
        out = cls(**data)
        out.streams = {k: StreamResult(**v) for k, v in data["streams"].items()}
        out.units = {k: UnitOutcome(**v) for k, v in data["units"].items()}
        out.loops = [LoopOutcome(**v) for v in data["loops"]]
        out.messages = [Message(**v) for v in data["messages"]]
        return out
