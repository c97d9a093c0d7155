"""Studies whose renders follow stated laws of noise and time, measured as the measuring would."""

import math
from typing import ClassVar

from server.measuring.measuring import measure_outstanding
from server.measuring.models import Comparison, Measure
from server.runs.actions import claim, queue_study
from server.runs.recording import record_result
from server.studies.models import Option
from tests.server.base import PreparedTest, WithEngines, factor, result_of


class Lawful(WithEngines):
    """Renders whose noise and time follow stated laws; measured rows are written as the measuring would."""

    a, b, t0, c = 1600.0, 0.0, 1.0, 0.5
    other: ClassVar = {"extra": (400.0, 0.0, 1.0, 1.0)}

    def law(self, option):
        """a, b, t0, c of an option."""
        return self.other["extra"] if option.settings.get("extra") else (self.a, self.b, self.t0, self.c)

    def finish(self, study):
        queue_study(study)
        self.finish_queued(study)

    def finish_queued(self, study):
        """End all queued runs by the law, and write their noise."""
        for run in study.runs.filter(state="queued").select_related("option__setup"):
            claim(run.pk, "bench")
            _, _, t0, c = self.law(run.option)
            seconds = t0 + c * run.option.settings["samples"]
            times = {"wall_seconds": seconds, "cpu_seconds": seconds, "ready_seconds": t0, "cpu_ready_seconds": t0}
            record_result(run.pk, result_of(run, **times))
        measure_outstanding(Option.objects.filter(study=study))
        for option in study.options.all():
            a, b, *_ = self.law(option)
            percent = math.sqrt(a / option.settings["samples"] + b * b)
            rows = Measure.objects.filter(option=option, name="noise")
            error = {"total_error": [0.0196, 0.0196]}
            rows.update(value=percent, low=percent * 0.98, high=percent * 1.02, places="", details=error)
        Comparison.objects.filter(pair__study=study).update(noise_refused="")

    def ladder(self):
        """Two ladders: as it is, and with the extra on."""
        study = self.create(
            kind="table", factors=[factor("samples", 16, 64, 256), factor("extra", True)], settings={"samples": 4}
        )
        self.finish(study)
        return study

    def curves(self, study, **asked):
        query = "&".join(f"{name}={value}" for name, value in asked.items())
        answer = self.call("GET", f"/api/studies/{study.pk}/curves/?{query}")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class LawfulTest(Lawful, PreparedTest):
    """The same in a transaction of its own."""
