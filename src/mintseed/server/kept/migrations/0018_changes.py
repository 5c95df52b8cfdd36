from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('mintseed', '0017_machine_bench'),
    ]

    operations = [
        migrations.AddField(
            model_name='write',
            name='changes',
            field=models.JSONField(null=True),
        ),
    ]
