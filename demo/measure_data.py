"""Measures the demo data anew, without rendering, and judges it anew: for a new method, measure or kind of judgement.

MATCHEDPAIR_HOME=$(mktemp -d) python demo/measure_data.py
"""

from __future__ import annotations

import os
import sys
from pathlib import Path

import django

HERE = Path(__file__).parent


def main() -> None:
    """Load the data, measure what is outstanding, write it back."""
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    call_command("load_data", str(HERE / "data"))
    from demo.make_data import judgements, write
    from server.measuring.measuring import measure_outstanding
    from server.measuring.models import Comparison, MapLayer, Measure
    from server.motion.measuring import measure_sequences
    from server.motion.models import SequenceFigures
    from server.searches.confirming import tell_again
    from server.studies.models import Option, Study
    from server.verdicts.models import BlindTest, Pin, Verdict

    for model in (Measure, Comparison, MapLayer, SequenceFigures, Verdict, Pin, BlindTest):
        model.objects.all().delete()
    print(f"{measure_outstanding(Option.objects.all())} zones measured or compared", flush=True)
    studies = list(Study.objects.values_list("pk", flat=True))
    measure_sequences(studies)
    for study in studies:
        tell_again(study)
    judgements()
    write()


if __name__ == "__main__":
    sys.path.insert(0, str(HERE.parent))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    django.setup()
    main()
