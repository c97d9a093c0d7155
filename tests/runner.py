"""The real runner and measurer as processes of their own, on the tests' database."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Self

import psutil

from server.runs.models import OPEN_STATES, Run
from tests.warm import Warm

ROOT = Path(__file__).parents[1]


class Process:
    """One of the processes behind the server; starts on entering, is killed on leaving; takes further environment
    variables by name.
    """

    name = "runner"
    warm = True  # forked from a process that has loaded everything

    def __init__(self, **environment: str) -> None:
        self.environment = environment

    @classmethod
    def cold(cls) -> Self:
        """One that starts as it does without tests, for those of starting and ending."""
        process = cls()
        process.warm = False
        return process

    def __enter__(self) -> Self:
        self.start()
        return self

    def __exit__(self, *_: Any) -> None:
        self.kill()

    def start(self) -> None:
        self.begin()
        self.be_ready()

    def begin(self) -> None:
        if self.warm and not self.environment:
            self.process: Any = Warm.start(self.name)
            return
        environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "server.config.settings", **self.environment}
        self.process = subprocess.Popen(
            [sys.executable, "manage.py", self.name], cwd=ROOT, env=environment, stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT, text=True,
        )  # fmt: skip

    def be_ready(self) -> None:
        line = self.process.stdout.readline()
        if "ready" not in line:
            raise AssertionError(f"the {self.name} did not start: {line}{self.process.stdout.read()}")

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()
        self.process.stdout.close()

    def family(self) -> list[psutil.Process]:
        """The process and all that it started."""
        own = psutil.Process(self.process.pid)
        return [own, *own.children(recursive=True)]


class RunnerProcess(Process):
    """The runner alone."""


class MeasurerProcess(Process):
    """The measurer alone."""

    name = "measurer"


class Processes:
    """The runner and the measurer, as `make demo` starts them."""

    def __init__(self, **environment: str) -> None:
        self.runner, self.measurer = RunnerProcess(**environment), MeasurerProcess(**environment)

    def __enter__(self) -> Self:
        both = (self.runner, self.measurer)
        for each in both:
            each.begin()
        for each in both:
            each.be_ready()
        return self

    def __exit__(self, *_: Any) -> None:
        self.runner.kill()
        self.measurer.kill()


def until(condition: Callable[[], Any], what: str, seconds: float = 900.0) -> Any:
    """Wait until a condition holds and return what it gave; so long only where something is wrong."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        found = condition()
        if found:
            return found
        time.sleep(0.05)
    raise AssertionError(f"still not after {seconds} s: {what}")


def none_open() -> bool:
    """Whether every run has ended."""
    return not Run.objects.filter(state__in=OPEN_STATES).exists()


def running() -> Run | None:
    """A run whose engine is at work."""
    return Run.objects.filter(state="running", elapsed_seconds__gt=0).first()
