from django.db import migrations


class Migration(migrations.Migration):
    """Searches for a matched pair lie with the other searches now; their table went with them."""

    dependencies = [("matching", "0001_initial"), ("searches", "0005_matching")]

    operations = [migrations.SeparateDatabaseAndState(state_operations=[migrations.DeleteModel("Matching")])]
