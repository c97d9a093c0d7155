"""An engine tested from the screen: one at a time, in a thread of the server, its promises told as they are found."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from matchedpair.engines import EngineDefinition
from matchedpair.errors import InputError
from matchedpair.scenes import Scene
from matchedpair.trying import Promise, Trial
from matchedpair.trying.promises import summary


@dataclass
class EngineTest:
    """A test under way, or the last one of an engine since the server started."""

    engine: str
    scene: str
    view: str
    promises: list[Promise] = field(default_factory=list)
    at_work: bool = True
    stopped: bool = False
    problem: str = ""

    @property
    def sentence(self) -> str:
        """How it stands."""
        if self.problem:
            return self.problem
        if self.at_work:
            return f"{len(self.promises)} tried so far."
        if not self.scene:
            return "It has not been tested since the server started."
        return "Stopped by hand." if self.stopped else summary(self.promises)


_tests: dict[str, EngineTest] = {}
_lock = threading.Lock()


def test_of(engine: str) -> EngineTest | None:
    """The test of an engine; None when it was not tested since the server started."""
    return _tests.get(engine)


def begin_test(definition: EngineDefinition, scene: Scene, view: str, build: str = "") -> EngineTest:
    """Begin one. Raises `InputError` while another is under way, or where the scene does not fit."""
    definition.build(build)
    test = EngineTest(definition.name, scene.name, view)
    trial = Trial(definition, scene, view, build, on_promise=test.promises.append, should_stop=lambda: test.stopped)
    if trial.problem():
        raise InputError(trial.problem())
    with _lock:
        busy = next((each for each in _tests.values() if each.at_work), None)
        if busy is not None:
            raise InputError(f"{busy.engine} is being tested; wait for it, or stop it")
        _tests[definition.name] = test
    threading.Thread(target=_carried_out, args=(test, trial), daemon=True).start()
    return test


def stop_test(engine: str) -> None:
    """End a test; what it found stays."""
    test = _tests.get(engine)
    if test is not None and test.at_work:
        test.stopped = True


def _carried_out(test: EngineTest, trial: Trial) -> None:
    try:
        trial.carry_out()
    except Exception as error:  # whatever the engine and its files do, the screen says it
        test.problem = f"The test ended early: {error}"
    finally:
        test.at_work = False
