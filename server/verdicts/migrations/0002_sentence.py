from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("verdicts", "0001_initial"),
    ]

    operations = [
        migrations.RenameField("verdict", "finding", "sentence"),
        migrations.AlterField(
            "verdict", "sentence", models.TextField(help_text="The pair's sentence when the verdict was given")
        ),
    ]
