"""When a take was asked for, and when it had its turn."""

import django.utils.timezone
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("takes", "0005_outputs")]
    operations = [
        migrations.AddField("take", "wished", models.DateTimeField(default=django.utils.timezone.now)),
        migrations.AddField("take", "served", models.DateTimeField(null=True)),
    ]
