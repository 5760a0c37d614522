from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("projects", "0004_outcomes")]

    operations = [
        migrations.AddField(
            model_name="scanrun",
            name="variant",
            field=models.CharField(blank=True, default="", max_length=64),
        ),
    ]
