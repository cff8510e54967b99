"""Links and what clients say."""

import django.db.models.deletion
from django.db import migrations, models

import studio.guests.models


class Migration(migrations.Migration):
    initial = True
    dependencies = [("places", "0003_time"), ("takes", "0006_turns")]
    operations = [
        migrations.CreateModel(
            "Link",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("token", models.CharField(default=studio.guests.models._token, max_length=48, unique=True)),
                ("name", models.CharField(max_length=80)),
                ("until", models.DateTimeField()),
                ("ended", models.DateTimeField(null=True)),
                ("made", models.DateTimeField(auto_now_add=True)),
                ("seen", models.DateTimeField(null=True)),
                (
                    "place",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="links", to="places.place"
                    ),
                ),
            ],
            options={"ordering": ["-made"]},
        ),
        migrations.CreateModel(
            "Answer",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                (
                    "verdict",
                    models.CharField(
                        choices=[("approved", "Approved"), ("changes", "wants changes")], max_length=10
                    ),
                ),
                ("name", models.CharField(max_length=80)),
                ("text", models.CharField(blank=True, max_length=1000)),
                ("made", models.DateTimeField(auto_now_add=True)),
                (
                    "link",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="answers", to="guests.link"
                    ),
                ),
                (
                    "take",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="answers", to="takes.take"
                    ),
                ),
            ],
            options={"ordering": ["made"]},
        ),
    ]
