"""The queue can be paused; a run names its machine, may come with another run, and knows its pictures' size."""

from pathlib import Path

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


def fill(apps, schema_editor):
    store = Path(settings.HOME) / "store"
    for run in apps.get_model("runs", "Run").objects.exclude(picture=""):
        run.machine_name = (run.machine or {}).get("name", "")[:200]
        files = [store / digest[:2] / f"{digest}.exr" for digest in (run.picture, *run.passes.values())]
        run.picture_bytes = sum(path.stat().st_size for path in files if path.is_file()) or None
        run.save(update_fields=["machine_name", "picture_bytes"])


class Migration(migrations.Migration):

    dependencies = [
        ('runs', '0002_passes_encoding_structures'),
        ('studies', '0003_plans_of_many_options'),
    ]

    operations = [
        migrations.CreateModel(
            name='Queue',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('paused_at', models.DateTimeField(null=True)),
                ('held', models.TextField(blank=True, help_text='Why it cannot go on, such as a full disk; empty when it can')),
            ],
        ),
        migrations.RemoveConstraint(
            model_name='run',
            name='one_run_an_option_and_seed',
        ),
        migrations.AddField(
            model_name='run',
            name='for_machine',
            field=models.CharField(blank=True, help_text='Of a warm-up: made for this machine alone', max_length=200),
        ),
        migrations.AddField(
            model_name='run',
            name='frames_per_second',
            field=models.FloatField(help_text='Of real-time engines', null=True),
        ),
        migrations.AddField(
            model_name='run',
            name='let_go_at',
            field=models.DateTimeField(help_text='When its pictures were let go; the figures stay', null=True),
        ),
        migrations.AddField(
            model_name='run',
            name='machine_name',
            field=models.CharField(blank=True, db_index=True, max_length=200),
        ),
        migrations.AddField(
            model_name='run',
            name='made_by',
            field=models.ForeignKey(help_text='The run that wrote it on the way', null=True, on_delete=django.db.models.deletion.CASCADE, related_name='brought', to='runs.run'),
        ),
        migrations.AddField(
            model_name='run',
            name='picture_bytes',
            field=models.BigIntegerField(help_text='Of the picture and its passes in the store', null=True),
        ),
        migrations.AddField(
            model_name='run',
            name='pixel_hash',
            field=models.CharField(blank=True, db_index=True, max_length=32),
        ),
        migrations.AddField(
            model_name='run',
            name='reached',
            field=models.FloatField(help_text='The quality knob at the end, where the engine says so', null=True),
        ),
        migrations.RunPython(fill, migrations.RunPython.noop),
        migrations.AddConstraint(
            model_name='run',
            constraint=models.UniqueConstraint(fields=('option', 'seed', 'warm_up', 'for_machine'), name='one_run_an_option_seed_and_machine'),
        ),
    ]
