"""What a take makes beside its pictures is a list of names, so that a new kind of file needs no column."""

from typing import Any

from django.db import migrations, models


def gather(apps: Any, schema_editor: Any) -> None:
    for take in apps.get_model("takes", "Take").objects.filter(models.Q(passes=True) | models.Q(cut_sky=True)):
        take.outputs = [name for name in ("passes", "cut_sky") if getattr(take, name)]
        take.save(update_fields=["outputs"])


class Migration(migrations.Migration):
    dependencies = [("takes", "0004_notes")]
    operations = [
        migrations.AddField("take", "outputs", models.JSONField(default=list)),
        migrations.RunPython(gather, migrations.RunPython.noop),
        migrations.RemoveField("take", "passes"),
        migrations.RemoveField("take", "cut_sky"),
    ]
