"""Who brought which file; of the files there are, everybody whose places refer to them."""

from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

DIGEST = 64


def _digests(data: Any) -> set[str]:
    """The digests that a document refers to."""
    found, todo = set(), [data]
    while todo:
        one = todo.pop()
        if isinstance(one, dict):
            if isinstance(one.get("sha256"), str) and len(one["sha256"]) == DIGEST:
                found.add(one["sha256"])
            todo += one.values()
        elif isinstance(one, list):
            todo += one
    return found


def hold(apps: Any, _: Any) -> None:
    Revision, AssetFile, Holding = (apps.get_model("places", n) for n in ("Revision", "AssetFile", "Holding"))
    there = set(AssetFile.objects.values_list("sha256", flat=True))
    held = set()
    for owner, document in Revision.objects.values_list("place__owner", "document").iterator():
        held |= {(owner, sha) for sha in _digests(document) & there}
    Holding.objects.bulk_create([Holding(owner_id=owner, asset_id=sha) for owner, sha in sorted(held)])


class Migration(migrations.Migration):
    dependencies = [("places", "0003_time"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]
    operations = [
        migrations.CreateModel(
            name="Holding",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                (
                    "asset",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="holdings", to="places.assetfile"
                    ),
                ),
                (
                    "owner",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="+", to=settings.AUTH_USER_MODEL
                    ),
                ),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("asset", "owner"), name="one_holding_each")],
            },
        ),
        migrations.RunPython(hold, migrations.RunPython.noop),
    ]
