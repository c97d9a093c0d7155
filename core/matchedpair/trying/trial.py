"""Calls an engine some ten times at a tiny size and finds out whether its definition holds what it promises."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import psutil

from matchedpair.engines import AS_IS, EngineDefinition, OwnFiles, RenderJob, engine_version, lay_out, placed, render
from matchedpair.engines.frames import EVEN_SHARES
from matchedpair.engines.process import RenderOutcome
from matchedpair.engines.setting import Setting, Value
from matchedpair.errors import MatchedPairError
from matchedpair.measures import check_file
from matchedpair.pictures.picture import Floats
from matchedpair.scenes import Scene
from matchedpair.trying.promises import Promise, State

SIZE = (64, 48)
LIMIT_SECONDS = 120.0
STEPS = 4.0  # how much further the quality knob is turned
LESS = 0.9  # of the noise that a turned knob must leave at most
SAME_PLACE = 3.0  # how far a crop may be from the whole, in their noise
END_AFTER_SECONDS = 0.7
LONG = 64.0  # how much work a render is given that is to be ended


@dataclass
class Trial:
    """One definition on trial with a view of a scene.

    Parameters
    ----------
    on_promise : callable
        Told each promise as soon as it is known.
    should_stop : callable
        Asked between renders and during them.
    """

    definition: EngineDefinition
    scene: Scene
    view: str
    build: str = ""
    variant: str = AS_IS
    on_promise: Callable[[Promise], None] = lambda _: None
    should_stop: Callable[[], bool] = lambda: False
    _folder: Path = field(default_factory=Path)
    _count: int = 0

    def problem(self) -> str:
        """Why it cannot begin; empty when it can."""
        return self.scene.view_problem(self.view) or self.scene.problem_for(self.definition.name, self.variant)

    def carry_out(self) -> list[Promise]:
        """All promises, in the order they were tried; ends early when the engine does not even start."""
        self._folder = Path(tempfile.mkdtemp(prefix="trying-"))
        found = []
        try:
            for promise in self._tried():
                found.append(promise)
                self.on_promise(promise)
        finally:
            shutil.rmtree(self._folder, ignore_errors=True)
        return found

    def _tried(self) -> Iterator[Promise]:
        try:
            first = self._render(1)
        except MatchedPairError as error:
            yield Promise("starts", "It starts", "broken", str(error), "Nothing can be rendered with it.")
            return
        yield self._starts(first)
        if first.picture is None or self.should_stop():
            return
        picture, checks = check_file(first.picture, SIZE)
        stops = [check.message for check in checks if check.severity == "stop"]
        yield Promise(
            "picture", "Its picture is of the asked size, in linear light", "broken" if stops else "holds",
            stops[0] if stops else f"{SIZE[0]} × {SIZE[1]} pixels, linear",
            "A picture with this fault is measured nowhere." if stops else "",
            "" if not stops else "Have it write an EXR of exactly {width} × {height} without a view transform.",
        )  # fmt: skip
        yield self._version()
        yield from self._lines(first)
        if picture is None or stops:
            return
        yield from self._seeds(picture.pixels)
        yield from self._passes()
        yield self._ends()

    def _starts(self, first: RenderOutcome) -> Promise:
        if first.state == "finished":
            seconds = "" if first.wall_seconds is None else f" in {first.wall_seconds:.2g} s"
            return Promise("starts", "It starts and writes its picture", "holds", f"it did{seconds}")
        last = next((line for line in reversed(first.log.splitlines()) if line.strip()), "")
        return Promise(
            "starts", "It starts and writes its picture", "broken", first.reason, "Nothing can be rendered with it.",
            f"Its command was: {' '.join(first.command)}" + (f"\nIts last words were: {last}" if last else ""),
        )  # fmt: skip

    def _version(self) -> Promise:
        title = "It says its version"
        try:
            said = engine_version(self.definition, self.build)
        except MatchedPairError as error:
            return Promise("version", title, "broken", str(error), *_NO_VERSION)
        if said:
            return Promise("version", title, "holds", said)
        asked = bool(self.definition.version)
        what = "the pattern found none in what it printed" if asked else "the definition gives no way to ask"
        return Promise("version", title, "broken" if asked else "not known", what, *_NO_VERSION)

    def _lines(self, first: RenderOutcome) -> Iterator[Promise]:
        """Whether the lines that the definition looks for come, and come in time."""
        definition = self.definition
        if definition.ready is None:
            yield Promise("ready", "It says when it is ready", "not known", "the definition looks for no line",
                          *_NO_READY)  # fmt: skip
        elif first.ready_seconds is not None:
            yield Promise("ready", "It says when it is ready", "holds", f"after {first.ready_seconds:.2g} s")
        else:
            came = any(_found(definition.ready, line) for line in first.log.splitlines())
            if came:
                what = "the line came only at the end: the program keeps its lines back, or is quick at this size"
                yield Promise("ready", "It says when it is ready", "not known", what, *_HELD_BACK)
            else:
                what = f"no line fits {definition.ready.text}"
                yield Promise("ready", "It says when it is ready", "broken", what, *_NO_READY)
        how = definition.progress or definition.percent
        if how is None:
            yield Promise("progress", "It says how far it is", "not known", "the definition looks for no line",
                          *_NO_PROGRESS)  # fmt: skip
        else:
            came = any(_found(how, line) for line in first.log.splitlines())
            said = "its lines come" if came else f"no line fits {how.text}"
            yield Promise("progress", "It says how far it is", "holds" if came else "broken", said,
                          *(("", "") if came else _NO_PROGRESS))  # fmt: skip

    def _seeds(self, first: Floats) -> Iterator[Promise]:
        again, other = self._pixels(1), self._pixels(2)
        if again is None or other is None:
            yield Promise("seeds", "Another seed gives another picture", "not known", "a render failed")
            return
        same = bool((first == again).all())
        yield Promise(
            "repeats", "The same seed gives the same picture", "holds" if same else "broken",
            "to the last bit" if same else "the two differ",
            "" if same else "A render cannot be repeated to the pixel; noise is measured all the same.",
            "" if same else "Look for what it draws from the clock or from its threads.",
        )  # fmt: skip
        twins = not bool((first == other).all())
        word = {"seed": "seed", "frame": "frame", "none": "seed"}[self.definition.twins]
        yield Promise(
            "seeds", f"Another {word} gives another picture", "holds" if twins else "broken",
            "it does" if twins else "both are alike to the last bit",
            "" if twins else "Without twins no noise can be measured.",
            "" if twins else "Pass {seed} to what its dice begin with; where it has no such thing:\n"
            'twins = "frame"  # or "none"',
        )  # fmt: skip
        if not twins:
            return
        noise = _spread(first, other)
        yield from self._knob(noise)
        yield from self._crop(first, noise)
        yield from self._sequence(noise)

    def _knob(self, noise: float) -> Iterator[Promise]:
        knob = self.definition.quality_knob
        title = "Its quality knob buys less noise"
        if knob is None:
            yield Promise("quality", title, "not known", "the definition marks none",
                          "No ladders, curves or search for the same noise.", "quality_knob = true")  # fmt: skip
            return
        turned = self._turned(knob, STEPS)
        pictures = [] if turned is None else [self._pixels(seed, {knob.name: turned}) for seed in (1, 2)]
        known = [each for each in pictures if each is not None]
        if len(known) < 2:
            yield Promise("quality", title, "not known", f"{knob.name} at {turned} gave no picture")
            return
        ratio = _spread(*known) / noise if noise > 0.0 else 1.0
        state: State = "holds" if ratio <= LESS else "broken"
        yield Promise(
            "quality", title, state, f"{knob.name} {self._low(knob)} to {turned}: {ratio:.2g} of the noise",
            "" if state == "holds" else "Curves and the search for the same noise would mislead.",
            "" if state == "holds" else 'better = "lower"  # in its [[setting]], where less of it means less noise',
        )  # fmt: skip

    def _crop(self, first: Floats, noise: float) -> Iterator[Promise]:
        if self.definition.cannot("crop"):
            return
        x, y, width, height = 28, 4, 32, 20  # far from where it would lie with x and y changed over
        part = self._pixels(1, crop=(x, y, width, height))
        title = "A crop is that part of the whole"
        if part is None or part.shape[:2] != (height, width):
            size = "no picture" if part is None else f"{part.shape[1]} × {part.shape[0]} pixels"
            yield Promise("crop", title, "broken", f"{width} × {height} was asked, {size} came", *_NO_CROP)
            return
        whole = first[y : y + height, x : x + width]
        spread = _spread(whole, part) / noise if noise > 0.0 else float((whole != part).any())
        state: State = "holds" if spread <= SAME_PLACE else "broken"
        yield Promise("crop", title, state, "alike but for noise" if state == "holds" else "it shows something else",
                      *(("", "") if state == "holds" else _NO_CROP))  # fmt: skip

    def _sequence(self, noise: float) -> Iterator[Promise]:
        if not self.definition.renders_sequences or self.scene.last_frame <= self.scene.first_frame:
            return
        title = "Two frames by one process are those two frames"
        second = self.scene.first_frame + 1
        outcome = self._render(1, frames=(self.scene.first_frame, second))
        if outcome.state != "finished":
            yield Promise("sequence", title, "broken", outcome.reason, *_NO_SEQUENCE)
            return
        made, alone = check_file(outcome.frames[0].path)[0], self._pixels(1, frame=second)
        apart = None if made is None or alone is None else _spread(made.pixels, alone)
        if apart is None or apart > SAME_PLACE * noise:
            what = "the second could not be compared" if apart is None else "the second is not what it is alone"
            yield Promise("sequence", title, "broken", what, *_NO_SEQUENCE)
        elif EVEN_SHARES in outcome.log:
            yield Promise("sequence", title, "not known", "nothing tells how long each took",
                          "Each frame is given an even share of the time.",
                          "frame_done = '^frame (\\d+) done'  # the line after each, below [output]")  # fmt: skip
        else:
            walls = (outcome.wall_seconds or 0.0, outcome.frames[0].wall_seconds)
            yield Promise("sequence", title, "holds", "in {:.2g} s and {:.2g} s".format(*walls))

    def _passes(self) -> Iterator[Promise]:
        names = tuple(row.name for row in self.definition.passes)
        if not names:
            return
        outcome = self._render(1, passes=names)
        there = sorted(outcome.passes)
        state: State = "holds" if outcome.state == "finished" else "broken"
        yield Promise(
            "passes", "Its passes are written", state, ", ".join(there) if state == "holds" else outcome.reason,
            "" if state == "holds" else "A run that asks for such a pass fails.",
            "" if state == "holds" else "Correct file or layer of the [[pass]].",
        )  # fmt: skip

    def _ends(self) -> Promise:
        """Told to end, it and all it started must be gone."""
        title = "Told to end, it ends with all that it started"
        knob = self.definition.quality_knob
        longer = self._turned(knob, LONG) if knob else None
        began = time.monotonic()
        outcome = self._render(
            1, {knob.name: longer} if knob and longer is not None else {},
            stop=lambda: time.monotonic() - began > END_AFTER_SECONDS, size=(512, 384),
        )  # fmt: skip
        left = [process for process in psutil.process_iter(["cmdline"]) if str(self._folder) in _words(process)]
        if outcome.state != "stopped":
            return Promise("ends", title, "not known", "it was through before it could be told")
        if left:
            return Promise("ends", title, "broken", f"{len(left)} processes were left", "They go on beside others.")
        return Promise("ends", title, "holds", "nothing was left")

    def _low(self, knob: Setting) -> Value:
        """A small value to begin with, so that all of this is quick."""
        if knob.better_lower:
            return knob.default
        low = max(knob.minimum or 1.0, 4.0)
        default = float(knob.default) if isinstance(knob.default, int | float) else low
        return knob.cleaned(min(low, default) if knob.kind == "integer" else default)

    def _turned(self, knob: Setting, times: float) -> Value | None:
        low = self._low(knob)
        if isinstance(low, bool) or not isinstance(low, int | float) or knob.kind not in ("integer", "number"):
            return None
        wanted = low / times if knob.better_lower else low * times
        inside = min(max(wanted, knob.minimum or wanted), knob.maximum or wanted)
        return knob.cleaned(inside)

    def _pixels(self, seed: int, settings: dict[str, Value] | None = None, **changes: Any) -> Floats | None:
        outcome = self._render(seed, settings or {}, **changes)
        if outcome.picture is None or outcome.state != "finished":
            return None
        picture, _ = check_file(outcome.picture)
        return None if picture is None else picture.pixels

    def _render(
        self,
        seed: int,
        settings: dict[str, Value] | None = None,
        *,
        stop: Callable[[], bool] | None = None,
        size: tuple[int, int] = SIZE,
        **changes: Any,
    ) -> RenderOutcome:
        self._count += 1
        folder = self._folder / str(self._count)
        (folder / "made").mkdir(parents=True)
        knob = self.definition.quality_knob
        low = {knob.name: self._low(knob)} if knob and knob.kind in ("integer", "number") else {}
        handed = self.scene.handed_over(self.view, self.variant)
        job = RenderJob(
            self._laid(folder), handed.get("view.camera", self.view), self.scene.first_frame, *size, seed, 1,
            {**low, **(settings or {})}, LIMIT_SECONDS, build=self.build, of_scene=handed,
        )  # fmt: skip
        return render(self.definition, replace(job, **changes), folder / "made", should_stop=stop or self.should_stop)

    def _laid(self, folder: Path) -> Path:
        files, root = self.scene.files, self.scene.root
        if files is not None and root is not None:
            file = files.file_for(self.definition.name, self.variant)
            return placed(folder, OwnFiles(str(root), file, tuple(files.digests), self.definition.gathers))
        textures = {each.file: (self.scene.folder or folder) / each.file for each in self.scene.textures}
        return lay_out(folder, self.scene.name, self.scene.contents, textures)


_NO_VERSION = (
    "Studies cannot tell which version made a picture.",
    'version = ["program", "--version"]\nversion_pattern = \'(\\d\\S*)\'  # below [command]',
)
_NO_READY = (
    "Total times are compared rather than rendering times.",
    "ready = '^the line it prints once the scene is loaded'  # below [output]",
)
_HELD_BACK = ("Total times are compared where it stays so.", "Have it flush each line as it prints it.")
_NO_PROGRESS = ("No progress bar.", "progress = '^pass (\\d+) of (\\d+)'  # or percent = '(\\d+) %', below [output]")
_NO_SEQUENCE = ("Sequences would be measured wrong.", "Correct command.sequence, or leave it out.")
_NO_CROP = ("Parts of a picture would be measured in the wrong place.", "Correct command.crop, or leave it out.")


def _found(pattern: Any, line: str) -> bool:
    return pattern.search(line) is not None


def _spread(first: Floats, second: Floats) -> float:
    """How far two pictures lie apart, relative to how bright they are; robust against single bright pixels."""
    apart = np.abs(first - second).mean(axis=-1)
    level = 0.5 * (np.abs(first) + np.abs(second)).mean(axis=-1)
    return float(np.median(apart) / max(float(np.median(level)), 1e-12))


def _words(process: psutil.Process) -> str:
    return " ".join(process.info["cmdline"] or [])
