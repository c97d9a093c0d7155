"""Runs the benchmarks, all or those named: ``python -m benchmarks [name …]``. Exit code 1 when one is over its goal."""

from __future__ import annotations

import os
import sys
import tempfile
from importlib import import_module
from pathlib import Path

import django

NAMES = (
    "runner_cost", "times_agree", "run_table", "study_pages", "progress_latency", "estimates", "finder", "searches",
    "viewer", "player", "measures", "measured_study", "accuracy", "coverage", "error_falls", "reduced_maps", "load",
    "command_start", "growth", "machines",
)  # fmt: skip


def main() -> None:
    """In a home of its own, so that no benchmark touches anyone's data."""
    with tempfile.TemporaryDirectory(prefix="matchedpair-bench-") as home:
        os.environ["MATCHEDPAIR_HOME"] = home
        os.environ["DJANGO_SETTINGS_MODULE"] = "server.config.settings"
        os.environ["PATH"] = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
        # Playwright's own event loop runs in this thread, which Django would take for an asynchronous view
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        django.setup()
        from django.core.management import call_command  # noqa: PLC0415 - after the home is set

        call_command("migrate", verbosity=0)
        good = []
        for name in sys.argv[1:] or NAMES:
            call_command("flush", interactive=False, verbosity=0)
            good.append(import_module(f"benchmarks.{name}").run())
    sys.stdout.flush()
    os._exit(0 if all(good) else 1)  # the workers' threads would keep the process waiting


if __name__ == "__main__":
    main()
