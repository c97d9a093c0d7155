"""Runs: one render each, with all that is known of it."""

from __future__ import annotations

from django.db import models
from matchedpair.measures import RunTimes

from server.studies.models import Option, Study


class RunState(models.TextChoices):
    """Where a run stands."""

    QUEUED = "queued", "Queued"
    RUNNING = "running", "Running"
    FINISHED = "finished", "Finished"
    FAILED = "failed", "Failed"
    STOPPED = "stopped", "Stopped"


OPEN_STATES = (RunState.QUEUED, RunState.RUNNING)
BAD_STATES = (RunState.FAILED, RunState.STOPPED)
ENDED_STATES = (RunState.FINISHED, *BAD_STATES)


class Run(models.Model):
    """One render: times in seconds, memory in bytes; None where it is not known."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="runs")
    option = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="runs")
    seed = models.PositiveIntegerField()
    seed_known = models.BooleanField(default=True, help_text="Elsewhere nobody may have noted it; it is then a number")
    warm_up = models.BooleanField(default=False)
    position = models.PositiveIntegerField(help_text="Place in the study's plan")
    queued_order = models.FloatField(default=0, db_index=True, help_text="Smallest is made first")

    state = models.CharField(max_length=10, choices=RunState.choices, default=RunState.QUEUED, db_index=True)
    stop_asked = models.BooleanField(default=False)
    reason = models.TextField(blank=True)
    attempt = models.PositiveIntegerField(default=0)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    share_done = models.FloatField(null=True)
    elapsed_seconds = models.FloatField(null=True)

    wall_seconds = models.FloatField(null=True)
    ready_seconds = models.FloatField(null=True)
    cpu_seconds = models.FloatField(null=True)
    cpu_ready_seconds = models.FloatField(null=True)
    peak_memory_bytes = models.BigIntegerField(null=True)
    structures_bytes = models.BigIntegerField(null=True, help_text="The engine's own figure for its structures")
    load_before = models.FloatField(null=True)
    exit_code = models.IntegerField(null=True)
    machine = models.JSONField(null=True)
    engine_version = models.CharField(max_length=80, blank=True)
    command = models.JSONField(default=list)
    log = models.TextField(blank=True)

    picture = models.CharField(max_length=64, blank=True, help_text="Content hash in the store")
    passes = models.JSONField(default=dict, help_text="Content hash by the name of the pass")
    encoding = models.CharField(max_length=8, default="linear", help_text="linear, or display: for looking only")
    checks = models.JSONField(default=list)

    class Meta:
        ordering = ["study", "position"]
        constraints = [
            models.UniqueConstraint(fields=["option", "seed", "warm_up"], name="one_run_an_option_and_seed"),
        ]

    def times(self) -> RunTimes | None:
        """What it cost, for comparing; None when it did not finish."""
        if self.state != RunState.FINISHED or not self.wall_seconds or self.cpu_seconds is None:
            return None
        return RunTimes(
            wall_seconds=self.wall_seconds,
            ready_seconds=self.ready_seconds,
            cpu_seconds=self.cpu_seconds,
            cpu_ready_seconds=self.cpu_ready_seconds,
            threads=self.study.threads,
            machine=str((self.machine or {}).get("name", "unknown machine")),
        )
