"""Searches that were made when there was one frame and one way: what they compared and found belongs to that frame."""

from django.db import migrations


def by_frame(apps, schema_editor):
    Search = apps.get_model("searches", "Search")
    Pair = apps.get_model("studies", "Pair")
    for row in Search.objects.select_related("base__setup"):
        frame = row.base.setup.frame
        sides = {pair.pk: [pair.trial_id, pair.control_id] for pair in
                 Pair.objects.filter(pk__in=[each["pair"] for each in row.compared])}
        row.compared = [
            {"frame": frame, "change": None, **each, "options": sides.get(each["pair"], [])} for each in row.compared
        ]
        row.trace = [{"frame": frame, **each} for each in row.trace]
        row.found = {str(frame): row.found} if row.found else {}
        row.most_detail = None
        if row.pair_id:
            pair = Pair.objects.get(pk=row.pair_id)
            row.confirmed = [{
                "frame": frame, "present": pair.control_id, "found": pair.trial_id, "constant": None, "pair": pair.pk,
            }]
        row.save()


class Migration(migrations.Migration):
    dependencies = [("searches", "0002_ways_and_frames")]
    operations = [migrations.RunPython(by_frame, migrations.RunPython.noop)]
