"""Carries out one render as a process of its own, watches it, and accounts for its time and memory."""

from __future__ import annotations

import json
import os
import pty
import selectors
import signal
import subprocess
import sys
import tempfile
import time
import tty
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import psutil

from matchedpair.engines.definition import EngineDefinition
from matchedpair.engines.frames import EVEN_SHARES, FrameMade, frame_shares
from matchedpair.engines.job import Call, RenderJob, call_for, find_program, picture_pattern, version_command
from matchedpair.engines.line_pattern import TooSlowError
from matchedpair.engines.machine import load_now
from matchedpair.engines.output import EngineOutput
from matchedpair.engines.placeholders import with_frame
from matchedpair.errors import EngineMissingError, PictureError
from matchedpair.pictures.layers import write_layers

SUPERVISE = Path(__file__).with_name("supervise.py")
LOOK_EVERY_SECONDS = 0.1
MOST_SAID = 20_000  # of what is printed when asked for the version
VERSION_LIMIT_SECONDS = 60
END_SECONDS = 30
LEAST_RENDERING_SHARE = 0.02  # of the whole, below which "ready" was told only at the end
PLAIN_TERMINAL = {"TERM": "dumb", "NO_COLOR": "1", "COLUMNS": "200"}

State = Literal["finished", "failed", "stopped"]


@dataclass(frozen=True)
class OnTheWay:
    """A picture written on the way: the value of the quality knob, and the seconds that a render to there takes."""

    level: float
    path: Path
    wall_seconds: float
    cpu_seconds: float | None


@dataclass(frozen=True)
class Progress:
    """Where a render is: share done (None when the engine does not say), ready or not, seconds so far.

    `latest` is the newest picture written on the way.
    """

    share: float | None
    ready: bool
    elapsed_seconds: float
    ready_seconds: float | None
    latest: OnTheWay | None = None


@dataclass(frozen=True)
class RenderOutcome:
    """How a render ended and what it cost; times in seconds, None where the engine did not tell.

    What the pictures on the way took, as far as the engine says, is in none of the times. `reached` is the value of the
    quality knob at the end, where a time budget may have ended the render early. Of a sequence, picture and times are
    those of its first frame, and `frames` has the others.
    """

    state: State
    reason: str
    command: tuple[str, ...]
    picture: Path | None
    passes: dict[str, Path]
    log: str
    exit_code: int | None
    wall_seconds: float | None
    ready_seconds: float | None
    cpu_seconds: float | None
    cpu_ready_seconds: float | None
    peak_memory_bytes: int | None
    structures_bytes: int | None
    load_before: float
    reached: float | None
    frames_per_second: float | None
    on_the_way: tuple[OnTheWay, ...]
    frames: tuple[FrameMade, ...] = ()


def render(
    definition: EngineDefinition,
    job: RenderJob,
    folder: Path,
    *,
    on_progress: Callable[[Progress], None] = lambda _: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> RenderOutcome:
    """Call the engine and wait for it. A failing engine is an outcome, not an exception.

    Parameters
    ----------
    folder : Path
        An empty folder for this render alone; the engine runs in it and the picture appears in it.
    should_stop : callable
        Asked ten times a second; True ends the engine and all it started.

    Raises
    ------
    SettingsError, EngineMissingError
        When the render cannot be started at all.
    """
    call = call_for(definition, job, folder)
    if call.settings_file is not None:
        call.settings_file.write_text(call.settings_text, encoding="utf-8")
    call.works_in.mkdir(parents=True, exist_ok=True)
    return _Watch(definition, job, folder, call).carry_out(on_progress, should_stop)


def engine_version(definition: EngineDefinition, build: str = "") -> str:
    """What the engine says its version is; empty when its definition gives no way to ask.

    Raises `EngineMissingError` when the program is missing or does not answer.
    """
    if not definition.version:
        return ""
    program, *words = version_command(definition, definition.build(build))
    command = [find_program(program, definition), *words]
    try:
        with tempfile.TemporaryDirectory(prefix="version-") as folder:
            # watched like a render: what it starts must not go on, nor keep anybody waiting
            watched = [sys.executable, "-I", "-S", str(SUPERVISE), str(Path(folder) / "account.json"), *command]
            asked = subprocess.run(
                watched, capture_output=True, text=True, errors="replace", timeout=VERSION_LIMIT_SECONDS, check=False,
                stdin=subprocess.DEVNULL,
            )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        raise EngineMissingError(f"{definition.title}: asked for its version, it did not answer ({error})") from error
    said = (asked.stdout + asked.stderr).strip()
    if definition.version_pattern is None:
        return said.splitlines()[0][:80] if said else ""
    try:
        match = definition.version_pattern.search(said[:MOST_SAID])
    except TooSlowError:
        return ""
    return match[1] if match else ""


class _Watch:
    """One engine process from start to end."""

    def __init__(self, definition: EngineDefinition, job: RenderJob, folder: Path, call: Call) -> None:
        self.definition, self.job, self.folder, self.call = definition, job, folder, call
        self.output = EngineOutput(definition)
        self.account = folder / "account.json"
        self.ready_at: float | None = None
        self.cpu_ready: float | None = None
        self.waits_since: float | None = None
        self.waited_seconds = 0.0
        self.seen: list[tuple[float, float | None]] = []  # moment and CPU seconds when each picture was there
        self.frames_seen: list[tuple[float, float | None]] = []  # the same of each frame of a sequence
        self.frames_there = 0
        self.began = 0.0

    def carry_out(self, on_progress: Callable[[Progress], None], should_stop: Callable[[], bool]) -> RenderOutcome:
        load = load_now()
        self.began = began = time.monotonic()
        # a program that writes into a pipe keeps its lines back until there are many; into a terminal it writes each
        reading, writing = pty.openpty()
        tty.setraw(writing)
        try:
            process = subprocess.Popen(
                [sys.executable, "-I", "-S", str(SUPERVISE), str(self.account), *self.call.command],
                stdin=subprocess.DEVNULL, stdout=writing, stderr=writing, cwd=self.call.works_in,
                env={**PLAIN_TERMINAL, **os.environ, **self.call.environment},
            )  # fmt: skip
        except OSError:
            os.close(reading)
            raise
        finally:
            os.close(writing)
        ended = ""
        try:
            ended = self._watch(process, reading, began, on_progress, should_stop)
        finally:
            if process.poll() is None:
                self._end(process)
            os.close(reading)
        self.output.close()
        return self._outcome(ended, load)

    def _watch(
        self,
        process: subprocess.Popen[bytes],
        reading: int,
        began: float,
        on_progress: Callable[[Progress], None],
        should_stop: Callable[[], bool],
    ) -> str:
        """Follow the engine until it ends; the reason when it was ended from here."""
        os.set_blocking(reading, False)
        with selectors.DefaultSelector() as selector:
            selector.register(reading, selectors.EVENT_READ)
            open_ = True
            while process.poll() is None:
                if open_ and selector.select(LOOK_EVERY_SECONDS):
                    open_ = self._read(reading)
                elif not open_:  # mostly it has ended by now, and is not kept waiting
                    with suppress(subprocess.TimeoutExpired):
                        process.wait(LOOK_EVERY_SECONDS / 2)
                elapsed = self._tell(began, on_progress)
                if should_stop():
                    return "stopped"
                if elapsed > self.job.time_limit_seconds:
                    return f"ended at its time limit of {self.job.time_limit_seconds:g} s"
            while open_ and selector.select(0) and self._read(reading):
                pass
        self._tell(began, on_progress)  # what it said last, too
        return ""

    def _tell(self, began: float, on_progress: Callable[[Progress], None]) -> float:
        """Say how far it is; returns the seconds so far."""
        elapsed = time.monotonic() - began
        latest = self._on_the_way(began)[-1:]
        on_progress(Progress(self._share(), self.output.ready, elapsed, self._ready_seconds(began), *latest))
        return elapsed

    def _read(self, reading: int) -> bool:
        try:
            piece = os.read(reading, 65536)
        except BlockingIOError:
            return True
        except OSError:  # how a terminal says that nobody writes to it any more
            piece = b""
        self.output.take(piece.decode("utf-8", errors="replace"))
        self._count_waiting(self.output.waits)
        if self.output.ready and self.ready_at is None:
            self.ready_at = time.monotonic()
            self.cpu_ready = self._cpu_so_far()
        for there, moments in ((self.output.written, self.seen), (self.output.frames_done, self.frames_seen)):
            while len(moments) < len(there):
                moments.append((time.monotonic(), self._cpu_so_far()))
        return bool(piece)

    def _count_waiting(self, waits: bool) -> None:
        """What it waits for a licence is no rendering."""
        now = time.monotonic()
        if waits and self.waits_since is None:
            self.waits_since = now
        elif not waits and self.waits_since is not None:
            self.waited_seconds += now - self.waits_since
            self.waits_since = None

    def _share(self) -> float | None:
        """How much is done; what an engine says of one frame is its part of a sequence."""
        if not self.job.frames:
            written = self.output.progress is None and bool(self.output.frames_done)
            return 1.0 if written else self.output.progress
        done = len(self.output.frames_done)
        if self.definition.frame_done is None:  # they come one after the other, so that only the next is looked for
            frames = self.job.frames
            while self.frames_there < len(frames) and self._picture(frames[self.frames_there])[0] is not None:
                self.frames_there += 1
            done = self.frames_there
        return min((done + (self.output.progress or 0.0)) / len(self.job.frames), 1.0)

    def _on_the_way(self, began: float) -> tuple[OnTheWay, ...]:
        """The pictures that are there, each with the time of a render that would have ended at it."""
        rows = []
        for written, (moment, cpu) in zip(self.output.written, self.seen, strict=False):
            path = self.folder / Path(written.file).name
            if path.is_file():
                wall = max(moment - began - written.spent_seconds, 0.0)
                own = None if cpu is None else _less(cpu, written.spent_seconds, moment - began)
                rows.append(OnTheWay(written.level, path, wall, own))
        return tuple(rows)

    def _ready_seconds(self, began: float) -> float | None:
        return None if self.ready_at is None else self.ready_at - began

    def _cpu_so_far(self) -> float | None:
        try:
            engine = psutil.Process(int(self._account()["engine"]))
            family = [engine, *engine.children(recursive=True)]
            return sum(sum(member.cpu_times()[:4]) for member in family)
        except (psutil.Error, KeyError):
            return None

    def _account(self) -> dict[str, float]:
        try:
            row: dict[str, float] = json.loads(self.account.read_text(encoding="utf-8"))
        except (OSError, ValueError):
            return {}
        return row

    def _end(self, process: subprocess.Popen[bytes]) -> None:
        """Have the guard end the engine and everything that it started, and wait for the account to be written."""
        process.terminate()
        try:
            process.wait(timeout=END_SECONDS)
        except subprocess.TimeoutExpired:  # it cannot be: then those that it guards hear of its end
            process.kill()
            process.wait()

    def _outcome(self, ended: str, load: float) -> RenderOutcome:
        account = self._account()
        code = int(account["exit_code"]) if "exit_code" in account else None
        self._count_waiting(False)
        picture, passes, problem = self._pictures(self.job.frame)
        state, reason = self._judged(ended, code, picture, passes, problem)
        began = account.get("began", 0.0)
        spent = self.output.written[-1].spent_seconds if self.output.written else 0.0
        whole = account["ended"] - began - spent - self.waited_seconds if "ended" in account else None
        cpu = None
        if "cpu_seconds" in account and self.definition.host == "here":
            cpu = _less(account["cpu_seconds"], spent, account["ended"] - began)
        reached = self.output.reached
        if reached is None and self.output.frames_done:
            reached = self.output.frames_done[0][1]
        frames: tuple[FrameMade, ...] = ()
        if self.job.frames and state == "finished" and whole is not None:
            frames, lacking = self._frames(whole, cpu)
            if lacking:
                state, reason = (
                    "failed",
                    f"{self.definition.title} ended well but wrote no picture of frame {lacking[0]}.",
                )
            else:
                whole, cpu, reached = frames[0].wall_seconds, frames[0].cpu_seconds, frames[0].reached
        return RenderOutcome(
            state=state,
            reason=reason,
            command=self.call.command,
            picture=picture,
            passes=passes,
            log=self.output.log(),
            exit_code=code,
            wall_seconds=whole,
            ready_seconds=self._believed_ready(began, account.get("ended")),
            cpu_seconds=cpu,
            cpu_ready_seconds=None if self._believed_ready(began, account.get("ended")) is None else self.cpu_ready,
            peak_memory_bytes=int(account["peak_memory_bytes"]) if "peak_memory_bytes" in account else None,
            structures_bytes=self.output.structures_bytes,
            load_before=load,
            reached=reached,
            frames_per_second=self.output.frames_per_second,
            on_the_way=self._on_the_way(began),
            frames=frames[1:],
        )

    def _frames(self, whole: float, cpu: float | None) -> tuple[tuple[FrameMade, ...], list[int]]:
        """Every frame of a sequence with its share of these seconds; none, and which lack, where not all are there."""
        there = {frame: self._pictures(frame)[:2] for frame in self.job.frames}
        pictures = {frame: (picture, passes) for frame, (picture, passes) in there.items() if picture is not None}
        if len(pictures) < len(there):
            return (), [frame for frame in there if frame not in pictures]
        said = {
            frame: (moment - self.began - self.waited_seconds, seconds)
            for (frame, _), (moment, seconds) in zip(self.output.frames_done, self.frames_seen, strict=False)
        }
        files = {frame: self._picture(frame)[0] for frame in pictures}
        written = {frame: file.stat().st_mtime for frame, file in files.items() if file is not None}
        shares = frame_shares(self.job.frames, whole, cpu, said, written)
        if shares.even:
            self.output.note(EVEN_SHARES)
        reached = dict(self.output.frames_done)
        rows = [
            FrameMade(frame, picture, passes, shares.wall[frame], shares.cpu.get(frame), reached.get(frame))
            for frame, (picture, passes) in pictures.items()
        ]
        return tuple(rows), []

    def _believed_ready(self, began: float, ended: float | None) -> float | None:
        """Seconds of getting ready; None where the line came with the last ones, so that it was kept back."""
        if self.ready_at is None:
            return None
        ready = max(self.ready_at - began - self.waited_seconds, 0.0)
        if ended is not None and ended - self.ready_at < LEAST_RENDERING_SHARE * (ended - began):
            return None
        return ready

    def _pictures(self, frame: int) -> tuple[Path | None, dict[str, Path], str]:
        """A frame's picture, the asked passes that are there, and what is wrong with what was found."""
        picture, problem = self._picture(frame)
        asked = [row for row in self.definition.passes if row.name in self.job.passes]
        passes = {row.name: self.folder / with_frame(row.file, frame) for row in asked if not row.layer}
        found = {name: path for name, path in passes.items() if path.is_file()}
        layers = {row.name: row.layer for row in asked if row.layer}
        if self.definition.layer:
            layers[""] = self.definition.layer  # the picture's own
        if picture is not None and layers:
            try:
                apart = self.folder / f"layers-{frame}" if self.job.frames else self.folder
                apart.mkdir(exist_ok=True)
                found |= write_layers(picture, layers, apart)
                picture = found.pop("", picture)
            except PictureError as error:
                problem = f"its picture {error.problem}"
        return picture, found, problem

    def _picture(self, frame: int) -> tuple[Path | None, str]:
        pattern = picture_pattern(self.definition, replace(self.job, frame=frame), self.folder)
        plain = self.folder / pattern
        if plain.is_file():
            return plain, ""
        there = sorted(path for path in self.folder.glob(pattern) if path.is_file() and not path.is_symlink())
        if len(there) > 1:
            names = ", ".join(path.relative_to(self.folder).as_posix() for path in there[:3])
            return None, f"{len(there)} files fit {pattern!r}: {names}; make output.picture say which is the picture"
        return (there[0], "") if there else (None, "")

    def _judged(
        self, ended: str, code: int | None, picture: Path | None, passes: dict[str, Path], problem: str
    ) -> tuple[State, str]:
        title = self.definition.title
        if ended == "stopped":
            return "stopped", "Stopped by hand."
        if ended:
            waits = " while it waited for a licence" if self.output.waits else ""
            return "failed", f"{title} was {ended}{waits}."
        if code is None:
            return "failed", f"{title} was lost: the process that watched it ended."
        if self.output.failure:
            return "failed", f"{title} says that it failed: {self.output.failure}"
        said_so = self.definition.success is not None and self.output.succeeded
        if code != 0 and not said_so:
            said = self.output.last_words()
            how = f"exit code {code}" if code > 0 else f"signal {signal.Signals(-code).name}"
            return "failed", f"{title} failed ({how})" + (f": {said}" if said else ".")
        if self.definition.success is not None and not said_so:
            return "failed", f"{title} ended without saying that it was through (output.success)."
        if problem:
            return "failed", f"{title} ended well, but {problem}."
        lacking = [] if picture else [f"picture ({self.definition.picture} was expected)"]
        lacking += [f"{name} pass" for name in sorted(set(self.job.passes) - set(passes))]
        return ("failed", f"{title} ended well but wrote no {lacking[0]}.") if lacking else ("finished", "")


def _less(cpu: float, spent: float, wall: float) -> float:
    """CPU seconds without what pictures on the way took, of which only the wall seconds are known: they are taken to
    have kept the processor as busy as the rest did, and at most one of them."""
    return max(cpu - spent * min(1.0, cpu / wall if wall > 0 else 1.0), 0.0)
