"""A proof is of a card, for as long as nothing speaks against it: samples, whose card it is, how much a card really holds."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

import pytest
from django.utils import timezone

from mintseed import wiring
from mintseed.server.demo.quay_house import DRIVES
from mintseed.server.done import proofs
from mintseed.server.done.agent.bench_row import own_bench
from mintseed.server.done.agent.drives import report_drives
from mintseed.server.kept.models import Bench, BootRun, CardQuestion, ReportedDrive, Write
from tests.server.conftest import CARD_SERIAL, OTHER_CARD_SERIAL, Api, card, judged_again, report, started, work

BOOT_OFFSET = 4 * 1024 * 1024
"""where the boot volume of Platen's image begins (the forge's layout, told by sfdisk in tests/core/image)"""


def backing(name: str = "pdb") -> Path:
    return wiring.config().bench_folder.cards / f"{name}.img"


def proven(api: Api, serial: str = CARD_SERIAL, **settings: str) -> int:
    pk = started(api, **settings)
    api.post(f"/deployments/{pk}/card/write", card(serial))
    work()
    assert api.get(f"/deployments/{pk}/card")["proven"]
    return pk


def damage(name: str, offset: int, length: int) -> None:
    with backing(name).open("r+b") as file:
        file.seek(offset)
        file.write(b"\xee" * length)


def consume_settings(name: str) -> None:
    """Do what an appliance does at its first boot: take its settings files in and remove them (mdel, mtools)."""
    for file in ("device.conf", "platen-network.conf"):
        subprocess.run(["mdel", "-i", f"{backing(name)}@@{BOOT_OFFSET}", f"::{file}"], check=True)


def takes_out(serial: str) -> dict[str, Any]:
    """Take a card out of its reader; return what `puts_in` wants."""
    folder = wiring.config().bench_folder
    listed = folder.read(folder.drives_file)
    mine = next(d for d in listed if d["serial"] == serial)
    folder.write(folder.drives_file, [d for d in listed if d is not mine])
    report()
    return dict(mine)


def puts_in(drive: dict[str, Any]) -> None:
    folder = wiring.config().bench_folder
    folder.write(folder.drives_file, [*folder.read(folder.drives_file), drive])
    report()


# samples


@pytest.mark.parametrize(("offset", "length"), [(0, 1 << 20), (70 << 20, 60 << 20)], ids=["first MiB", "60 MiB inside"])
def test_a_card_that_is_seen_changed_in_its_reader_is_proven_no_more(api: Api, offset: int, length: int) -> None:
    pk = proven(api)
    damage("pdb", offset, length)
    ReportedDrive.objects.update(recognised=None)  # as when it was just put in: then many samples are taken
    report()
    shown = api.get(f"/deployments/{pk}/card")
    assert not shown["proven"]
    assert "seen changed" in shown["void_why"]
    assert shown["deployment"]["line"]["marks"][3]["mark"] == "check"
    assert api.call("post", f"/deployments/{pk}/boot/power-on", {})[0] == 409


@pytest.mark.parametrize(
    ("was", "now", "seen"), [(4, 5, True), (4, 4, False), (0, 5, False)], ids=["another", "the same", "not told before"]
)
def test_a_card_that_was_changed_for_one_as_large_is_looked_at_at_once(
    api: Api, was: int, now: int, seen: bool
) -> None:
    """Nothing that is listed tells them apart but the kernel's number of the medium, which is another after each change. The proof is of the card that
    was taken out, and stands."""
    pk, folder = proven(api), wiring.config().bench_folder

    def numbered(number: int) -> None:
        listed = folder.read(folder.drives_file)
        folder.write(
            folder.drives_file, [{**d, "disk-seq": number} if d["serial"] == CARD_SERIAL else d for d in listed]
        )

    def lying() -> str:
        row = next(r for r in ReportedDrive.objects.all() if r.drive["serial"] == CARD_SERIAL)
        return str((row.recognised or {}).get("kind"))

    numbered(was)
    report()
    assert lying() == "same"
    damage("pdb", 0, 1 << 20)
    numbered(now)
    report_drives(own_bench(), timezone.now())
    assert (lying() != "same") is seen
    assert api.get(f"/deployments/{pk}/card")["proven"]


def test_what_a_drive_is_said_to_hold_is_what_was_put_on_it(api: Api) -> None:
    def said(pk: int) -> str:
        drive = next(d for d in api.get(f"/deployments/{pk}/card")["drives"] if d["serial"] == CARD_SERIAL)
        return str(drive["findings"])

    pk = started(api)
    assert "no partition on it" in said(pk)
    api.post(f"/deployments/{pk}/card/write", card())
    work()
    assert "2 partitions on it, replaced by a write" in said(pk)


def test_before_power_on_the_card_is_looked_at_all_over(api: Api) -> None:
    """Its beginning and its settings files are as they were; one MiB in eight of the rest is not."""
    pk = proven(api)
    for at in range(20, 130, 8):
        damage("pdb", at << 20, 1 << 20)
    status, problem = api.call("post", f"/deployments/{pk}/boot/power-on", {})
    assert (status, "no longer stands" in problem["title"]) == (409, True)
    assert not api.get(f"/deployments/{pk}/card")["proven"]


def test_a_booted_card_may_change(api: Api) -> None:
    pk = proven(api)
    api.post(f"/deployments/{pk}/boot/power-on", {})
    damage("pdb", 70 << 20, 60 << 20)
    api.post(f"/deployments/{pk}/boot/power-off", {})
    report()
    assert api.get(f"/deployments/{pk}/card")["proven"]


def test_on_a_real_bench_its_worker_looks_before_power_is_noted(
    api: Api, owner: Api, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The card was spoilt in its reader, then taken out: the proof is gone. Nobody looks: nothing is noted."""
    pk = proven(api)
    Bench.objects.update(kind=Bench.Kind.REAL)
    monkeypatch.setattr("mintseed.server.done.asking.LOOK_WITHIN_S", 0.2)
    status, problem = owner.call("post", f"/deployments/{pk}/boot/power-on", {})
    assert (status, "does not answer" in problem["title"]) == (409, True)
    damage("pdb", 70 << 20, 60 << 20)

    def agent_looks(*names: str) -> None:
        report_drives(Bench.objects.get(), timezone.now())

    monkeypatch.setattr("mintseed.server.done.asking.ring_now", agent_looks)
    status, problem = owner.call("post", f"/deployments/{pk}/boot/power-on", {})
    assert (status, "no longer stands" in problem["title"]) == (409, True)
    assert not BootRun.objects.exists()


def test_a_write_that_never_begins_takes_no_proof(api: Api) -> None:
    first = proven(api, host_name="first")
    second = started(api, host_name="second")
    api.post(f"/deployments/{second}/card/write", card())
    assert api.get(f"/deployments/{first}/card")["proven"]
    api.post(f"/deployments/{second}/card/stop")
    work()
    assert api.get(f"/deployments/{first}/card")["proven"]
    api.post(f"/deployments/{second}/card/write", card())
    work()
    assert not api.get(f"/deployments/{first}/card")["proven"]


# whose card is it?


@pytest.fixture
def lying(api: Api) -> tuple[int, int]:
    """A was written, booted and put back, its settings taken in; B's card of the same image was written and taken out."""
    folder = wiring.config().bench_folder
    # Cards of one size, or their sizes would tell them apart.
    same = [
        {**d, "faults": {}, "size": 32_010_928_128} for d in DRIVES if d["serial"] in (CARD_SERIAL, OTHER_CARD_SERIAL)
    ]
    folder.write(folder.drives_file, same)
    report()
    a = proven(api, host_name="first")
    api.post(f"/deployments/{a}/boot/power-on", {})
    consume_settings("pdb")
    api.post(f"/deployments/{a}/boot/power-off", {})
    away = takes_out(CARD_SERIAL)
    b = proven(api, OTHER_CARD_SERIAL, host_name="second")
    takes_out(OTHER_CARD_SERIAL)
    puts_in(away)
    return a, b


def test_until_somebody_says_whose_it_is_no_proof_it_could_be_counts(api: Api, lying: tuple[int, int]) -> None:
    a, b = lying
    for pk in lying:
        shown = api.get(f"/deployments/{pk}/card")
        assert not shown["proven"]
        assert shown["unsure"]
        assert "card.unsure" in {f["code"] for f in shown["findings"]}
        assert [c["deployment_name"] for c in shown["questions"][0]["could_be"]] == ["Reading-room press"] * 2
    drive = next(d for d in api.get(f"/deployments/{a}/card")["drives"] if d["serial"] == CARD_SERIAL)
    assert drive["question_id"]
    third = started(api, host_name="third")
    status, problem = api.call("post", f"/deployments/{third}/card/write", card())
    assert (status, "Nobody said yet whose card" in problem["title"]) == (409, True)
    assert api.call("post", f"/deployments/{b}/boot/power-on", {})[0] == 409
    # It is A's: B's proof counts again; A's too, whose boot changed its card. Then it is written over.
    question = CardQuestion.objects.get()
    mine = Write.objects.get(deployment_id=a).pk
    path = f"/deployments/{a}/card/questions/{question.pk}"
    assert api.call("post", path, {"write_id": 999_999})[0] == 409
    assert api.post(path, {"write_id": mine})["proven"]
    assert api.call("post", path, {"write_id": mine})[0] == 409
    assert api.get(f"/deployments/{b}/card")["proven"]
    report()
    assert CardQuestion.objects.filter(answered_at=None).count() == 0
    # Taken out and put in again it is known.
    puts_in(takes_out(CARD_SERIAL))
    assert CardQuestion.objects.filter(answered_at=None).count() == 0
    api.post(f"/deployments/{third}/card/write", card())
    work()
    assert [api.get(f"/deployments/{pk}/card")["proven"] for pk in (a, b, third)] == [False, True, True]


def test_none_of_them_gives_the_proofs_back_and_nobody_knows_ends_them(api: Api, lying: tuple[int, int]) -> None:
    a, b = lying
    question = CardQuestion.objects.get()
    api.post(f"/deployments/{a}/card/questions/{question.pk}", {})
    assert [api.get(f"/deployments/{pk}/card")["proven"] for pk in lying] == [True, True]
    report()
    assert CardQuestion.objects.filter(answered_at=None).count() == 0
    CardQuestion.objects.all().delete()
    puts_in(takes_out(CARD_SERIAL))
    again = CardQuestion.objects.get()
    api.post(f"/deployments/{b}/card/questions/{again.pk}", {"nobody_knows": True})
    assert [api.get(f"/deployments/{pk}/card")["void_why"] for pk in lying] == [
        "nobody could say whose card it is that holds the same image"
    ] * 2


def test_its_own_card_ends_the_doubt(api: Api, lying: tuple[int, int]) -> None:
    """B's card comes back, with what was written to it: B is sure again, and A is still asked about."""
    a, b = lying
    other = next(d for d in DRIVES if d["serial"] == OTHER_CARD_SERIAL)
    puts_in({**other, "faults": {}, "size": 32_010_928_128})
    assert [api.get(f"/deployments/{pk}/card")["proven"] for pk in (a, b)] == [False, True]


def test_a_swapped_card_is_not_written_over_unasked(api: Api, lying: tuple[int, int]) -> None:
    """The question was answered for nobody's card; between pick and write the worker sees what lies there itself."""
    third = started(api, host_name="third")
    row = ReportedDrive.objects.get(drive__serial=CARD_SERIAL)
    ReportedDrive.objects.filter(pk=row.pk).update(question=None)
    api.post(f"/deployments/{third}/card/write", card())
    work()
    shown = api.get(f"/deployments/{third}/card")
    assert not shown["proven"]
    assert "do not tell which card it is" in shown["job"]["trouble"]


# how much does it hold?


def small_card(**faults: int) -> None:
    """Put a card of 256 MB into the first reader, that is what `faults` say."""
    folder = wiring.config().bench_folder
    listed = [
        {**d, "size": 256 * 10**6 if d["serial"] == CARD_SERIAL else d["size"], "faults": faults if d["serial"] == CARD_SERIAL else {}}
        for d in DRIVES
    ]  # fmt: skip
    folder.write(folder.drives_file, listed)
    backing().unlink(missing_ok=True)
    report()


def write_small(api: Api, **more: object) -> dict[str, Any]:
    pk = started(api)
    # The shelf's card is larger; what lies in the reader is what counts here.
    api.post(f"/deployments/{pk}/card/write", {**card(), **more})
    work()
    shown: dict[str, Any] = api.get(f"/deployments/{pk}/card")
    return shown


@pytest.mark.parametrize(
    "faults",
    [{"wraps_at_bytes": 160 * 10**6}, {"wraps_at_bytes": 251 * 10**6}, {"wraps_at_bytes": 255_995_904}, {"drops_beyond_bytes": 160 * 10**6}],
    ids=["wraps at 160 MB", "wraps at 251 MB", "lacks one block", "forgets beyond 160 MB"],
)  # fmt: skip
def test_a_card_that_holds_less_than_it_says_is_found_out(api: Api, faults: dict[str, int]) -> None:
    small_card(**faults)
    shown = write_small(api)
    assert not shown["proven"]
    assert "holds less than it says" in shown["job"]["trouble"]


def test_an_honest_card_is_not_blamed_and_marks_are_seen_again_after_replugging(api: Api) -> None:
    small_card()
    shown = write_small(api)
    assert shown["proven"]
    assert "card.second-look" in {f["code"] for f in shown["findings"]}
    assert "marks all over the room" in shown["writes"][0]["room_text"]
    pk = shown["deployment"]["id"]
    puts_in(takes_out(CARD_SERIAL))
    shown = api.get(f"/deployments/{pk}/card")
    assert shown["proven"]
    assert "card.seen-again" in {f["code"] for f in shown["findings"]}


def test_a_reader_that_answered_from_its_own_memory_is_found_out_after_replugging(api: Api) -> None:
    small_card()
    shown = write_small(api)
    assert shown["proven"]
    drive = takes_out(CARD_SERIAL)
    # What the reader had only in its memory never reached the card.
    with backing().open("r+b") as file:
        file.truncate(160 * 10**6)
        file.truncate(256 * 10**6)
    puts_in(drive)
    assert not api.get(f"/deployments/{shown['deployment']['id']}/card")["proven"]


def test_all_of_the_room_by_choice(api: Api) -> None:
    small_card()
    shown = write_small(api, test_whole=True)
    assert shown["proven"]
    assert "all of the room" in shown["writes"][0]["room_text"]
    phases = [p["phase"] for p in shown["writes"][0]["phases"]]
    assert (phases[0], phases[-1]) == ("filling-room", "reading-room")
    small_card(wraps_at_bytes=200 * 10**6)
    assert not write_small(api, test_whole=True)["proven"]


def test_a_pretend_card_is_not_filled_beyond_this_disk(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("mintseed.server.done.writing._room", lambda bench: 10**9)
    pk = started(api)
    status, problem = api.call("post", f"/deployments/{pk}/card/write", {**card(), "test_whole": True})
    assert (status, "No room to test" in problem["title"]) == (409, True)


def test_sectors_of_another_size_are_a_stop(api: Api) -> None:
    """512-byte images do not boot from cards of 4096-byte sectors: no kernel finds the partitions there (UEFI 2.10 §5.3)."""
    folder = wiring.config().bench_folder
    folder.write(
        folder.drives_file,
        [{**d, "faults": {}, "log-sec": 4096 if d["serial"] == CARD_SERIAL else 512} for d in DRIVES],
    )
    report()
    pk = started(api)
    shown = api.get(f"/deployments/{pk}/card")
    drive = next(d for d in shown["drives"] if d["serial"] == CARD_SERIAL)
    assert "card.other-sectors" in {f["code"] for f in drive["findings"]}
    assert drive["locked"]
    status, problem = api.call("post", f"/deployments/{pk}/card/write", card())
    assert (status, "sectors are of another size" in problem["title"]) == (409, True)
    assert not next(d for d in shown["drives"] if d["serial"] == OTHER_CARD_SERIAL)["locked"]


def test_that_a_card_may_be_pulled_out_is_said_of_the_card_that_was_proven_alone(api: Api) -> None:
    """What the kernel let go of was that card as it was written then; another write may be going on in its reader."""
    pk = proven(api)

    def first_step() -> str:
        return str(api.get(f"/deployments/{pk}/boot")["steps"][0]["why"])

    Write.objects.filter(deployment=pk).update(released=True)
    assert "pulling it out is safe" in first_step()
    proofs.void(
        list(Write.objects.filter(deployment=pk).values_list("pk", flat=True)), timezone.now(), "a test says so"
    )
    judged_again()
    assert "safe" not in first_step()
