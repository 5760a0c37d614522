"""What the workspace shows: everything a page needs, prepared as plain text and numbers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from gulch.engine.explain.checks import check
from gulch.engine.project.couplings import readings
from gulch.engine.project.inputs import addresses
from gulch.engine.project.messages import Message
from gulch.engine.project.places import at_variant
from gulch.engine.project.variants import misfits
from gulch.engine.quantities import QuantityError, parse
from gulch.engine.work import Ending
from gulch.web.projects import solving
from gulch.web.projects.regions.accounts import Accounts
from gulch.web.projects.regions.drawing import Drawing
from gulch.web.projects.regions.fields import Fields
from gulch.web.projects.regions.header import Header
from gulch.web.projects.regions.inspector import Inspector
from gulch.web.projects.regions.strip import Strip
from gulch.web.projects.regions.table import Table

if TYPE_CHECKING:
    from gulch.engine.document.pages import VariantEntry
    from gulch.engine.flowsheet.solution import Solution
    from gulch.web.projects.models import Project, Revision


def stands_in_part(solution: Solution) -> bool:
    """Whether an unsolved process has figures that stand: its loops settled, some units computed, none of it a first guess."""
    return bool(solution.streams) and all(lo.settled for lo in solution.loops) and any(u.solved for u in solution.units.values())


@dataclass(frozen=True)
class Refused:
    """An edit that met a newer state of the project, and what sends it again."""

    newest: Revision
    action: str
    form: list[tuple[str, str]]
    typed: str


@dataclass(frozen=True)
class Notice:
    """What is said at the head of a page after an act; typed: what was refused."""

    level: str
    text: str
    typed: str = ""


class Workspace:
    """A project as a page shows it. `solution` may be that of a slider being moved (trial)."""

    def __init__(
        self,
        row: Project,
        stage: str,
        select: str = "",
        notice: Notice | None = None,
        conflict: Refused | None = None,
        trial: Any = None,
        trial_values: Any = None,
        job: Any = None,
    ) -> None:
        self.row, self.stage, self.select = row, stage, select or ""
        self.notice, self.conflict, self.job = notice, conflict, job
        self.shade = ""  # id of the species whose share shades the map
        self.whole, self.document = row.current.read, row.current.worked
        self.display = self.document.display
        self.trial_values = trial_values or {}
        found = None if trial else row.outcome()
        self.latest = trial or (found.solution() if found else None)
        self.partial = self.latest is not None and not self.latest.solved and stands_in_part(self.latest)
        if self.latest is not None and (self.latest.solved or self.partial or row.good_outcome is None):
            self.solution, self.fresh = self.latest, self.latest.solved
        else:
            self.solution, self.fresh = row.good_outcome.solution() if row.good_outcome else None, False
        self.messages = list(self.latest.messages) if self.latest else check(self.document)
        if self.latest is not None and self.latest.broken_off:
            self.messages += [m for m in check(self.document) if m not in self.messages]
        if self.variant is not None:
            self.messages[:0] = [
                Message(
                    "error",
                    at_variant(self.variant.id),
                    line,
                    "Take the edit back in Variants, or bring its place back.",
                )
                for line in misfits(self.whole, self.variant)
            ]
        self.inputs = addresses(self.document)
        self.outputs = readings(self.document)
        self.errors = {}
        for m in self.messages:
            self.errors.setdefault(m.where, m)
        self.header = Header(self)
        self.strip = Strip(self)
        self.fields = Fields(self)
        self.drawing = Drawing(self)
        self.table = Table(self)
        self.inspector = Inspector(self)
        self.accounts = Accounts(self)

    def stands(self, address: str) -> float | None:
        """Where an input stands [SI]; None where it has no value that can be read."""
        found = self.inputs.get(address)
        try:
            return parse(found.text, found.dimension) if found is not None and found.text else None
        except QuantityError:
            return None

    @property
    def version(self) -> int:
        return self.row.version

    @property
    def progress(self) -> Any:
        """How far the solve under way is, or None."""
        return solving.progress_of(self.job) if self.job is not None else None

    @property
    def compiling(self) -> Any:
        """How far the making of machine code is, while solves are slow for want of it."""
        return solving.compiling()

    @property
    def stopped(self) -> Any:
        """Whether the user stopped the solve."""
        return self.latest is not None and self.latest.broken_off == Ending.STOPPED.value

    @property
    def stale(self) -> str:
        """Words for figures that belong to an earlier revision, or ''."""
        if self.fresh or self.row.good_outcome is None or self.solution is None or self.partial:
            return ""
        if self.latest is not None and self.latest.solved:
            return ""
        figures = f"the figures are those of revision {self.row.good_revision}"
        if self.job is not None or self.latest is None:
            return f"Until it is solved {figures}."
        if self.latest.broken_off:
            return f"{self.latest.messages[0].what} Meanwhile {figures}."
        return f"The process does not solve as it stands: {figures}."

    @property
    def variant(self) -> VariantEntry | None:
        """The variant that is worked on, or None."""
        return self.whole.variant(self.whole.working) if self.whole.working else None
