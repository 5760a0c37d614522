"""What a solve returns. SI units throughout; plain numbers, text and lists, ready for JSON."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from gulch.engine.declared.told import Code
from gulch.engine.flowsheet.start import Start
from gulch.engine.project.messages import Message
from gulch.engine.project.places import WHOLE, Place

if TYPE_CHECKING:
    from gulch.engine.settle import Reason


@dataclass
class StreamResult:
    """A solved stream. temperature [K], pressure [Pa], flow [mol/s] by species, enthalpy_flow [W].

    vapour_flow, light_flow, heavy_flow [mol/s]: of its layers (`Stream.layers`); None in outcomes of before they were kept.
    ph, in_water ("strength", "molalities" of ions and free molecules [mol/kg]): of its watery liquid under weak electrolytes, else None.
    """

    temperature: float | None
    pressure: float
    vapour_fraction: float | None
    flow: dict
    total: float
    mass_flow: float
    enthalpy_flow: float
    volume_flow: float
    phases: list = field(default_factory=list)  # {"kind", "share", "fraction": {species: x}}
    vapour_flow: float | None = None
    light_flow: float | None = None
    heavy_flow: float | None = None
    ph: float | None = None
    in_water: dict | None = None


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
    waits_for: str | None = None  # the unit, tie or target whose failure keeps this one from being computed
    taken: dict = field(default_factory=dict)  # input or choice left to the context -> what was taken, SI


@dataclass
class LoopState:
    """A steady state of a loop: temperature at the tear [K], dominant eigenvalue of a pass, whether it is stable, whether it is shown.

    gauges: {id: SI value or None}; solved: whether the whole process has a solution there.
    """

    temperature: float
    gain: float | None
    stable: bool
    here: bool
    gauges: dict
    solved: bool = True


@dataclass
class LoopStates:
    """What was found of a loop opened at a tear: its states, coldest first, and what comes back.

    temperature: at which the tear was fed [K]; excess: by how much hotter it came back [K]; ended: whether the search was stopped on its
    way; missing: whether the state that was chosen is not there, or was not reached.
    """

    tear: str
    states: list[LoopState]
    temperature: list
    excess: list
    ended: bool = False
    missing: bool = False


@dataclass
class LoopOutcome:
    """How one recycle loop converged. number: from 1, in the order of calculation."""

    number: int
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
    method: str = "automatic"
    ties: list = field(default_factory=list)  # addresses iterated on
    targets: list = field(default_factory=list)  # ids of targets closed with it
    returns: dict = field(default_factory=dict)  # species -> share that comes back of what passes the fullest place
    left: int | None = None  # direct passes still needed
    no_way_out: list = field(default_factory=list)  # species
    exit: str | None = None  # splitter by which an accumulating species could leave
    drawn: float | None = None  # share drawn there that was tried and settles the loop
    findings: list = field(default_factory=list)  # sentences
    curve: list = field(default_factory=list)  # [drawn share, what goes round over what is fed] of trials
    sizes: list = field(default_factory=list)  # [times what is fed, the least share drawn at which no more goes round], each tried
    rounds: list = field(default_factory=list)  # {"units", "stream", "species", "gain"} of each way material goes round
    first_pass: int = 1  # the pass at which the two records below begin
    residuals: dict = field(default_factory=dict)  # scaled change by species, molar enthalpy, pressure; one number a pass
    coupled: dict = field(default_factory=dict)  # likewise of ties and targets, by words for them
    by_pass: dict = field(default_factory=dict)  # tear -> {species: mol/s, one a pass}
    guess: dict = field(default_factory=dict)  # tear -> {species: mol/s} at the start
    states: LoopStates | None = None  # where there are more than one, or one was chosen

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> LoopOutcome:
        """Rebuild from plain data; older ones hold the number in an `id`."""
        data = dict(data)
        if "id" in data:
            data["number"] = int(data.pop("id").removeprefix("loop-"))
        if data.get("states") is not None:
            data["states"] = LoopStates(**data["states"] | {"states": [LoopState(**s) for s in data["states"]["states"]]})
        return cls(**data)


@dataclass
class TargetOutcome:
    """What became of a target; SI. place: low, high or inside, where the knob stands when it is not met."""

    id: str
    gauge: str
    knob: str
    address: str  # of the input turned
    wanted: float
    reached: float | None
    error: float | None  # reached less wanted
    knob_value: float
    met: bool
    place: str = ""
    sensitivity: float | None = None  # d(gauge)/d(knob) where it is not met, loops closed
    began: float | None = None  # the knob at the start
    history: list = field(default_factory=list)  # change of the knob on its range, one a pass


@dataclass(frozen=True)
class RoomLeft:
    """How far a figure of a unit or stream is from a doubt; see units.told.Room. place: of what it is about."""

    place: Place
    code: Code
    holds: str
    distance: float
    dimension: str


@dataclass
class OpenLoop:
    """A loop left open at a stream: what was guessed and what comes back, mol/s by species."""

    stream: str
    guess: dict
    returned: dict | None
    temperature: tuple = (None, None)  # of guess and return [K]
    pressure: tuple = (None, None)  # [Pa]


@dataclass
class Solution:
    """Everything a solve found, solved or not."""

    solved: bool
    species: list
    streams: dict = field(default_factory=dict)
    units: dict = field(default_factory=dict)
    loops: list = field(default_factory=list)
    targets: list = field(default_factory=list)
    opened: list = field(default_factory=list)  # loops left open
    found: dict = field(default_factory=dict)  # SI values of inputs set by ties and targets, by address
    gauges: dict = field(default_factory=dict)
    overall: dict = field(default_factory=dict)
    messages: list = field(default_factory=list)
    start: Start = field(default_factory=Start)  # for the next solve
    rooms: list = field(default_factory=list)  # RoomLefts, where they were asked for; not kept
    seconds: float = 0.0
    broken_off: str = ""  # why the solve was ended from outside, in words

    @property
    def complete(self) -> bool:
        """Solved, with every target met and no loop left open."""
        return self.solved and all(t.met for t in self.targets) and not self.opened

    def end(self, reason: Reason) -> None:
        """Mark this as broken off for a settle.Reason: what is in it stands nowhere."""
        self.solved, self.broken_off = False, reason.value
        self.messages = [m for m in self.messages if m.level != "error"]
        self.messages.insert(0, Message("error", WHOLE, f"Not solved: {reason.value}.", "Solve it again, or change what makes it hard."))

    def to_dict(self) -> dict[str, Any]:
        """Plain data, sharing what it holds with this Solution."""
        out = dict(vars(self))
        out.pop("rooms")
        for name in ("streams", "units"):
            out[name] = {k: dict(vars(v)) for k, v in out[name].items()}
        for name in ("loops", "targets", "opened"):
            out[name] = [dict(vars(v)) for v in out[name]]
        out["messages"] = [m.to_dict() for m in self.messages]
        out["start"] = out["start"].to_dict()
        return out

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> Solution:
        """Rebuild what `to_dict` wrote."""
        known = dict(data)
        known.pop("tears", None)  # of an older form
        out = cls(**known)
        out.start = Start.from_dict(data.get("start"))
        out.streams = {k: StreamResult(**v) for k, v in data["streams"].items()}
        out.units = {k: UnitOutcome(**v) for k, v in data["units"].items()}
        out.loops = [LoopOutcome.from_dict(v) for v in data["loops"]]
        out.targets = [TargetOutcome(**v) for v in data.get("targets", [])]
        out.opened = [OpenLoop(**v) for v in data.get("opened", [])]
        out.messages = [Message.from_dict(v) for v in data["messages"]]
        return out
