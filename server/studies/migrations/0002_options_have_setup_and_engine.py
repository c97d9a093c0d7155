"""Setup and engine move from the whole study to each option, so that a pair can differ in either."""

import django.db.models.deletion
from django.db import migrations, models

ENGINE_FIELDS = ("engine", "engine_title", "device", "quality_knob")


def give_to_options(apps, schema_editor):
    for option in apps.get_model("studies", "Option").objects.select_related("study"):
        for field in ENGINE_FIELDS:
            setattr(option, field, getattr(option.study, field))
        option.setup_id = option.study.setup_id
        option.save()


def give_back_to_studies(apps, schema_editor):
    for option in apps.get_model("studies", "Option").objects.filter(side="control").select_related("study"):
        for field in ENGINE_FIELDS:
            setattr(option.study, field, getattr(option, field))
        option.study.save()


class Migration(migrations.Migration):

    dependencies = [
        ("catalogue", "0001_initial"),
        ("studies", "0001_initial"),
    ]

    operations = [
        migrations.AddField("setup", "variant", models.CharField(default="as-is", max_length=80)),
        migrations.AddField("setup", "crop", models.JSONField(help_text="x, y, width, height in pixels, or null for the whole picture", null=True)),
        migrations.AddField("setup", "quantities", models.JSONField(default=dict, help_text="Scene quantities that are not at their own value")),
        migrations.AddField("setup", "output_format", models.CharField(choices=[("exr-half", "EXR, half float, zip"), ("exr-float", "EXR, float, zip")], default="exr-half", max_length=20)),
        migrations.AddField("setup", "view_transform", models.CharField(blank=True, max_length=200)),
        migrations.AddField("study", "passes", models.JSONField(default=list)),
        migrations.AddField("study", "from_elsewhere", models.BooleanField(default=False, help_text="Its renders were made elsewhere; it queues none")),
        migrations.AlterField("study", "under_test", models.CharField(help_text="A setting's name, or a condition such as engine or light", max_length=40)),
        migrations.AddField("option", "setup", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name="options", to="studies.setup")),
        migrations.AddField("option", "engine", models.CharField(default="", max_length=40), preserve_default=False),
        migrations.AddField("option", "engine_title", models.CharField(default="", max_length=200), preserve_default=False),
        migrations.AddField("option", "build", models.CharField(blank=True, max_length=40)),
        migrations.AddField("option", "device", models.CharField(default="", max_length=80), preserve_default=False),
        migrations.AddField("option", "quality_knob", models.CharField(blank=True, max_length=40)),
        migrations.AddField("option", "brightness", models.JSONField(help_text="factor and evidence, or null for none", null=True)),
        *(migrations.AlterField("study", name, models.CharField(blank=True, default="", max_length=200)) for name in ENGINE_FIELDS),
        migrations.RunPython(give_to_options, give_back_to_studies),
        migrations.AlterField("option", "setup", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="options", to="studies.setup")),
        *(migrations.RemoveField("study", name) for name in ENGINE_FIELDS),
    ]
