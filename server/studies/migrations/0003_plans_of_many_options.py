"""A study gets many options instead of two: levels, controls and keys on options, what is under test on pairs."""

import hashlib
import json

import django.db.models.deletion
from django.db import migrations, models

WIDE = {"engine": "engine", "version": "version", "light": "light"}


def key_of(option):
    """The hash that `SideDraft.key` gives to the same option."""
    setup, scene = option.setup, option.setup.scene
    described = {
        "scene": scene.title, "revision": scene.revision, "view": setup.view, "width": setup.width,
        "height": setup.height, "variant": setup.variant, "frame": setup.frame, "crop": setup.crop,
        "quantities": setup.quantities, "output_format": setup.output_format, "view_transform": "",
    }
    factor = option.brightness["factor"] if option.brightness else 1.0
    made_of = [described, option.engine, option.build, option.settings, factor]
    return hashlib.sha256(json.dumps(made_of, sort_keys=True, default=str).encode()).hexdigest()


def shown(value):
    return "on" if value is True else "off" if value is False else f"{value:g}" if isinstance(value, float) else str(value)


def changed(study, control, trial):
    """Subject, value and settings of the one level that the trial has and the control lacks; None when not known."""
    tested = study.under_test
    if tested == "engine":
        return "engine", trial.engine, trial.settings
    if tested == "version":
        return "version", trial.build, None
    if tested == "light":
        return "light", trial.setup.variant, None
    if tested == "quantities":
        differing = [(n, v) for n, v in trial.setup.quantities.items() if control.setup.quantities.get(n) != v]
        return (f"quantity:{differing[0][0]}", differing[0][1], None) if len(differing) == 1 else None
    return (tested, trial.settings[tested], None) if tested in trial.settings else None


def draft_of(study, control, trial):
    found = changed(study, control, trial)
    if study.from_elsewhere or found is None:
        return {}
    setup = control.setup
    crop = dict(zip(("x", "y", "width", "height"), setup.crop)) if setup.crop else None
    subject, value, settings = found
    return {
        "question": study.question, "asked": "", "kind": "on-off", "match_on": "settings", "scene": setup.scene.name,
        "variant": setup.variant, "view": setup.view, "frame": setup.frame, "width": setup.width, "height": setup.height,
        "crop": crop, "quantities": setup.quantities, "output_format": setup.output_format,
        "view_transform": setup.view_transform, "engine": control.engine, "build": control.build,
        "settings": control.settings, "factors": [{"subject": subject, "levels": [{"value": value, "settings": settings}]}],
        "left_out": [], "on_the_way": True, "small": None, "budget": None, "passes": study.passes,
        "repeats": study.repeats, "until_sure": None, "threads": study.threads,
        "time_limit_seconds": study.time_limit_seconds,
    }


def widen(apps, schema_editor):
    for study in apps.get_model("studies", "Study").objects.all():
        sides = {option.side: option for option in study.options.select_related("setup__scene")}
        control, trial = sides.get("control"), sides.get("trial")
        if control is None or trial is None:
            continue
        value = {"engine": trial.engine_title, "version": trial.build, "light": trial.setup.variant}.get(
            study.under_test, shown(trial.settings[study.under_test]) if study.under_test in trial.settings else ""
        )
        title = study.under_test_title
        subject = f"{title[:1].lower()}{title[1:]} {value}".strip()[:300]
        for number, option in enumerate((control, trial)):
            option.number = number
            option.key = option.side if study.from_elsewhere else key_of(option)
        control.title, trial.title, trial.control = "as the control", subject, control
        control.save()
        trial.save()
        study.draft = draft_of(study, control, trial)
        study.save()
        study.pairs.update(under_test=[study.under_test], subject=subject)


class Migration(migrations.Migration):

    dependencies = [
        ('studies', '0002_options_have_setup_and_engine'),
    ]

    operations = [
        migrations.AlterModelOptions(
            name='option',
            options={'ordering': ['number', 'id']},
        ),
        migrations.AlterModelOptions(
            name='pair',
            options={'ordering': ['id']},
        ),
        migrations.RemoveConstraint(
            model_name='option',
            name='one_option_a_side',
        ),
        migrations.AddField(
            model_name='option',
            name='comes_with',
            field=models.ForeignKey(help_text='Whose render writes it on the way', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='brings', to='studies.option'),
        ),
        migrations.AddField(
            model_name='option',
            name='control',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='trials', to='studies.option'),
        ),
        migrations.AddField(
            model_name='option',
            name='in_plan',
            field=models.BooleanField(default=True, help_text='False once the plan was changed and lacks it'),
        ),
        migrations.AddField(
            model_name='option',
            name='key',
            field=models.CharField(default='', help_text='Hash of all that makes its picture; the same is planned once', max_length=64),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name='option',
            name='left_out',
            field=models.CharField(blank=True, help_text='Why it is not rendered; empty when it is', max_length=80),
        ),
        migrations.AddField(
            model_name='option',
            name='levels',
            field=models.JSONField(default=list),
        ),
        migrations.AddField(
            model_name='option',
            name='number',
            field=models.PositiveIntegerField(default=0, help_text='Place in the plan'),
        ),
        migrations.AddField(
            model_name='option',
            name='purpose',
            field=models.CharField(choices=[('counted', 'Counted'), ('pilot', 'Pilot: tiny, only to know what the plan will cost')], default='counted', max_length=10),
        ),
        migrations.AddField(
            model_name='option',
            name='small',
            field=models.BooleanField(default=False, help_text='Rendered smaller first, before the plan in full'),
        ),
        migrations.AddField(
            model_name='option',
            name='title',
            field=models.CharField(blank=True, max_length=300),
        ),
        migrations.AddField(
            model_name='pair',
            name='subject',
            field=models.CharField(default='', help_text='What the trial is, in words', max_length=300),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name='pair',
            name='under_test',
            field=models.JSONField(default=list, help_text='Names of settings, or of conditions such as engine or light'),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name='study',
            name='archived_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='study',
            name='asked',
            field=models.CharField(blank=True, help_text='The question it started from, by name', max_length=40),
        ),
        migrations.AddField(
            model_name='study',
            name='draft',
            field=models.JSONField(default=dict, help_text='What the form held, to copy it or to plan on; empty for none'),
        ),
        migrations.AddField(
            model_name='study',
            name='kind',
            field=models.CharField(default='on-off', help_text='The plan kind, by name', max_length=40),
        ),
        migrations.AddField(
            model_name='study',
            name='match_on',
            field=models.CharField(default='settings', max_length=20),
        ),
        migrations.AddField(
            model_name='study',
            name='removed_at',
            field=models.DateTimeField(null=True),
        ),
        migrations.AddField(
            model_name='study',
            name='until_sure',
            field=models.JSONField(help_text='on, width and cap, or null for a fixed number of seeds', null=True),
        ),
        migrations.AlterField(
            model_name='pair',
            name='trial',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='pairs_as_trial', to='studies.option'),
        ),
        migrations.RunPython(widen, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='study',
            name='under_test',
        ),
        migrations.RemoveField(
            model_name='study',
            name='under_test_title',
        ),
        migrations.AddConstraint(
            model_name='option',
            constraint=models.UniqueConstraint(fields=('study', 'key'), name='one_option_a_key'),
        ),
        migrations.AddConstraint(
            model_name='pair',
            constraint=models.UniqueConstraint(fields=('control', 'trial'), name='one_pair_of_two_options'),
        ),
    ]
