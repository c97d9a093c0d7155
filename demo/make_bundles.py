"""Makes the demo bundles anew: sets up the studies of *Lantern Street*, really renders them, and exports each pair.

    MATCHEDPAIR_HOME=$(mktemp -d) python demo/make_bundles.py

Takes some minutes on a quiet machine; the times in the bundles are those of the machine it ran on.
"""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import Any

import django

HERE = Path(__file__).parent
STUDIES: tuple[dict[str, Any], ...] = (
    {
        "file": "light-picking.zip",
        "question": "Is picking lights by estimate worth its time at the counter?",
        "view": "counter", "width": 480, "height": 270,
        "settings": {"samples": 48, "indirect_clamp": 4.0}, "under_test": "light_picking", "trial_value": "estimate",
        "verdict": {
            "chosen": "trial", "author": "Rosa, Kettle Lane",
            "reasons": "Cleaner on the posts and around the bulbs. The tray keeps its sparkle in both.",
        },
    },
    {
        "file": "clamp.zip",
        "question": "What does a clamp on indirect light take away in the deep shelf?",
        "view": "shelf", "width": 320, "height": 180,
        "settings": {"samples": 48, "light_picking": "estimate"}, "under_test": "indirect_clamp", "trial_value": 2.0,
        "verdict": None,
    },
)  # fmt: skip


def main() -> None:
    """Make every bundle."""
    # Django's models can be imported only after django.setup()
    from server.bench.cluster import Cluster
    from server.bench.runner import Runner
    from server.findings.actions import give_verdict
    from server.findings.export import pair_zip
    from server.findings.pairs import pair_findings, with_all
    from server.runs.actions import queue_study
    from server.runs.models import OPEN_STATES, Run
    from server.studies.actions import create_study
    from server.studies.draft import resolve
    from server.studies.models import Pair

    (HERE / "bundles").mkdir(exist_ok=True)
    runner = Runner(Cluster())
    for row in STUDIES:
        names = ("question", "view", "width", "height", "settings", "under_test", "trial_value")
        common = {"scene": "marble-stall", "engine": "alder", "repeats": 2, "threads": 1, "time_limit_seconds": 1800.0}
        draft, problems = resolve({name: row[name] for name in names} | common)
        if draft is None:
            sys.exit(f"{row['file']}: {problems}")
        study = create_study(draft)
        queue_study(study)
        runner.run_until(lambda: not Run.objects.filter(state__in=OPEN_STATES).exists())
        pairs = with_all(Pair.objects.filter(study=study))
        if row["verdict"]:
            give_verdict(pairs.get(), **row["verdict"])
        findings = pair_findings(pairs.get())
        (HERE / "bundles" / row["file"]).write_bytes(pair_zip(findings))
        print(f"{row['file']}: {findings.sentence}", flush=True)
    os._exit(0)


if __name__ == "__main__":
    sys.path.insert(0, str(HERE.parent))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    django.setup()
    main()
