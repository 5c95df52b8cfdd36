"""What happened has left the wide row."""

from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ("mintseed", "0003_carry_over"),
    ]

    operations = [
        migrations.RemoveField(
            model_name='deployment',
            name='address',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='candidates',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='card_digest',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='card_fingerprint',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='card_path',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='card_proven_at',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='card_serial',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='card_size_bytes',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='joined_after_s',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='kept_at',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='known_before',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='looked_at',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='mac',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='powered_at',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='setup_findings',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='setup_ticked',
        ),
        migrations.RemoveField(
            model_name='deployment',
            name='was_late',
        ),
        migrations.RemoveField(
            model_name='job',
            name='deployment',
        ),
        migrations.RemoveField(
            model_name='job',
            name='drive_path',
        ),
        migrations.RemoveField(
            model_name='job',
            name='drive_serial',
        ),
        migrations.RemoveField(
            model_name='job',
            name='fingerprint',
        ),
    ]
