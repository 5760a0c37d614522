"""Projects with their revisions, and scan jobs."""

from django.conf import settings
from django.db import models


class Project(models.Model):
    """A project of one owner. `version` grows with every change, undo included: the optimistic lock."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="projects")
    name = models.CharField(max_length=120)
    version = models.PositiveIntegerField(default=0)
    # The open page that made the newest changes, and the version it began from: its own edits do not conflict.
    client = models.CharField(max_length=40, blank=True, default="")
    client_since = models.PositiveIntegerField(default=0)
    current = models.ForeignKey("Revision", null=True, on_delete=models.SET_NULL, related_name="+")
    latest = models.JSONField(null=True)  # Solution of the current revision
    good = models.JSONField(null=True)  # last Solution that solved
    good_revision = models.PositiveIntegerField(null=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-changed"]

    def __str__(self):
        return self.name


class Revision(models.Model):
    """One state of a project's document. Undo goes to `parent`; redo to the newest child."""

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="children")
    label = models.CharField(max_length=200)
    document = models.JSONField()
    tears = models.JSONField(null=True)  # the converged state of its loops, the next start
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="revision_number")]

    def __str__(self):
        return f"{self.number}: {self.label}"


class ScanRun(models.Model):
    """One run of a scan: a job with state, progress and result."""

    WAITING, RUNNING, DONE, CANCELLED, FAILED = "waiting", "running", "done", "cancelled", "failed"

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="scan_runs")
    revision = models.ForeignKey(Revision, on_delete=models.CASCADE, related_name="+")
    scan = models.CharField(max_length=40)
    state = models.CharField(max_length=10, default=WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    cancel = models.BooleanField(default=False)
    why = models.TextField(default="")
    result = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-created", "-id"]

    @property
    def active(self):
        return self.state in (self.WAITING, self.RUNNING)
