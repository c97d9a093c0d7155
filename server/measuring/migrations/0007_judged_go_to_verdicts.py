from django.db import migrations

MOVED = ["BlindRound", "BlindTest", "Criterion", "Pin", "Verdict"]


class Migration(migrations.Migration):
    """Verdicts, pins, criteria and blind tests are an app of their own now; their tables went with them."""

    dependencies = [("findings", "0006_measure_places"), ("verdicts", "0001_initial")]

    operations = [
        migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel(name) for name in MOVED])
    ]
