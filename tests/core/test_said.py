"""What is said, word by word and with its place, its weight and its source: a finding that names the wrong line, or is a note where it
should stop, looks as good as a right one."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from mintseed.core.boot.causes import BootEvidence, rank_causes
from mintseed.core.card.again import ReadAgain, judge_again
from mintseed.core.card.end_of_card import judge_end
from mintseed.core.card.proof import WriteFacts, card_findings
from mintseed.core.card.room import RoomTest, judge_room
from mintseed.core.errors import InputError
from mintseed.core.find.candidates import PageAnswer
from mintseed.core.find.naming import NameFacts, judge_name
from mintseed.core.findings import COMMON_PRACTICE, Action, Finding, Severity, Where
from mintseed.core.image import refusals
from mintseed.core.image.checksums import compare_sha256
from mintseed.core.image.facts import Account, SystemFacts
from mintseed.core.image.refusals import IMAGE, UnreadableImageError
from mintseed.core.image.system import judge_system
from mintseed.core.recipes.model import DefaultLogin, Page
from mintseed.core.settings.editor_damage import check_name
from mintseed.core.setup.steps import judge_default_login, judge_page
from mintseed.core.site.names import check_scheme, scheme_finding

FOUND, OTHER = "ab" * 32, "cd" * 32
FIPS = "FIPS 180-4"
PASTE = "Copy the one on the download page: under Images it is pasted and compared."


@pytest.mark.parametrize(("published", "promised", "line", "said"), [
    (None, True, 0, Finding("image.sha256-unpublished", Severity.CHECK, "No published checksum to compare with", f"Its SHA-256 is {FOUND}.", PASTE,
                            Where(file="SUMS"), FIPS)),
    (None, False, 0, Finding("image.sha256-unpublished", Severity.NOTE, "No published checksum to compare with", f"Its SHA-256 is {FOUND}.", PASTE,
                             Where(file="SUMS"), FIPS)),
    (OTHER, True, 7, Finding("image.sha256-differs", Severity.STOP, "Not the file that was published",
                             f"SHA-256 is {FOUND}; line 7 of SUMS says {OTHER}.", "Download it again. If it differs again, do not use it.",
                             Where(file="SUMS", line=7), FIPS)),
    (OTHER, True, 0, Finding("image.sha256-differs", Severity.STOP, "Not the file that was published", f"SHA-256 is {FOUND}; SUMS says {OTHER}.",
                             "Download it again. If it differs again, do not use it.", Where(file="SUMS"), FIPS)),
    (FOUND, True, 7, Finding("image.sha256-matches", Severity.OK, "Whole, and the file that was published", "SHA-256 matches line 7 of SUMS.",
                             where=Where(file="SUMS", line=7), source=FIPS)),
])  # fmt: skip
def test_of_a_published_checksum(published: str | None, promised: bool, line: int, said: Finding) -> None:
    assert compare_sha256(FOUND, published, source_name="SUMS", promised=promised, line=line) == said


def test_a_checksum_is_promised_unless_somebody_says_otherwise() -> None:
    assert compare_sha256(FOUND, None, source_name="SUMS").severity is Severity.CHECK


URL = "http://192.0.2.7:5310/"
THERE = Where(part=URL)
AGAIN = "Is it still powered? Look for it again."
SIGNED, UNSIGNED = Page(port=5310, signature="Quiet desk"), Page(port=5310)


@pytest.mark.parametrize(("page", "answer", "said"), [
    (SIGNED, (200, "<h1>Quiet desk</h1>", ""), Finding("setup.page-answers", Severity.OK, "Its page answers", "It says Quiet desk.", where=THERE)),
    (SIGNED, (200, "<h1>Router</h1>", ""),
     Finding("setup.page-silent", Severity.STOP, "Its page does not answer", "Expected Quiet desk; found HTTP status 200.", AGAIN, THERE)),
    (SIGNED, (0, "", "connection refused"),
     Finding("setup.page-silent", Severity.STOP, "Its page does not answer", "Expected Quiet desk; found connection refused.", AGAIN, THERE)),
    (UNSIGNED, (200, "anything", ""),
     Finding("setup.page-answers", Severity.OK, "Its page answers", "What stands on it nobody said, so that it is its own cannot be told.", where=THERE)),
    (UNSIGNED, (503, "Quiet desk", ""),
     Finding("setup.page-silent", Severity.STOP, "Its page does not answer", "Expected a page; found HTTP status 503.", AGAIN, THERE)),
    (UNSIGNED, (0, "", ""), Finding("setup.page-silent", Severity.STOP, "Its page does not answer", "Expected a page; found no answer.", AGAIN, THERE)),
])  # fmt: skip
def test_of_a_page(page: Page, answer: tuple[int, str, str], said: Finding) -> None:
    status, body, trouble = answer
    assert judge_page(PageAnswer(URL, status, body, trouble), page) == said


LOGIN = DefaultLogin(
    path="/login", user_field="u", password_field="p", user="keeper", password="keeper", refused_status=403
)
OPENS = Finding("setup.default-login-opens", Severity.STOP, "The image's own login still opens it",
                "Everybody who has the image knows the password of keeper.", "Change it on the page, then check again.", THERE)  # fmt: skip


@pytest.mark.parametrize(("status", "said"), [
    (0, Finding("setup.login-unreached", Severity.STOP, "Could not ask the page", "What came of it: timed out.", AGAIN, THERE)),
    (403, Finding("setup.default-login-refused", Severity.OK, "The image's own login no longer opens it", "Tried it just now: refused with 403.", where=THERE)),
    (200, OPENS),
    (302, OPENS),
    (399, OPENS),
    (400, Finding("setup.login-unclear", Severity.CHECK, "The page gave no clear answer", "Expected 403 or a page; found 400.",
                  "Try the login by hand.", THERE)),
    (401, Finding("setup.login-unclear", Severity.CHECK, "The page gave no clear answer", "Expected 403 or a page; found 401.",
                  "Try the login by hand.", THERE)),
])  # fmt: skip
def test_of_the_login_an_image_came_with(status: int, said: Finding) -> None:
    trouble = "" if status else "timed out"
    assert judge_default_login(PageAnswer(URL, status, trouble=trouble), LOGIN) == said


PROVEN = datetime(2026, 11, 28, 9, 30, tzinfo=UTC)
UNSURE = Finding("card.unsure", Severity.CHECK, "Not sure any more that its card holds it", "Two cards begin alike.",
                 "Say whose card that is, put its own card into a reader, or write the card again.")  # fmt: skip
VOID = Finding(
    "card.proof-void",
    Severity.CHECK,
    "This card's proof no longer stands",
    "Its card was written with something else.",
    "Write the card again.",
)
OTHERWISE = Finding("card.filled-otherwise", Severity.NOTE, "This version would fill the files otherwise",
                    "Nothing you chose was changed since, and the card holds what was proven then.",
                    "Write it again only if you want what this version would write.")  # fmt: skip
SECOND_LOOK = Finding("card.second-look", Severity.NOTE, "Its size was measured without unplugging it",
                      "Marks all over its room were read back. A reader that answers from a memory of its own could hide that a card is smaller than it says.",
                      "To be sure, pull it out and put it back once: it is looked at again.")  # fmt: skip
SEEN_AGAIN = Finding("card.seen-again", Severity.OK, "Seen again after it was pulled out",
                     "Samples of what was written, and the marks all over its room, were still there.")  # fmt: skip
NEVER = Finding("card.never-began", Severity.CHECK, "The last write did not begin", "The reader was busy. It changed nothing on any card.",
                "Write the card again if you still want to.")  # fmt: skip
STOPPED = Finding(
    "card.never-began", Severity.NOTE, NEVER.title, "It was stopped. It changed nothing on any card.", NEVER.fix
)


@pytest.mark.parametrize(("write", "filled_otherwise", "powered_since", "said"), [
    (WriteFacts(), False, False, ()),
    (WriteFacts(writing=True, void_why="Its card was written with something else", never_began="The reader was busy."), True, False, ()),
    (WriteFacts(void_why="Its card was written with something else"), True, True, (VOID,)),
    (WriteFacts(unsure_why="Two cards begin alike", proven_at=PROVEN, marked=True), True, False, (UNSURE,)),
    (WriteFacts(proven_at=PROVEN), False, False, ()),
    (WriteFacts(proven_at=PROVEN), True, False, (OTHERWISE,)),
    (WriteFacts(proven_at=PROVEN, marked=True), False, False, (SECOND_LOOK,)),
    (WriteFacts(proven_at=PROVEN, marked=True), False, True, ()),
    (WriteFacts(proven_at=PROVEN, marked=True, looked_again=True), False, False, (SEEN_AGAIN,)),
    (WriteFacts(proven_at=PROVEN, marked=True, looked_again=True), True, True, (OTHERWISE, SEEN_AGAIN)),
    (WriteFacts(proven_at=PROVEN, looked_again=True), False, False, ()),
    (WriteFacts(never_began="The reader was busy."), False, False, (NEVER,)),
    (WriteFacts(never_began="It was stopped", stopped=True), False, False, (STOPPED,)),
    (WriteFacts(never_began="The reader was busy.", trouble="The card was pulled out"), False, False, ()),
    (WriteFacts(never_began="The reader was busy", proven_at=PROVEN), True, False, (NEVER, OTHERWISE)),
])  # fmt: skip
def test_of_the_last_write_and_its_card(
    write: WriteFacts, filled_otherwise: bool, powered_since: bool, said: tuple[Finding, ...]
) -> None:
    assert card_findings(write, filled_otherwise=filled_otherwise, powered_since=powered_since) == said


def _stop(code: str, title: str, detail: str, fix: str, source: str = COMMON_PRACTICE) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, source=source)


DOWNLOAD = "Download it again, and compare its checksum."
OF_THE_RELEASE = "Mind which file of the release is the image for a card."
NAMES = [f"{n}.txt" for n in range(8)]


@pytest.mark.parametrize(("error", "said", "text", "expected"), [
    (refusals.empty(), _stop("image.empty", "The file is empty", "", "Download it again."), "the file is empty", IMAGE),
    (refusals.web_page(),
     _stop("image.web-page", "This is a saved web page, not an image", "", "Open the download page again and follow its link to the file itself."),
     "this is a saved web page, not an image", IMAGE),
    (refusals.checksum_file(),
     _stop("image.checksum-file", "This is a checksum list, not an image", "It says what a whole download comes to.",
           "Keep it beside the image it speaks of, under a name that does not end like an image's."),
     "this is a checksum list, not an image. It says what a whole download comes to", IMAGE),
    (refusals.other_kind("a PDF document"), _stop("image.other-kind", "This is a PDF document, not an image", "", OF_THE_RELEASE),
     "this is a PDF document, not an image", IMAGE),
    (refusals.cut_short("xz", 1_500_000, "its index", ".xz 1.2.0 §2.1.2"),
     _stop("image.cut-short", "The xz data stops before its end", "At byte 1500000 (1.5 MB), without its index.",
           "The download was cut short: fetch it again.", ".xz 1.2.0 §2.1.2"),
     "the xz data stops before its end. At byte 1500000 (1.5 MB), without its index", ""),
    (refusals.damaged("gzip", 4096, "a bad code"),
     _stop("image.damaged", "The gzip data is damaged", "Within its first 4096 bytes: a bad code.", DOWNLOAD),
     "the gzip data is damaged. Within its first 4096 bytes: a bad code", "whole gzip data"),
    (refusals.trailing("bzip2", b"\x00\xff"),
     _stop("image.trailing-bytes", "Other bytes follow the end of the bzip2 data: 00 ff and on", "",
           "Something was added to the file, or two files were joined: download it again and compare its checksum."),
     "other bytes follow the end of the bzip2 data: 00 ff and on", "the end of the file, or more bzip2 data"),
    (refusals.window_too_large(),
     _stop("image.window", "Its zstd window is larger than 128 MiB", "",
           "Unpack it with zstd --long=31 -d, and put the unpacked image into the library.", "RFC 8878 §3.1.1.1.2"),
     "its zstd window is larger than 128 MiB", "a window that zstd unpacks without --long"),
    (refusals.locked("a/b.img"),
     _stop("image.locked", "The archive wants a password", "Encrypted in it: a/b.img.",
           "Unpack it with its password, and put the image into the library.", "APPNOTE.TXT §4.4.4"),
     "the archive wants a password. Encrypted in it: a/b.img", ""),
    (refusals.packed_otherwise("zip", "method 97"),
     _stop("image.packed-otherwise", "This zip is packed in a way that is not read here", "Met in it: method 97.", "Unpack it, and put the image itself into the library."),
     "this zip is packed in a way that is not read here. Met in it: method 97", IMAGE),
    (refusals.nested(["zip", "tar", "xz"]),
     _stop("image.nested", "It is packed in too many layers", "Outermost first: zip, tar, xz.", "Take the inner archive out, and put that into the library."),
     "it is packed in too many layers. Outermost first: zip, tar, xz", IMAGE),
    (refusals.bomb("3 TB", "64 GiB"),
     _stop("image.bomb", "It unpacks to more than any image does", "3 TB; 64 GiB are read.", "Do not use it; download the image from its own page."),
     "it unpacks to more than any image does. 3 TB; 64 GiB are read", ""),
    (refusals.none_inside("tar", NAMES, 9),
     _stop("image.none-inside", "No image is in this tar archive", "It holds 0.txt, 1.txt, 2.txt, 3.txt, 4.txt, 5.txt and 3 more.", OF_THE_RELEASE),
     "no image is in this tar archive. It holds 0.txt, 1.txt, 2.txt, 3.txt, 4.txt, 5.txt and 3 more",
     "one file that begins with a partition table, or is called like an image"),
    (refusals.none_inside("tar", NAMES[:6], 6),
     _stop("image.none-inside", "No image is in this tar archive", "It holds 0.txt, 1.txt, 2.txt, 3.txt, 4.txt, 5.txt.", OF_THE_RELEASE),
     "no image is in this tar archive. It holds 0.txt, 1.txt, 2.txt, 3.txt, 4.txt, 5.txt",
     "one file that begins with a partition table, or is called like an image"),
    (refusals.none_inside("zip", [], 0), _stop("image.none-inside", "No image is in this zip archive", "It holds no files.", OF_THE_RELEASE),
     "no image is in this zip archive. It holds no files", "one file that begins with a partition table, or is called like an image"),
    (refusals.gone_from_inside("a.img"),
     _stop("image.gone-from-inside", "a.img is not in the archive any more", "", "Read the archive again, and choose what is in it now."),
     "a.img is not in the archive any more", ""),
    (refusals.several("zip", [(f"{n}.img", 3 * 1024**2) for n in range(7)]),
     Finding("image.several", Severity.YET, "7 images are in this zip archive",
             "0.img (3 MiB), 1.img (3 MiB), 2.img (3 MiB), 3.img (3 MiB), 4.img (3 MiB), 5.img (3 MiB)", "Say which one is meant."),
     "7 images are in this zip archive. 0.img (3 MiB), 1.img (3 MiB), 2.img (3 MiB), 3.img (3 MiB), 4.img (3 MiB), 5.img (3 MiB)", ""),
])  # fmt: skip
def test_of_what_is_no_image(error: UnreadableImageError, said: Finding, text: str, expected: str) -> None:
    assert error.finding == said
    assert (error.found, error.expected, error.next_step) == (text, expected, said.fix)


def test_an_archive_offers_a_hundred_of_its_images_at_most() -> None:
    offered = refusals.several("zip", [(f"{n}.img", n) for n in range(150)]).inside
    assert offered == tuple((f"{n}.img", n) for n in range(100))


def test_of_a_cable_at_which_nothing_came() -> None:
    by_code = {c.code: c for c in rank_causes(BootEvidence("cable"))}
    cable, lease = by_code["boot.cause-cable"], by_code["boot.cause-lease"]
    assert (cable.title, cable.what_to_try, cable.action) == (
        "The cable is not in, or its other end is dead", "Look at the small lights at both ends; try another socket.", Action("See how it goes together", "boot"),
    )  # fmt: skip
    assert (lease.title, lease.what_to_try, lease.action) == (
        "The router gave no address", "Plug a laptop into the same socket: does it get an address?", Action("Look on the network", "find"),
    )  # fmt: skip
    assert [c.code for c in rank_causes(BootEvidence("cable"))][:2] == ["boot.cause-cable", "boot.cause-lease"]


HOLDS = "12 MB were read from the card and compared, block by block, with what was proven."
SOME = "8.19 kB of 12 MB lie in blocks that hold something else, the first of them at 1 MB."


@pytest.mark.parametrize(("found", "booted", "said"), [
    (ReadAgain(12_000_000), False, Finding("card.holds-as-written", Severity.OK, "It holds what was written to it, byte for byte", HOLDS, where=Where(part="/dev/x"))),
    (ReadAgain(12_000_000, left_bytes=3_000_000), True,
     Finding("card.holds-as-written", Severity.OK, "It holds what was written to it, byte for byte",
             f"{HOLDS} The 3 MB that nothing uses were not written, and are not compared.", where=Where(part="/dev/x"))),
    (ReadAgain(12_000_000, 8192, 1_000_000), True,
     Finding("card.lived-with", Severity.NOTE, "It holds something else than was written, as a booted card does",
             f"{SOME} A system writes to its card from its first boot on; the proof spoke for the time before.", where=Where(part="/dev/x"))),
    (ReadAgain(12_000_000, 8192, 1_000_000), False,
     Finding("card.changed-unbooted", Severity.STOP, "It holds something else than was written, and was in no board here since",
             f"{SOME} Something else wrote to it, or it is failing.", "Write it again. If it is otherwise once more, take another card.", Where(part="/dev/x"))),
    (ReadAgain(12_000_000, 1, None), False,
     Finding("card.changed-unbooted", Severity.STOP, "It holds something else than was written, and was in no board here since",
             "1 byte of 12 MB lie in blocks that hold something else, the first of them at 0 bytes. Something else wrote to it, or it is failing.",
             "Write it again. If it is otherwise once more, take another card.", Where(part="/dev/x"))),
])  # fmt: skip
def test_of_a_card_that_is_read_once_more(found: ReadAgain, booted: bool, said: Finding) -> None:
    assert judge_again(found, "/dev/x", booted=booted) == said


RATES = "Written at 10 MB/s, read back at 20 MB/s, measured here."


@pytest.mark.parametrize(("right_bytes", "said"), [
    (1_000_000_000, Finding("card.room-holds", Severity.OK, "It holds all of the 1 GB it says", f"Every byte was written and read back alike. {RATES}",
                            where=Where(part="/dev/x"))),
    (999_999_999, Finding("card.gives-other-bytes", Severity.STOP, "1 byte of it came back other than written", f"The card or the reader is failing. {RATES}",
                          "Test it once more in another reader; if it comes out the same, throw it away.", Where(part="/dev/x"))),
    # Just what is called failing still, and what is called smaller than it says.
    (990_000_000, Finding("card.gives-other-bytes", Severity.STOP, "10 MB of it came back other than written", f"The card or the reader is failing. {RATES}",
                          "Test it once more in another reader; if it comes out the same, throw it away.", Where(part="/dev/x"))),
    (989_999_999, Finding("card.holds-less", Severity.STOP, "It holds about 990 MB of the 1 GB it says", f"10 MB of what was written did not come back. {RATES}",
                          "Throw it away or give it back: a system on it loses its data once it grows.", Where(part="/dev/x"))),
])  # fmt: skip
def test_of_all_of_a_cards_room(right_bytes: int, said: Finding) -> None:
    assert judge_room(RoomTest(1_000_000_000, right_bytes, 100.0, 50.0), "/dev/x") == said


def test_a_rate_that_took_no_time_is_none() -> None:
    assert judge_room(RoomTest(4096, 4096, 0.0, 0.0), "/dev/x").detail.endswith(
        "Written at a rate too high to be measured, read back at a rate too high to be measured, measured here."
    )


@pytest.mark.parametrize(("name", "title"), [
    ("device.conf.txt", "A second extension hides behind the name"),
    ("device(1).conf", "This is a second copy of the file"),
    ("device (12).conf", "This is a second copy of the file"),
    ("Device.CONF", "Capital and small letters are mixed up in the name"),
    ("devices.conf", "The file has another name"),
    ("device (x).conf", "The file has another name"),
])  # fmt: skip
def test_of_a_settings_files_name(name: str, title: str) -> None:
    assert list(check_name(name, "device.conf")) == [
        Finding("file.name", Severity.STOP, title, f"It is called {name}; the image looks for device.conf and nothing else.", "Rename it to device.conf.",
                Where(file=name)),
    ]  # fmt: skip


@pytest.mark.parametrize(("account", "how"), [
    (Account("mo", "open"), "without a password"),
    (Account("mo", "password", "SHA-512", own_name=True), "with its own name as password"),
    (Account("mo", "open", own_name=True), "without a password"),
])  # fmt: skip
def test_of_a_login_anybody_knows(account: Account, how: str) -> None:
    assert list(judge_system(SystemFacts(accounts=(account,)))) == [
        Finding("image.login-known", Severity.CHECK, f"mo logs in {how}",
                "So it is on every card that is written from this image, and anybody on the network may know it.",
                "Give it a password of its own under Settings, or in its first minutes.", Where(file="etc/shadow", field="mo"), "shadow(5)"),
    ]  # fmt: skip


@pytest.mark.parametrize("scheme", ["press", "{place}-press", "{place}-{board}-{appliance}"])
def test_of_a_scheme_that_makes_one_name(scheme: str) -> None:
    assert list(scheme_finding(scheme)) == [
        Finding("site.scheme-one-name", Severity.NOTE, "The name scheme makes few different names",
                "Where it makes one that is taken, a number is put behind it.", "Add {n}, as in {place}-{name}-{n}.", Where(field="name_scheme")),
    ]  # fmt: skip


@pytest.mark.parametrize("scheme", ["", "{name}", "press-{n}", "press-{nn}", "{place}-{name}-{n}"])
def test_a_scheme_that_makes_many_names_is_nothing(scheme: str) -> None:
    assert list(scheme_finding(scheme)) == []


@pytest.mark.parametrize(("scheme", "found", "expected", "next_step"), [
    ("{colour}-{n}", "{colour} is nothing a name can be made of", "one of {place}, {appliance}, {name}, {board}, {n}, {nn}", ""),
    ("x" * 61, "61 letters are too many", "at most 60", ""),
    ("{name}_{n}", "no host name has '_' in it", "letters, digits, hyphens and the words in braces", "As in {place}-{name}-{n}."),
    ("{name", "no host name has '{' in it", "letters, digits, hyphens and the words in braces", "As in {place}-{name}-{n}."),
])  # fmt: skip
def test_of_a_scheme_that_cannot_be(scheme: str, found: str, expected: str, next_step: str) -> None:
    with pytest.raises(InputError) as raised:
        check_scheme(scheme)
    assert (raised.value.found, raised.value.expected, raised.value.where, raised.value.next_step) == (
        found,
        expected,
        "name_scheme",
        next_step,
    )


@pytest.mark.parametrize(
    ("scheme", "kept"), [("", ""), ("  ", ""), (" {Place}-{NN} ", "{place}-{nn}"), ("x" * 60, "x" * 60)]
)
def test_a_scheme_is_kept_in_small_letters(scheme: str, kept: str) -> None:
    assert check_scheme(scheme) == kept


def test_of_an_old_table_at_the_end() -> None:
    assert judge_end("/dev/x") == Finding(
        "card.old-table-at-end", Severity.NOTE, "An old partition table stands at the end of this card",
        "Some boards and tools read it and see partitions that are gone; no image smaller than the card reaches there.",
        "Have it cleared with the write.", Where(part="/dev/x"), "UEFI 2.10 §5.3.2, the backup GPT header in the last sector",
    )  # fmt: skip


WHERE = Where(part="name", field="Press")
BY_ADDRESS = "Use its address, and have the router keep that for it."
NOT_YET = Finding("find.name-not-yet", Severity.NOTE, "Not answering to Press.local yet", "A name may come some minutes after the address.",
                  "Open its page by the address meanwhile.", WHERE, "RFC 6762 §3")  # fmt: skip
NOT_ASKED = Finding("find.name-not-asked", Severity.NOTE, "Nobody asked for Press.local",
                    "This machine has no address in the site's own ranges, so it cannot ask there.", BY_ADDRESS, WHERE, "RFC 6762 §3")  # fmt: skip
SILENT = Finding("find.name-silent", Severity.NOTE, "Not answering to Press.local",
                 "It may take none from the settings, or nothing on it announces names; some networks keep such questions from each other.",
                 BY_ADDRESS, WHERE, "RFC 6762 §3")  # fmt: skip
OWN = Finding("find.name-own", Severity.CHECK, "It does not answer to Press.local", "It answers to farsight.local: the name was not taken from the settings.",
              "Open it as farsight.local or by its address, and set the name on its page.", WHERE, "RFC 6762 §3")  # fmt: skip


@pytest.mark.parametrize(("facts", "ago_s", "announces", "said"), [
    (NameFacts(True, ("192.0.2.9", "192.0.2.7")), 10, None,
     Finding("find.name-answers", Severity.OK, "Answers to Press.local", "It was asked for by itself.", where=WHERE, source="RFC 6762 §3")),
    (NameFacts(True, ("192.0.2.9",), instead="farsight"), 999, False,
     Finding("find.name-elsewhere", Severity.CHECK, "Press.local is another device", "192.0.2.9 answers to that name.",
             "Give this one another name under Settings, or rename the other one.", WHERE, "RFC 6762 §3")),
    (NameFacts(True, asks=False), 999, None, NOT_ASKED),
    (NameFacts(asks=False), 0, None, NOT_ASKED),
    (NameFacts(), 999, None, NOT_YET),
    (NameFacts(True), 299.9, None, NOT_YET),
    (NameFacts(True, instead="farsight"), 299.9, None, NOT_YET),
    (NameFacts(True), 300, None, SILENT),
    (NameFacts(True), 300, True, SILENT),
    (NameFacts(True), 300, False, replace(SILENT, detail="Nothing was found on its image that announces names.")),
    (NameFacts(True, instead="farsight"), 300, None, OWN),
    (NameFacts(True, instead="pRESS"), 300, None, SILENT),
])  # fmt: skip
def test_of_a_devices_name(facts: NameFacts, ago_s: float, announces: bool | None, said: Finding) -> None:
    """Names know no case (RFC 6762 §16)."""
    assert (
        judge_name("Press", frozenset({"192.0.2.7", "192.0.2.8"}), facts, joined_ago_s=ago_s, announces=announces)
        == said
    )
