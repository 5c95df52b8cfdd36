"""Carry what the wide row held over into rows of its own. Run again, it finds them there and adds nothing."""

from typing import Any

from django.db import migrations


def carry_over(apps: Any, schema_editor: Any) -> None:
    model = {n: apps.get_model("mintseed", n) for n in ("Deployment", "Bench", "Site", "Card", "Write", "BootRun", "Claim", "Reading", "Closing", "Job")}
    site = model["Site"].objects.order_by("pk").first()
    if site is None:
        return
    bench, _ = model["Bench"].objects.get_or_create(name="bench", defaults={"site": site, "kind": "standin"})
    for d in model["Deployment"].objects.all():
        if model["Write"].objects.filter(deployment=d).exists() or d.card_proven_at is None:
            continue
        card = model["Card"].objects.create(size_bytes=d.card_size_bytes or 0, first_seen_at=d.card_proven_at)
        write = model["Write"].objects.create(
            deployment=d, card=card, bench=bench, drive_path=d.card_path, drive_serial=d.card_serial,
            drive_size_bytes=d.card_size_bytes or 0, fingerprint=d.card_fingerprint, digest=d.card_digest, outcome="proven",
            begun_at=d.card_proven_at, ended_at=d.card_proven_at, proven_at=d.card_proven_at,
        )
        run = None
        if d.powered_at is not None:
            run = model["BootRun"].objects.create(
                deployment=d, write=write, board_unit=d.board_unit, bench=bench, powered_at=d.powered_at, noted_at=d.powered_at,
                known_before=d.known_before, joined_after_s=d.joined_after_s, candidates=d.candidates, looked_at=d.looked_at,
                joined_address=d.address,
            )
        if run is not None and d.address:
            model["Claim"].objects.create(deployment=d, boot_run=run, address=d.address, mac=d.mac, at=d.looked_at or d.powered_at)
        for step, finding in d.setup_findings.items():
            done = isinstance(finding, dict) and finding.get("severity") == "ok"
            model["Reading"].objects.create(deployment=d, boot_run=run, step=step, done=done, finding=finding)
        for step in d.setup_ticked:
            model["Reading"].objects.create(deployment=d, boot_run=run, step=step, done=True)
        if d.kept_at is not None:
            # No label was stored then; the record says so by its empty one.
            model["Closing"].objects.create(deployment=d, label={}, at=d.kept_at)
    model["Job"].objects.filter(kind="write-card").delete()


class Migration(migrations.Migration):
    dependencies = [("mintseed", "0002_records")]
    operations = [migrations.RunPython(carry_over, migrations.RunPython.noop)]
