"""Projects with their revisions, the outcomes of solves, and scan runs with their points."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from gulch.engine.document import load
from gulch.engine.project.variants import worked
from gulch.engine.work import solution_of, unpack

if TYPE_CHECKING:
    from gulch.engine.document import Project as Document
    from gulch.engine.flowsheet.solution import Solution


class Project(models.Model):
    """A project of one owner. `version` grows with every change, undo included: the optimistic lock."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="projects")
    name = models.CharField(max_length=120)
    version = models.PositiveIntegerField(default=0)
    # The open page that made the newest changes, and the version it began from: its own edits do not conflict.
    client = models.CharField(max_length=40, blank=True, default="")
    client_since = models.PositiveIntegerField(default=0)
    current = models.ForeignKey("Revision", null=True, on_delete=models.SET_NULL, related_name="+")
    good_outcome = models.ForeignKey("Outcome", null=True, on_delete=models.SET_NULL, related_name="+")
    good_revision = models.PositiveIntegerField(null=True)  # whose figures the good outcome holds
    summary = models.JSONField(null=True)  # what its card in the list says, and of which figures (`cards`)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed"]

    def __str__(self) -> str:
        return self.name

    def outcome(self) -> Outcome | None:
        """The Outcome of the current revision, or None while there is none."""
        return self.outcomes.filter(digest=self.current.digest).first() if self.current else None

    @property
    def latest(self) -> dict[str, Any] | None:
        """The current revision's Solution as plain data, or None."""
        found = self.outcome()
        return found.data() if found else None

    @property
    def good(self) -> dict[str, Any] | None:
        """The last Solution that solved as plain data, or None."""
        return self.good_outcome.data() if self.good_outcome else None


class Revision(models.Model):
    """One state of a project's document. Undo goes to `parent`; redo to the newest child."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="children")
    label = models.CharField(max_length=200)
    name = models.CharField(max_length=60, blank=True, default="")  # what the user calls it
    document = models.JSONField()
    digest = models.CharField(max_length=64, default="")  # of the worked document: which Outcome is its own
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="revision_number")]

    def __str__(self) -> str:
        return f"{self.number}: {self.label}"

    @cached_property
    def read(self) -> Document:
        """The document as a Project for reading only: it is read once. Raises DocumentError."""
        return load(self.document)

    @cached_property
    def worked(self) -> Document:
        """The Project as the variant that is worked on, for reading only. Raises DocumentError."""
        return worked(self.read)

    @property
    def worked_data(self) -> dict[str, Any]:
        """What is solved, as plain data. Raises DocumentError."""
        return self.worked.dump() if self.document.get("working") else self.document


class Outcome(models.Model):
    """The answer to a task on a project, by the digest of what it hangs on: compressed, solved or not."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="outcomes")
    digest = models.CharField(max_length=64)
    packed = models.BinaryField()
    solved = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "digest"], name="outcome_digest")]

    def __str__(self) -> str:
        return f"{self.digest[:8]} ({'solved' if self.solved else 'not solved'})"

    def data(self) -> dict:
        return unpack(self.packed)

    def solution(self) -> Solution | None:
        return solution_of(self.packed)


class ScanRun(models.Model):
    """One run of a scan: a job with state, progress and result. Its points are kept one by one while it runs."""

    WAITING, RUNNING, DONE, CANCELLED, FAILED = "waiting", "running", "done", "cancelled", "failed"
    RESTING = (CANCELLED, FAILED)  # nobody works on it, and somebody may

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="scan_runs")
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="+")
    scan = models.CharField(max_length=40)
    variant = models.CharField(max_length=64, blank=True, default="")  # id of the variant that was run, "" for the base
    state = models.CharField(max_length=10, default=WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    why = models.TextField(default="")
    result = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created", "-id"]

    @property
    def active(self) -> bool:
        return self.state in (self.WAITING, self.RUNNING)

    @property
    def resumable(self) -> bool:
        """Whether points are missing that can still be computed."""
        return self.state in self.RESTING and self.done < self.total

    @property
    def ran_out(self) -> bool:
        """Whether it is a search that came to the end of its solves and not of its climb."""
        return self.state == self.DONE and (self.result or {}).get("ended") == "out of solves"


class ScanPoint(models.Model):
    """A finished point of a scan run."""

    run = models.ForeignKey(ScanRun, on_delete=models.CASCADE, related_name="points")
    place = models.PositiveIntegerField()
    data = models.JSONField()

    class Meta:
        ordering = ["place"]
        constraints = [models.UniqueConstraint(fields=["run", "place"], name="scan_point_place")]

    def __str__(self) -> str:
        return f"point {self.place} of run {self.run_id}"


class Report(models.Model):
    """A frozen copy of a notebook: one HTML page that holds all it needs, compressed."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="reports")
    name = models.CharField(max_length=80)
    revision = models.PositiveIntegerField()
    page = models.BinaryField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created", "-id"]

    def __str__(self) -> str:
        return f"{self.name}, revision {self.revision}"


class Token(models.Model):
    """What a program shows in place of a user's password. Only its hash is kept; a revoked one stays listed."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=60)
    digest = models.CharField(max_length=64, unique=True)
    created = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(null=True)
    until = models.DateTimeField(null=True)  # None: it ends only when it is revoked
    reads_only = models.BooleanField(default=False)
    revoked = models.BooleanField(default=False)

    class Meta:
        ordering = ["-created"]

    def __str__(self) -> str:
        return self.name

    @property
    def ended(self) -> bool:
        """Whether its time is over."""
        return self.until is not None and self.until <= timezone.now()
