from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [
        ("runs", "0013_stills"),
    ]

    operations = [
        migrations.AddField(
            model_name="still",
            name="sequence",
            field=models.CharField(blank=True, db_collation="utf8mb4_nopad_bin", max_length=120),
        ),
    ]
