"""What the server's tests share: made-up engines in the operator's folder, and the API called as a browser would."""

from __future__ import annotations

import copy
import json
import os
import shutil
import tempfile
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.test import Client, TestCase

from server.answers.studies import forget_answers
from server.runs.actions import claim, queue_study
from server.runs.habits import forget
from server.runs.models import Run
from server.runs.recording import record_result
from server.studies.models import Study
from tests.database import UntransactedTest
from tests.engines import add_engine
from tests.pictures import noisy, textured, write

SIZE = (48, 36)


def draft(**changes: Any) -> dict[str, Any]:
    """What the study form sends; ``under_test`` and ``trial_value`` stand for one factor with one level."""
    plain = {
        "question": "Do more samples pay?", "scene": "marble-stall", "view": "counter", "width": SIZE[0],
        "height": SIZE[1], "engine": "good", "settings": {"samples": 4}, "repeats": 2, "threads": 1,
        "time_limit_seconds": 60,
    }  # fmt: skip
    level = {"value": changes.pop("trial_value", 16), "settings": changes.pop("trial_settings", None)}
    plain["factors"] = [{"subject": changes.pop("under_test", "samples"), "levels": [level]}]
    return plain | changes


def factor(subject: str, *values: Any) -> dict[str, Any]:
    """A factor with these levels besides the baseline's."""
    return {"subject": subject, "levels": [{"value": value} for value in values]}


class WithEngines:
    """A test case with a folder of engines that the server reads."""

    engines: tuple[str, ...] = ("good",)

    def setUp(self) -> None:
        folder = Path(settings.ENGINES)
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        for kind in self.engines:
            add_engine(folder, kind)
        self.folder = folder
        self.client = Client(enforce_csrf_checks=True)
        self.token = ""
        forget()
        forget_answers()

    def call(self, method: str, path: str, data: Any = None, **headers: str) -> Any:
        """The answer to an API call, with the CSRF token that the page would send."""
        if not self.token:
            self.client.get("/api/session/")
            self.token = self.client.cookies["csrftoken"].value
        body = data if isinstance(data, str) else json.dumps(data)
        given = {"X-CSRFToken": self.token} | headers
        return self.client.generic(method, path, body if data is not None else "", "application/json", headers=given)

    def problem(self, status: int, method: str, path: str, data: Any = None, **headers: str) -> dict[str, Any]:
        """The problem-JSON of a call that must fail with this status."""
        answer = self.call(method, path, data, **headers)
        self.assertEqual(answer.status_code, status, answer.content)
        self.assertEqual(answer["Content-Type"], "application/problem+json")
        body = answer.json()
        self.assertEqual(sorted(body.keys() - {"now"}), ["detail", "fields", "status", "title", "type"])
        self.assertTrue(body["detail"])
        return body

    def create(self, **changes: Any) -> Study:
        answer = self.call("POST", "/api/studies/", draft(**changes))
        self.assertEqual(answer.status_code, 201, answer.content)
        return Study.objects.get(pk=answer.json()["id"])


class Prepared(WithEngines):
    """A test case whose beginning, `prepare`, is made once for all tests of a class. Each finds the folder of engines,
    what is in the store and what was noted on `self` as they were then, and the database too, by what it is mixed with.
    """

    _noted: ClassVar[dict[str, Any]] = {}
    _kept: ClassVar[Path | None] = None

    def prepare(self) -> None:
        """What all tests of the class begin with; extended by them."""

    @classmethod
    def prepare_once(cls) -> None:
        """Called by the class before the first test."""
        first = cls()
        WithEngines.setUp(first)
        before = set(vars(first))
        first.prepare()
        first.doCleanups()
        cls._noted = {name: value for name, value in vars(first).items() if name not in before}
        folder = tempfile.TemporaryDirectory(dir=settings.HOME)  # of one disk with the store, for its links
        cls.addClassCleanup(folder.cleanup)
        cls._kept = Path(folder.name)
        shutil.copytree(first.folder, cls._kept / "engines")
        if _store().is_dir():
            shutil.copytree(_store(), cls._kept / "store", copy_function=os.link)

    def setUp(self) -> None:
        super().setUp()
        if self._kept is not None:
            shutil.rmtree(self.folder)
            shutil.copytree(self._kept / "engines", self.folder)
            for kept in (self._kept / "store").glob("*/*"):
                path = _store() / kept.relative_to(self._kept / "store")
                if not path.exists():
                    path.parent.mkdir(parents=True, exist_ok=True)
                    os.link(kept, path)
        vars(self).update(copy.deepcopy(self._noted))


def _store() -> Path:
    return Path(settings.HOME) / "store"


class PreparedTest(Prepared, TestCase):
    """The same in a transaction of its own."""

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        cls.prepare_once()


class PreparedUntransactedTest(Prepared, UntransactedTest):
    """The same where others see what is written."""

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.prepare_once()
        cls.keep_beginning()


def result_of(run: Run, noise: float = 0.1, **changes: Any) -> dict[str, Any]:
    """What a worker would give back for a run, with a picture of known noise."""
    path = Path(settings.HOME) / f"made-{run.pk}.exr"
    seed = run.seed + 100 * run.option.number
    setup = run.option.setup
    picture = write(path, noisy(textured((setup.width, setup.height)), noise, seed)).read_bytes()
    path.unlink()
    return {
        "state": "finished", "reason": "", "wall_seconds": 11.0, "ready_seconds": 1.0, "cpu_seconds": 11.0,
        "cpu_ready_seconds": 1.0, "peak_memory_bytes": 50_000_000, "structures_bytes": None,
        "passes": {}, "reached": None, "frames_per_second": None, "on_the_way": [], "frames": [], "load_before": 0.1,
        "exit_code": 0,
        "machine": {"name": "bench", "processor": "p", "cores": 2, "memory_bytes": 10**9, "system": "Linux"},
        "engine_version": "2.5", "command": ["good"], "log": "step 1/10", "picture": picture,
    } | changes  # fmt: skip


def finish_all(study: Study, noise: dict[str, float] | None = None, seconds: dict[str, float] | None = None) -> None:
    """Bring all of a study's runs to their end without an engine."""
    queue_study(study)
    for run in study.runs.filter(state="queued").select_related("option"):
        claim(run.pk, "bench")
        side = run.option.side
        wall = (seconds or {}).get(side, 11.0)
        changes = {"wall_seconds": wall, "cpu_seconds": wall}
        record_result(run.pk, result_of(run, (noise or {}).get(side, 0.1), **changes))
