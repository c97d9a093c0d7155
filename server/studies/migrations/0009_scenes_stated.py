"""Scenes that only renders made elsewhere tell of learn their views, variants and frames from what was taken in."""

from django.db import migrations


def tell(apps, schema_editor):
    for scene in apps.get_model("catalogue", "SceneRevision").objects.filter(revision=""):
        rows = list(apps.get_model("studies", "Setup").objects.filter(scene=scene).values_list("view", "variant", "frame"))
        if not rows:
            continue
        known = {each["name"] for each in scene.views}
        scene.views = [*scene.views, *({"name": view, "title": view} for view in sorted({row[0] for row in rows} - known))]
        frames = [row[2] for row in rows]
        scene.stated = {"variants": sorted({row[1] for row in rows}), "frames": [min(frames), max(frames)]}
        scene.save()


class Migration(migrations.Migration):

    dependencies = [("studies", "0008_knob_goes_down"), ("catalogue", "0005_scenes_stated")]
    operations = [migrations.RunPython(tell, migrations.RunPython.noop)]
