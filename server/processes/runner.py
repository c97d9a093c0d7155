"""The runner: asks the core what to do next and does it. The queue's truth is in the database, never here."""

from __future__ import annotations

import logging
import math
import shutil
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from distributed import Future
from distributed.client import FutureCancelledError
from django.conf import settings
from django.db import DatabaseError
from matchedpair.engines import AS_IS, EngineDefinition, describe_machine
from matchedpair.engines.setting import is_number
from matchedpair.errors import InputError
from matchedpair.plans.plan_kind import FRAME
from matchedpair.queue import Ended, Instruction, Looked, QueueRow, QueueState
from matchedpair.scenes import DEPTHS

from server.catalogue.engines import engine_named
from server.catalogue.scenes import SCENE, drawn_as, own_files, texture_files
from server.measuring.disk import purge_removed
from server.processes.cluster import Cluster, Latest
from server.processes.heartbeat import MEASURER, ProcessState, machine_seconds, process_state
from server.processes.turns import last_seen, turn, wish
from server.runs import actions
from server.runs.models import OPEN_STATES, Queue, Run
from server.runs.recording import cut_up_pictures, record_result
from server.store.files import NO_ROOM, path_of, replace_at_once, room_problem, sweep_unfinished
from server.store.notices import MEASURED, PROGRESS, Listener
from server.store.pixels import path_of_live
from server.store.uploads import sweep
from server.studies.models import Purpose, Setup

TELL_SECONDS = 0.1
SLOW_LOOK_SECONDS, AT_REST_SECONDS = 2.0, 15.0  # with renders to come, for machines that come and go; and without
TRY_AGAIN_SECONDS = 2.0
FRAME_STRIDE = 1000  # no study has so many seeds
RECORDING, MOST_ENDS = "runner.recording", 2
MOST_ATTEMPTS = 10
log = logging.getLogger("server.runner")


@dataclass
class Sent:
    """A render that was sent to a machine."""

    key: str
    machine: str
    future: Future
    told: Latest | None = None


class Runner:
    """Carries out the queue until told to stop.

    Parameters
    ----------
    cluster : Cluster
    between : callable, optional
        Done between timed renders in this very process, by scripts that have no measurer beside them.
    """

    def __init__(self, cluster: Cluster, between: Callable[[], object] | None = None) -> None:
        self.cluster = cluster
        self._between = between
        self._turn, self._wish = turn(), wish()
        self._listener = Listener()
        self._looked_at = -math.inf
        self.queue = QueueState()
        self.sent: dict[int, Sent] = {}
        self._waits = False
        self._pause = SLOW_LOOK_SECONDS
        self._here = describe_machine().name
        self._ended = threading.Event()
        self._ended_at = 0.0  # when the last render ended here, by the machine's seconds
        for folder in (work_folder(), path_of_live(0).parent):
            shutil.rmtree(folder, ignore_errors=True)
            folder.mkdir(parents=True)
        _set_aside_what_ended_it()
        sweep()
        sweep_unfinished()
        purge_removed()

    def run_until(self, told_to_stop: Callable[[], bool]) -> None:
        """Work until `told_to_stop` says so; the renders under way are then ended and queued again."""
        while not told_to_stop():
            try:
                resting = time.monotonic() - self._looked_at < self._pause
                self.step(only_collect=resting and not self._waits and not self._between)
            except (DatabaseError, OSError):
                # a full disk or a locked database may mend; what is stored stays true, so the next look goes on from it
                log.exception("could not go on; trying again")
                time.sleep(TRY_AGAIN_SECONDS)
            pause = TELL_SECONDS if self.sent or self._waits else self._pause
            # a render that ends is not kept waiting for the next look
            heard = self._listener.wait(pause, or_until=told_to_stop, woken=self._ended)
            if self._ended.is_set() or any(topic not in (PROGRESS, MEASURED) for topic in heard):
                self._looked_at = -math.inf
            self._ended.clear()
        for run, sent in self.sent.items():
            self.cluster.stop(sent.key)
            actions.requeue(run)

    def step(self, *, only_collect: bool = False) -> None:
        """Take what has ended, tidy up between renders, then do what the core says."""
        for run in list(self.sent):
            self._collect(run)
        if self._between and not self._computes_here():
            self._between()
        if only_collect and self._looked_at > -math.inf:
            return
        self._looked_at = time.monotonic()
        look = self._look()
        self._waits = self._must_wait(look)
        self._pause = SLOW_LOOK_SECONDS if look.rows else AT_REST_SECONDS
        if self._waits:
            look = replace(look, resting=frozenset(look.machines if self.cluster.embedded else {self._here}))
        self.queue, instructions = self.queue.after(look)
        for place, instruction in enumerate(instructions):
            try:
                self._do(instruction)
            except (DatabaseError, OSError):
                self._not_started(instructions[place:])
                raise
        if not self._computes_here():
            self._turn.let_go()

    def _not_started(self, instructions: Sequence[Instruction]) -> None:
        """What the core takes for started and is not, after a passing error: its machine is free again."""
        for each in instructions:
            if each.act == "start" and each.run not in self.sent:
                self.queue, _ = self.queue.after(Ended(each.run))

    def _look(self) -> Looked:
        runs = list(
            Run.objects.filter(state__in=OPEN_STATES).select_related("option__setup__scene")
            .order_by("queued_order", "pk").defer("log", "command", "checks", "machine")
        )  # fmt: skip
        rows = [
            QueueRow(
                run.pk, run.state, run.option.warms(), run.warm_up,
                "" if run.warm_up else f"{run.study_id}:{run.seed}", run.for_machine, run.stop_asked,
            )
            for run in runs
        ]  # fmt: skip
        machines = self.cluster.machines()
        state = Queue.now()
        held = state.paused_at is not None or bool(state.held or room_problem(settings.HOME))
        free = len(self.sent) < len(machines) and any(row.state == "queued" for row in rows)
        warm = frozenset(actions.warmed_lately()) if free and not held else frozenset()
        turns = _turns({run.study_id for run in runs}) if free and len(machines) > 1 else {}
        return Looked(rows, machines, warm, turns, held)

    def _computes_here(self) -> bool:
        """Whether a render is being timed on this very machine, so that nothing else of ours may compute."""
        return any(self.cluster.embedded or sent.machine == self._here for sent in self.sent.values())

    def _must_wait(self, look: Looked) -> bool:
        """Whether renders of this machine have to wait until the measurer has had, or lets go, its turn."""
        if self._computes_here():
            return False
        here = self.cluster.embedded or self._here in look.machines
        if not here or look.held or not any(row.state == "queued" for row in look.rows):
            self._turn.let_go()
            self._wish.let_go()
            return False
        if self._between:
            return False
        self._wish.take()
        measures = process_state(MEASURER) is ProcessState.ALIVE
        return (measures and last_seen() < self._ended_at) or not self._turn.take()

    def _do(self, instruction: Instruction) -> None:
        run = instruction.run
        if instruction.act == "start":
            if not (actions.claim(run, instruction.machine) and self._start(run, instruction.machine)):
                self.queue, _ = self.queue.after(Ended(run))
        elif instruction.act == "interrupt":
            if run in self.sent:
                self.cluster.stop(self.sent[run].key)
        elif instruction.act == "requeue":
            log.info("run %s was interrupted; it is queued again", run)
            lost = self.sent.pop(run, None)
            if lost:
                lost.future.cancel()
            actions.requeue(run)
        elif instruction.act == "warm_up":
            actions.add_warm_up(run, instruction.machine)
        else:
            actions.mark_stopped(run)

    def _start(self, run_id: int, machine: str) -> bool:
        run = Run.objects.select_related("study", "option__setup__scene").get(pk=run_id)
        try:
            definition = engine_named(run.option.engine)
            description = _description(run, definition)
        except (InputError, OSError) as error:
            actions.mark_failed(run_id, f"Could not be started: {error}")
            return False
        log.info("run %s starts: %s %s seed %s", run_id, definition.title, run.option.title, run.seed)
        sent = Sent(description["key"], machine, self.cluster.start(definition, description, machine))
        sent.future.add_done_callback(lambda _: self._ended.set())
        self.sent[run_id] = sent
        return True

    def _collect(self, run_id: int) -> None:
        sent = self.sent[run_id]
        if not sent.future.done():
            latest = self.cluster.latest(sent.key)
            if latest is not None and latest != sent.told:
                self._tell(run_id, sent, latest)
            return
        self._record(run_id, sent)
        del self.sent[run_id]
        self._ended_at = machine_seconds()
        if not self._computes_here():
            self._turn.let_go()
        self._looked_at = -math.inf
        self.cluster.forget(sent.key)
        path_of_live(run_id).unlink(missing_ok=True)
        self.queue, _ = self.queue.after(Ended(run_id))

    def _tell(self, run_id: int, sent: Sent, latest: Latest) -> None:
        if latest.picture is not None and (sent.told is None or latest.level != sent.told.level):
            replace_at_once(path_of_live(run_id), latest.picture)
        sent.told = latest
        actions.note_progress(run_id, latest.progress, latest.level)

    def _record(self, run_id: int, sent: Sent) -> None:
        """Write the outcome down. With a disk that is full the run is put back and the queue held."""
        if not Run.objects.filter(pk=run_id).exists():
            return  # its study was deleted meanwhile
        try:
            result: dict[str, Any] = sent.future.result()
        except FutureCancelledError as error:
            # the scheduler was lost with all that it knew: nobody will tell how this one ended, and it is made again
            log.warning("run %s was lost with its scheduler: %s", run_id, error.reason)
            if Run.objects.filter(pk=run_id, attempt__gte=MOST_ATTEMPTS).exists():
                actions.mark_failed(run_id, f"Lost with its scheduler {MOST_ATTEMPTS} times.")
            else:
                actions.requeue(run_id)
            return
        except Exception as error:
            log.exception("run %s: the worker failed", run_id)
            actions.mark_failed(run_id, f"The worker failed: {error}")
            return
        if result["state"] == "failed" and room_problem(settings.HOME):
            # what an engine says of a disk that is full is no fault of its own
            log.warning("run %s failed on a full disk: %s", run_id, result["reason"])
            _let_go_of_files(result)
            self._put_back_for_room(run_id)
            return
        recording = work_folder().with_name(RECORDING)
        try:
            with recording.open("a", encoding="ascii") as file:  # stays when this process ends over the picture
                file.write(f"{run_id}\n")
            record_result(run_id, result)
            cut_up_pictures(run_id)
        except OSError as error:
            log.exception("run %s: its picture cannot be stored", run_id)
            if error.errno not in NO_ROOM:
                reason = f"The picture could not be stored: {error.strerror or error}."
                actions.mark_failed(run_id, reason, log=result["log"])
                return
            self._put_back_for_room(run_id)
        finally:
            recording.unlink(missing_ok=True)
            _let_go_of_files(result)
        log.info("run %s ended: %s", run_id, result["state"])

    @staticmethod
    def _put_back_for_room(run_id: int) -> None:
        actions.requeue(run_id)
        actions.hold(
            "The disk is full: a picture could not be stored. Its run is back in the queue. "
            "Make room, then let the queue go on."
        )


def _let_go_of_files(result: dict[str, Any]) -> None:
    """What was handed over is in the store by now, or is made again."""
    rows = [result, *result["on_the_way"], *result["frames"]]
    handed = [file for row in rows for file in (row["picture"], *row.get("passes", {}).values())]
    for folder in {each.parent for each in handed if isinstance(each, Path)}:
        shutil.rmtree(folder, ignore_errors=True)


def _set_aside_what_ended_it() -> None:
    """A run over whose result the runner ended twice is not made a third time."""
    recording = work_folder().with_name(RECORDING)
    try:
        ended = [int(line) for line in recording.read_text(encoding="ascii").split()]
    except (OSError, ValueError):
        return
    for run in {each for each in ended if ended.count(each) >= MOST_ENDS}:
        log.warning("run %s: set aside, its result ended the runner %s times", run, ended.count(run))
        actions.mark_failed(run, "Its picture ended the runner twice while it was read, so it is not made again.")
        recording.unlink(missing_ok=True)


def work_folder() -> Path:
    """Where renders are made before they are stored; emptied when a runner starts."""
    return Path(settings.HOME) / "work"


def _turns(studies: set[int]) -> dict[str, str]:
    """On which machine each turn of these studies was begun."""
    rows = Run.objects.filter(study__in=studies, warm_up=False).exclude(machine_name="").order_by("pk")
    return {f"{study}:{seed}": name for study, seed, name in rows.values_list("study_id", "seed", "machine_name")}


def _seed(run: Run) -> int:
    """Another for every frame of a sequence: with the same one its noise would stand still, and no flicker be seen."""
    varied = any(level["subject"] == FRAME for level in run.option.levels)
    return run.seed + FRAME_STRIDE * run.option.setup.frame if varied else run.seed


def time_limit(run: Run) -> float:
    """The study's; twice as many times that as it has samples for what is rendered to be a reference."""
    option, base = run.option, run.option.control or run.study.options.filter(purpose=Purpose.COUNTED).first()
    limit = run.study.time_limit_seconds
    if option.purpose != Purpose.REFERENCE or base is None:
        return limit
    own, others = (each.settings.get(option.quality_knob) for each in (option, base))
    if not is_number(own) or not is_number(others) or min(own, others) <= 0:
        return limit
    times = float(own) / float(others)
    return limit * 2 * max(times, times**-2 if times < 1 else 1.0)


def _textures(setup: Setup) -> dict[str, str | bytes]:
    """Where this machine keeps the scene's textures, or, for workers elsewhere, their contents."""
    files = texture_files(setup.scene, setup.variant)
    if settings.SCHEDULER:
        return {file: path.read_bytes() for file, path in files.items() if path.is_file()}
    return {file: str(path) for file, path in files.items()}


def _description(run: Run, definition: EngineDefinition) -> dict[str, Any]:
    option = run.option
    setup = option.setup
    found = own_files(setup.scene, definition, setup.variant)
    own, handed = (None, {}) if found is None else (
        asdict(found[0]), found[1].handed_over(setup.view, setup.variant)
    )  # fmt: skip
    further, levels = ({}, {}) if run.warm_up else option.brought()
    frames = sorted(frame for frame, each in further.items() if not each.left_out)
    return {
        "key": f"run-{run.pk}-attempt-{run.attempt}",
        "scene": path_of(setup.scene.revision, SCENE).read_bytes(),
        "scene_name": setup.scene.name,
        "own_files": own,
        "of_scene": handed,
        "view": handed.get("view.camera", setup.view),
        "variant": AS_IS if own else drawn_as(setup.scene, setup.variant),
        "textures": _textures(setup),
        "frame": setup.frame,
        "width": setup.width,
        "height": setup.height,
        "crop": tuple(setup.crop) if setup.crop else None,
        "quantities": setup.quantities,
        "depth": DEPTHS[setup.output_format],
        "seed": _seed(run),
        "threads": run.study.threads,
        "build": option.build,
        "settings": option.settings,
        "brightness": option.brightness["factor"] if option.brightness else 1.0,
        "passes": tuple(run.study.passes),
        "on_the_way": tuple(sorted(level for level, each in levels.items() if not each.left_out)),
        "frames": (setup.frame, *frames) if frames else (),
        "time_limit_seconds": time_limit(run) * (1 + len(frames)),
        "work": None if settings.SCHEDULER else str(work_folder()),
        "hand_over": None if settings.SCHEDULER else str(work_folder()),
    }
