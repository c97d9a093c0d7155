"""Runs: one render each, with all that is known of it."""

from __future__ import annotations

from django.db import models
from matchedpair.measures import RunTimes
from matchedpair.measures.habit import UNKNOWN

from server.runs.habits import habit_of
from server.studies.models import Option, Study


class RunState(models.TextChoices):
    """Where a run stands."""

    QUEUED = "queued", "Queued"
    RUNNING = "running", "Running"
    FINISHED = "finished", "Finished"
    FAILED = "failed", "Failed"
    STOPPED = "stopped", "Stopped"


class Queue(models.Model):
    """Whether the queue goes on: one row."""

    paused_at = models.DateTimeField(null=True)
    held = models.TextField(blank=True, help_text="Why it cannot go on, such as a full disk; empty when it can")

    @classmethod
    def now(cls) -> Queue:
        """The row."""
        return cls.objects.get_or_create(pk=1)[0]


OPEN_STATES = (RunState.QUEUED, RunState.RUNNING)
BAD_STATES = (RunState.FAILED, RunState.STOPPED)
ENDED_STATES = (RunState.FINISHED, *BAD_STATES)
ENDED_WARM_UP = models.Q(warm_up=True, state__in=ENDED_STATES)  # says nothing of its study any more
BAD = models.Q(state__in=BAD_STATES) | ~models.Q(checks=[])  # failed, stopped, or something found on the picture


class Run(models.Model):
    """One render: times in seconds, memory in bytes; None where it is not known."""

    study = models.ForeignKey(Study, on_delete=models.CASCADE, related_name="runs")
    option = models.ForeignKey(Option, on_delete=models.CASCADE, related_name="runs")
    seed = models.PositiveIntegerField()
    seed_known = models.BooleanField(default=True, help_text="Elsewhere nobody may have noted it; it is then a number")
    warm_up = models.BooleanField(default=False)
    time_alone = models.BooleanField(default=False, help_text="Made elsewhere: a time of which there is no picture")
    for_machine = models.CharField(max_length=200, blank=True, help_text="Of a warm-up: made for this machine alone")
    made_by = models.ForeignKey(
        "self",
        null=True,
        on_delete=models.CASCADE,
        related_name="brought",
        help_text="The run that wrote it on the way",
    )
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
    machine_name = models.CharField(max_length=200, blank=True, db_index=True)
    reached = models.FloatField(null=True, help_text="The quality knob at the end, where the engine says so")
    frames_per_second = models.FloatField(null=True, help_text="Of real-time engines")
    pixel_hash = models.CharField(max_length=32, blank=True, db_index=True)
    picture_bytes = models.BigIntegerField(null=True, help_text="Of the picture and its passes in the store")
    let_go_at = models.DateTimeField(null=True, help_text="When its pictures were let go; the figures stay")
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
            models.UniqueConstraint(
                fields=["option", "seed", "warm_up", "for_machine", "time_alone"],
                name="one_run_an_option_seed_and_machine",
            ),
        ]

    def times(self) -> RunTimes | None:
        """What it cost, for comparing; None when it did not finish."""
        if self.state != RunState.FINISHED or not self.wall_seconds:
            return None
        if self.wall_seconds < 0 or (self.cpu_seconds is not None and self.cpu_seconds < 0):
            return None  # an engine's or a farm's own account that cannot be; one odd run must not hide the others
        machine = self.machine_name or "unknown machine"
        elsewhere = self.study.from_elsewhere
        return RunTimes(
            wall_seconds=self.wall_seconds,
            ready_seconds=self.ready_seconds,
            cpu_seconds=self.cpu_seconds,
            cpu_ready_seconds=self.cpu_ready_seconds,
            threads=self.study.threads,
            machine=machine,
            habit=UNKNOWN if elsewhere else habit_of(self.option.engine, machine, self.study.threads),
            at=self.ended_at.timestamp() if self.ended_at and not elsewhere else None,
        )
