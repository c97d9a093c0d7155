"""The runner: asks the core what to do next and does it. The queue's truth is in the database, never here."""

from __future__ import annotations

import logging
import shutil
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from distributed import Future
from django.conf import settings
from django.db import DatabaseError
from django.db.models import Max
from matchedpair.errors import InputError
from matchedpair.trials import DEPTHS, Instruction, QueueRow, next_instructions

from server.bench.cluster import Cluster
from server.bench.heartbeat import beat
from server.catalogue.engines import engine_named
from server.catalogue.scenes import SCENE
from server.catalogue.zones import zones_stamp
from server.findings.measuring import measure_outstanding
from server.imports.inbox import take_in_one
from server.runs import actions
from server.runs.models import OPEN_STATES, Run
from server.store.files import path_of
from server.store.uploads import sweep
from server.studies.models import Option

LOOK_EVERY_SECONDS = 0.2
TRY_AGAIN_SECONDS = 2.0
log = logging.getLogger("server.runner")


@dataclass
class InFlight:
    """The one render under way."""

    run: int
    key: str
    future: Future
    asked_to_stop: bool = False


class Runner:
    """Carries out the queue until told to stop.

    Parameters
    ----------
    cluster : Cluster
    """

    def __init__(self, cluster: Cluster) -> None:
        self.cluster = cluster
        self.in_flight: InFlight | None = None
        self._told: object = None
        self._measured_for: object = None
        shutil.rmtree(work_folder(), ignore_errors=True)
        work_folder().mkdir(parents=True)
        sweep()

    def run_until(self, told_to_stop: Callable[[], bool]) -> None:
        """Work until `told_to_stop` says so; the render under way is then ended and queued again."""
        while not told_to_stop():
            try:
                beat()
                self.step()
            except (DatabaseError, OSError):
                # a full disk or a locked database may mend; what is stored stays true, so the next look goes on from it
                log.exception("could not go on; trying again")
                time.sleep(TRY_AGAIN_SECONDS)
            time.sleep(LOOK_EVERY_SECONDS)
        if self.in_flight:
            self.cluster.stop(self.in_flight.key)
            actions.requeue(self.in_flight.run)

    def step(self) -> None:
        """Take what has ended, tidy up between renders, then do what the core says."""
        self._collect()
        if self.in_flight is None:
            self._rest()
        rows = [
            QueueRow(pk, state, stop_asked)
            for pk, state, stop_asked in Run.objects.filter(state__in=OPEN_STATES)
            .order_by("queued_order", "pk")
            .values_list("pk", "state", "stop_asked")
        ]
        for instruction in next_instructions(rows, self.in_flight.run if self.in_flight else None):
            self._do(instruction)

    def _rest(self) -> None:
        """Between renders, never during one: take in what was handed over, measure what is new or has moved."""
        took_in = take_in_one()
        stamp = (zones_stamp(), Option.objects.aggregate(last=Max("pk")))
        if took_in or stamp != self._measured_for:
            self._measured_for = stamp
            measure_outstanding(Option.objects.all())

    def _do(self, instruction: Instruction) -> None:
        if instruction.act == "start":
            if actions.claim(instruction.run):
                self._start(instruction.run)
        elif instruction.act == "interrupt":
            if self.in_flight and not self.in_flight.asked_to_stop:
                self.in_flight.asked_to_stop = True
                self.cluster.stop(self.in_flight.key)
        elif instruction.act == "requeue":
            log.info("run %s was interrupted; it is queued again", instruction.run)
            actions.requeue(instruction.run)
        else:
            actions.mark_stopped(instruction.run)

    def _start(self, run_id: int) -> None:
        run = Run.objects.select_related("study", "option__setup__scene").get(pk=run_id)
        try:
            definition = engine_named(run.option.engine)
            description = _description(run)
        except (InputError, OSError) as error:
            actions.mark_failed(run_id, f"Could not be started: {error}")
            return
        log.info("run %s starts: %s %s seed %s", run_id, definition.title, run.option.side, run.seed)
        self.in_flight = InFlight(run_id, description["key"], self.cluster.start(definition, description))

    def _collect(self) -> None:
        flying = self.in_flight
        if flying is None:
            return
        if not flying.future.done():
            progress = self.cluster.progress(flying.key)
            if progress is not None and progress != self._told:
                self._told = progress
                actions.note_progress(flying.run, progress)
            return
        self.in_flight = None
        self._record(flying)
        measure_outstanding(Option.objects.filter(runs=flying.run))

    def _record(self, flying: InFlight) -> None:
        try:
            result: dict[str, Any] = flying.future.result()
        except Exception as error:
            log.exception("run %s: the worker failed", flying.run)
            actions.mark_failed(flying.run, f"The worker failed: {error}")
            return
        try:
            actions.record_result(flying.run, result)
        except OSError as error:
            log.exception("run %s: its picture cannot be stored", flying.run)
            reason = f"The picture could not be stored: {error.strerror or error}. Is the disk full?"
            actions.mark_failed(flying.run, reason, log=result["log"])
        log.info("run %s ended: %s", flying.run, result["state"])


def work_folder() -> Path:
    """Where renders are made before they are stored; emptied when a runner starts."""
    return Path(settings.HOME) / "work"


def _description(run: Run) -> dict[str, Any]:
    option = run.option
    setup = option.setup
    return {
        "key": f"run-{run.pk}-attempt-{run.attempt}",
        "scene": path_of(setup.scene.revision, SCENE).read_bytes(),
        "scene_name": setup.scene.name,
        "view": setup.view,
        "variant": setup.variant,
        "frame": setup.frame,
        "width": setup.width,
        "height": setup.height,
        "crop": tuple(setup.crop) if setup.crop else None,
        "quantities": setup.quantities,
        "depth": DEPTHS[setup.output_format],
        "seed": run.seed,
        "threads": run.study.threads,
        "build": option.build,
        "settings": option.settings,
        "brightness": option.brightness["factor"] if option.brightness else 1.0,
        "passes": tuple(run.study.passes),
        "time_limit_seconds": run.study.time_limit_seconds,
        "work": None if settings.SCHEDULER else str(work_folder()),
    }
