"""Cards that are written already: their settings files are read, mended and filled in their place, by the rules of every other write."""

from __future__ import annotations

import base64
import json
import subprocess
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from django.db import connection
from django.utils import timezone

from mintseed import wiring
from mintseed.server.done import card_files
from mintseed.server.done.card_files import forget_errands, found_by
from mintseed.server.done.jobs.tasks import card_files_task
from mintseed.server.doors.roles import may
from mintseed.server.kept.models import CardErrand, Job, Judgement, LogEntry, ReportedDrive, Write, WrittenBlocks
from tests.builders import readers
from tests.builders.disks import fat_file
from tests.server.conftest import CARD_SERIAL, OTHER_CARD_SERIAL, Api, card, report, started, work


def picked(serial: str = CARD_SERIAL, **more: object) -> dict[str, Any]:
    return {k: v for k, v in card(serial).items() if k != "again"} | more


def backing(serial: str = CARD_SERIAL) -> Path:
    name = next(r.drive["name"] for r in ReportedDrive.objects.all() if r.drive["serial"] == serial)
    return wiring.config().bench_folder.cards / f"{name}.img"


def boot(serial: str = CARD_SERIAL) -> int:
    """Return where the card's first volume begins, by sfdisk."""
    table = json.loads(
        subprocess.run(["sfdisk", "--json", backing(serial)], check=True, capture_output=True, text=True).stdout
    )
    return int(table["partitiontable"]["partitions"][0]["start"]) * 512


def written(api: Api, **settings: object) -> int:
    pk = started(api)
    if settings:
        api.put(f"/deployments/{pk}/plan", settings)
        api.post(f"/deployments/{pk}/settings/agree")
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    return pk


def read(api: Api, **more: object) -> dict[str, Any]:
    made = api.post("/card-files", picked(**more))
    assert made["state"] == "waiting"
    work()
    answer: dict[str, Any] = api.get(f"/card-files/{made['id']}")
    return answer


def spoil(name: str, text: bytes, tmp_path: Path, serial: str = CARD_SERIAL) -> None:
    """Do what an editor would; mtools puts it there."""
    (tmp_path / "spoiled").write_bytes(text)
    subprocess.run(
        ["mcopy", "-o", "-i", f"{backing(serial)}@@{boot(serial)}", tmp_path / "spoiled", f"::{name}"], check=True
    )


def test_the_files_of_a_card_are_read_and_told_what_they_are(api: Api) -> None:
    pk = written(api)
    said = read(api, deployment=pk)
    assert said["state"] == "done"
    files = {f["name"]: f for f in said["files"]}
    assert files["platen-network.conf"]["dialect"] == "wpa-supplicant"
    assert base64.b64decode(files["platen-network.conf"]["content"]) == fat_file(
        backing(), boot(), "platen-network.conf"
    )
    with connection.cursor() as cursor:
        cursor.execute("SELECT found, wanted FROM mintseed_carderrand")
        cells = cursor.fetchone()
    for content in (f["content"] for f in files.values()):
        assert content[:40] not in "".join(cells), "what opens the network lies sealed"
    row = CardErrand.objects.get()
    assert files["platen-network.conf"]["content"][:40] not in str(
        CardErrand.objects.raw("SELECT id, found AS raw FROM mintseed_carderrand")[0].__dict__.get("raw", "")
    )
    assert (found_by(row)[0].keys(), said["left_out"]) == (files.keys(), 0)
    assert Write.objects.get().holds, "looking ends no proof"


def test_a_mended_file_is_put_back_read_by_its_reader_and_ends_the_proof(api: Api, tmp_path: Path) -> None:
    pk = written(api)
    spoil(
        "platen-network.conf",
        b'country=GB\nnetwork={\n  ssid="Quay House 2G"\n  psk=spring tide at noon\n}\n',
        tmp_path,
    )
    one = next(f for f in read(api)["files"] if f["name"] == "platen-network.conf")
    assert "wifi.passphrase-quotes" in {f["code"] for f in one["findings"]}
    mended = api.post("/doctor", {"name": one["name"], "content": one["content"]})["mended"]
    made = api.post("/card-file", picked(name=one["name"], was=one["content"], content=mended, deployment=pk))
    work()
    assert api.get(f"/card-files/{made['id']}")["state"] == "done"
    (tmp_path / "wpa.conf").write_bytes(fat_file(backing(), boot(), "platen-network.conf"))
    assert readers.wpa_supplicant(tmp_path / "wpa.conf").accepted
    assert not Write.objects.get().holds
    assert LogEntry.objects.filter(event="settings.put-on-card").count() == 1
    assert not api.get(f"/deployments/{pk}/card")["proven"]


def test_putting_a_file_there_ends_the_proof_by_its_name(api: Api) -> None:
    pk = written(api)
    one = next(f for f in read(api)["files"] if f["name"] == "device.conf")
    longer = base64.b64encode(base64.b64decode(one["content"]) + b"# mine\n").decode()
    api.post("/card-file", picked(name=one["name"], was=one["content"], content=longer))
    work()
    assert Write.objects.get().void_why == "settings files were put on its card: device.conf"
    assert not api.get(f"/deployments/{pk}/card")["proven"]


def test_what_changed_since_it_was_read_is_not_written_over(api: Api, tmp_path: Path) -> None:
    written(api)
    one = next(f for f in read(api)["files"] if f["name"] == "platen-network.conf")
    spoil("platen-network.conf", b"somebody else was here\n", tmp_path)
    made = api.post("/card-file", picked(name=one["name"], was=one["content"], content=one["content"]))
    work()
    said = api.get(f"/card-files/{made['id']}")
    assert said["state"] == "failed"
    assert "no longer as it was read" in said["trouble"]
    assert fat_file(backing(), boot(), "platen-network.conf") == b"somebody else was here\n"


def test_a_written_card_is_filled_and_its_proof_goes_on_with_what_was_put_there(api: Api) -> None:
    pk = written(api, way_in="fill-after")
    before = Write.objects.get()
    assert before.holds
    assert b"Quay House 2G" not in fat_file(backing(), boot(), "platen-network.conf")
    blocks = bytes(WrittenBlocks.objects.get().digests)
    made = api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert api.get(f"/card-files/{made['id']}")["state"] == "done", api.get(f"/card-files/{made['id']}")
    assert b"Quay House 2G" in fat_file(backing(), boot(), "platen-network.conf")
    after = Write.objects.get()
    assert after.holds
    assert after.proven_at != before.proven_at
    assert bytes(WrittenBlocks.objects.get().digests) != blocks
    report()
    assert ReportedDrive.objects.get(path=after.drive_path).recognised["kind"] == "same", "every sample agrees"
    assert Write.objects.get().holds
    again = api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert api.get(f"/card-files/{again['id']}")["state"] == "done", "filling twice is filling once"


def test_files_changed_after_they_were_put_there_are_said_to_be_older(api: Api) -> None:
    def told(pk: int) -> bool:
        return "settings.card-older" in {f["code"] for f in api.get(f"/deployments/{pk}/settings")["findings"]}

    pk = written(api, way_in="fill-after")
    assert not told(pk), "nothing was put there yet"
    api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert not told(pk)
    was = api.get(f"/deployments/{pk}/settings")["host_name"]
    api.put(f"/deployments/{pk}/settings", {"host_name": "another-press"})
    assert told(pk)
    api.put(f"/deployments/{pk}/settings", {"host_name": was})
    assert not told(pk), "what lies there is what it is to be again"
    api.put(f"/deployments/{pk}/settings", {"host_name": "another-press"})
    api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert not told(pk)


def test_a_card_that_was_changed_meanwhile_keeps_no_proof(api: Api, tmp_path: Path) -> None:
    pk = written(api, way_in="fill-after")
    spoil("notes.txt", b"mine\n", tmp_path)
    api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert not Write.objects.get().holds


def test_another_cards_proof_ends_where_its_files_are_filled_for_somebody_else(api: Api) -> None:
    first = written(api)
    second = started(api, unit="bare")
    api.put(f"/deployments/{second}/plan", {"way_in": "fill-after"})
    api.post(f"/deployments/{second}/settings/put", picked())
    work()
    assert not Write.objects.get(deployment=first).holds


@pytest.mark.parametrize("serial", [OTHER_CARD_SERIAL])
def test_a_card_with_nothing_on_it_says_what_was_expected(api: Api, serial: str) -> None:
    made = api.post("/card-files", picked(serial))
    work()
    said = api.get(f"/card-files/{made['id']}")
    assert said["state"] == "failed"
    assert said["trouble"]
    assert said["files"] == []


def test_what_is_not_to_be_is_refused_before_anything_is_done(api: Api) -> None:
    pk = written(api)
    assert api.call("post", "/card-files", picked(drive_id=9999))[0] == 404
    assert api.call("post", "/card-files", picked() | {"serial": "another"})[0] == 409
    assert api.call("post", f"/deployments/{pk}/settings/put", picked())[0] == 409, "its files were filled before"
    assert api.call("post", "/card-file", picked(name="x", was="?", content=""))[0] == 422
    assert api.call("post", "/card-files", picked(deployment=9999))[0] == 404
    system = next(r for r in ReportedDrive.objects.all() if "/" in r.drive["mounted_at"])
    made = api.post(
        "/card-file",
        {
            "drive_id": system.pk,
            "path": system.path,
            "serial": system.drive["serial"],
            "name": "x",
            "was": "",
            "content": "",
        },
    )
    work()
    assert api.get(f"/card-files/{made['id']}")["state"] == "failed"


def test_it_is_gone_after_an_hour_and_those_who_only_look_are_not_shown_it(api: Api) -> None:
    written(api)
    read(api)
    assert forget_errands(timezone.now()) == 0
    assert forget_errands(timezone.now() + timedelta(minutes=61)) > 0
    assert not CardErrand.objects.exists()
    assert not Job.objects.filter(kind=Job.Kind.CARD_FILES).exists()
    assert not may("look", "GET", "/api/card-files/3")
    assert not may("look", "POST", "/api/card-files")
    assert may("bench", "POST", "/api/card-files")


class _CutOffError(BaseException):
    """The worker was killed at this very moment."""


@pytest.mark.parametrize("after", [False, True])
@pytest.mark.parametrize("way_in", ["fill-before", "fill-after"])
def test_cut_off_between_the_steps_no_proof_stands_that_nothing_checked(
    api: Api, monkeypatch: pytest.MonkeyPatch, way_in: str, after: bool
) -> None:
    pk = written(api, way_in=way_in)
    put = card_files.examine_card.put

    def cut_off(*given: Any) -> None:
        if after:
            put(*given)
        assert not Write.objects.get().holds, "nobody relies on it while it changes"
        raise _CutOffError

    if way_in == "fill-after":
        begun = lambda: api.post(f"/deployments/{pk}/settings/put", picked())  # noqa: E731
    else:
        one = next(f for f in read(api)["files"] if f["name"] == "device.conf")
        longer = base64.b64encode(base64.b64decode(one["content"]) + b"# mine\n").decode()
        begun = lambda: api.post("/card-file", picked(name=one["name"], was=one["content"], content=longer))  # noqa: E731
    monkeypatch.setattr(card_files.examine_card, "put", cut_off)
    begun()
    with pytest.raises(_CutOffError):
        work()
    report()
    assert not Write.objects.get().holds, "a look at some of its blocks would not tell"
    monkeypatch.setattr(card_files.examine_card, "put", put)
    if way_in == "fill-after":
        begun()
        work()
        assert CardErrand.objects.latest("pk").job.state == "done"
        assert b"Quay House 2G" in fat_file(backing(), boot(), "platen-network.conf")
        assert not Write.objects.get().holds, "what ended stays ended until the card is written again"


def test_a_card_nobody_looked_at_yet_loses_its_proof_all_the_same(api: Api) -> None:
    pk = written(api)
    one = next(f for f in read(api)["files"] if f["name"] == "device.conf")
    ReportedDrive.objects.update(recognised=None, card=None)
    longer = base64.b64encode(base64.b64decode(one["content"]) + b"# mine\n").decode()
    api.post("/card-file", picked(name=one["name"], was=one["content"], content=longer, deployment=pk))
    for job in Job.objects.filter(state="queued"):
        card_files_task.func(job.pk)
    assert not Write.objects.get().holds


def test_of_a_card_full_of_settings_as_much_is_kept_as_fits(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    written(api)
    monkeypatch.setattr(card_files, "MOST_BYTES", 250)
    said = read(api)
    assert said["left_out"] > 0
    assert sum(len(base64.b64decode(f["content"])) for f in said["files"]) <= 250


def test_that_files_lie_there_as_they_are_to_be_is_judged_at_once(api: Api) -> None:
    pk = written(api, way_in="fill-after")
    api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    Write.objects.update(put_mark="of other files")
    assert "settings.card-older" in {f["code"] for f in api.get(f"/deployments/{pk}/settings")["findings"]}
    Judgement.objects.update(again_at=None)
    api.post(f"/deployments/{pk}/settings/put", picked())
    work()
    assert Judgement.objects.get(deployment=pk).again_at is not None
    assert "settings.card-older" not in {f["code"] for f in api.get(f"/deployments/{pk}/settings")["findings"]}


def test_what_lies_there_already_changes_nothing(api: Api) -> None:
    written(api)
    one = next(f for f in read(api)["files"] if f["name"] == "device.conf")
    api.post("/card-file", picked(name=one["name"], was=one["content"], content=one["content"]))
    work()
    assert Write.objects.get().holds
    assert "already" in LogEntry.objects.filter(event="settings.put-on-card").latest("pk").text


def test_an_errand_is_shown_though_its_deployment_is_gone(api: Api) -> None:
    pk = written(api)
    made = api.post("/card-files", picked(deployment=pk))
    work()
    api.call("delete", f"/deployments/{pk}")
    assert api.get(f"/card-files/{made['id']}")["files"]
