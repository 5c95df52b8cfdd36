"""Device trees, kernels, checksum lists, and where the page will be."""

from __future__ import annotations

import contextlib
import hashlib
import subprocess
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.adapters.nginx_lexer import nginx_tokens
from mintseed.core.errors import DeviceTreeError, InputError
from mintseed.core.findings import Severity
from mintseed.core.image.checksums import Listed, compare_sha256, listed_beside, listed_for, pasted
from mintseed.core.image.device_tree import read_device_tree
from mintseed.core.image.facts import PageFacts
from mintseed.core.image.kernel import read_kernel
from mintseed.core.image.page import has_announcer, read_page_facts
from mintseed.standins.board.card_bytes import device_tree_names
from mintseed.standins.forge.build import kernel
from tests.builders.disks import device_tree, run

NAMES = ["fernworks,larkspur-r", "fernworks,larkspur"]


def test_names_agree_with_fdtget(tmp_path: Path) -> None:
    # fdtget(1) of device-tree-compiler
    data = device_tree(NAMES)
    path = tmp_path / "board.dtb"
    path.write_bytes(data)
    told = run("fdtget", path, "/", "compatible").decode().split()
    tree = read_device_tree(data, file="board.dtb")
    assert list(tree.compatible) == told == NAMES
    assert tree.model == run("fdtget", path, "/", "model").decode().strip()


def test_the_boards_own_reader_agrees() -> None:
    assert device_tree_names(device_tree(NAMES)) == NAMES


@given(st.data())
def test_damaged_trees_give_names_or_our_error(good_tree: bytes, data: st.DataObject) -> None:
    damaged = bytearray(good_tree)
    for _ in range(data.draw(st.integers(0, 6))):
        damaged[data.draw(st.integers(0, len(damaged) - 1))] ^= data.draw(st.integers(1, 255))
    cut = data.draw(st.integers(0, len(damaged)))
    with contextlib.suppress(DeviceTreeError):
        read_device_tree(bytes(damaged[:cut]), file="x.dtb")


@pytest.fixture(scope="module")
def good_tree() -> bytes:
    data = device_tree(NAMES)
    assert read_device_tree(data, file="x").compatible == tuple(NAMES)
    return data


@pytest.mark.parametrize("bits", [32, 64])
def test_kernel_word_size(bits: int) -> None:
    # Linux documentation: arm64 booting §4, "ARM\\x64" at 56; zImage magic 0x016f2818 at 0x24.
    assert read_kernel(kernel(bits, "seed")[:64]) == (bits, "arm")


@given(st.binary(max_size=80))
def test_other_heads_are_no_kernel(head: bytes) -> None:
    known = head[0x38:0x3C] == b"ARM\x64" or head[0x24:0x28] == b"\x18\x28\x6f\x01"
    assert (read_kernel(head) is not None) is known


@pytest.mark.parametrize(("load_flags", "bits"), [(0x7F, 64), (0x7E, 32), (None, 32)])
def test_a_pcs_kernel_tells_its_word_size(load_flags: int | None, bits: int) -> None:
    """Source: The Linux/x86 Boot Protocol; Debian's vmlinuz 6.1.0-57-amd64 has 0x7f there, XLF_KERNEL_64 being bit 0."""
    head = bytearray(0x240)
    head[0x1FE:0x200], head[0x202:0x206] = b"\x55\xaa", b"HdrS"
    head[0x236] = load_flags or 0
    found = read_kernel(bytes(head if load_flags is not None else head[:0x230]))
    assert found == (bits, "pc")


def test_a_kernel_for_riscv_tells_it() -> None:
    """Source: Linux documentation, RISC-V boot image header: magic2 at 56."""
    assert read_kernel(bytes(0x38) + b"RSC\x05") == (64, "riscv")


def test_a_boot_sector_is_no_kernel() -> None:
    assert read_kernel(bytes(0x1FE) + b"\x55\xaa" + bytes(0x40)) is None


SUM = hashlib.sha256(b"content").hexdigest()


@pytest.mark.parametrize(("line", "taken"), [
    (f"{SUM}  a.img", True), (f"{SUM} *a.img", True), (f"{SUM} a.img", True), (f"{SUM}\ta.img", True), (f"  {SUM}  a.img", True), (f"{SUM.upper()}  a.img", True),
    (f"{SUM}  a.img\r", True), (f"SHA256 (a.img) = {SUM}", True), (f"SHA256(a.img)= {SUM}", True), (f"SHA256 (a.img)= {SUM}", True),
    (f"{SUM[:-1]}  a.img", False), (f"{SUM}a.img", False), (f"SHA512 (a.img) = {SUM}", False), (f"SHA256 [a.img] = {SUM}", False), (f"a.img  {SUM}", False),
])  # fmt: skip
def test_a_line_of_a_list_is_read_as_the_tool_for_such_lists_reads_it(tmp_path: Path, line: str, taken: bool) -> None:
    # sha256sum(1) -c of coreutils 9.1, of both styles and of what hands and other tools write.
    (tmp_path / "a.img").write_bytes(b"content")
    done = subprocess.run(
        ["sha256sum", "-c", "--strict"], cwd=tmp_path, input=f"{line}\n", text=True, capture_output=True, check=False
    )
    assert (done.returncode == 0) is taken
    assert listed_for(line, "a.img", alone=False) == (Listed(SUM, 1) if taken else None)


def test_what_openssl_says_of_a_file_is_read() -> None:
    # openssl-dgst(1) of OpenSSL 3.0, which sha256sum -c of coreutils 9.1 does not read.
    assert listed_for(f"SHA2-256(a.img)= {SUM}", "a.img", alone=False) == Listed(SUM, 1)


@pytest.mark.parametrize("arguments", [["sha256sum"], ["sha256sum", "--tag"], ["sha256sum", "-b"]])
def test_lists_as_coreutils_writes_them(tmp_path: Path, arguments: list[str]) -> None:
    # sha256sum(1) of coreutils, both styles
    path = tmp_path / "an image.img"
    path.write_bytes(b"content")
    listed = subprocess.run([*arguments, path.name], cwd=tmp_path, capture_output=True, text=True, check=True).stdout
    assert listed_for(f"# sums\n\n{listed}", path.name) == Listed(hashlib.sha256(b"content").hexdigest(), 3)
    assert listed_for(listed, "another.img") is None
    assert pasted(listed, path.name).sha256 == hashlib.sha256(b"content").hexdigest()
    with pytest.raises(InputError, match=r"it speaks of an image|no SHA-256"):
        pasted(listed, "another.img")


def test_a_lone_hash_counts_for_any_name_unless_it_may_be_another_s() -> None:
    assert listed_for("AB" * 32 + "\n", "x.img") == Listed("ab" * 32, 1)
    assert listed_for("AB" * 32 + "\n", "x.img", alone=False) is None
    assert listed_for("nonsense\n", "x.img") is None


def test_of_lists_beside_an_image_the_one_that_speaks_of_it_counts() -> None:
    right, wrong = "a" * 64, "b" * 64
    assert listed_beside([("other.img.sha256", right)], "x.img", right) is None, (
        "a hash without a name, of another file"
    )
    assert listed_beside([("x.img.sha256", right)], "x.img", right) == ("x.img.sha256", Listed(right, 1))
    old_and_new = [("old.sha256", f"{wrong}  x.img\n"), ("SHA256SUMS", f"{wrong}  y.img\n{right} *x.img\n")]
    assert listed_beside(old_and_new, "x.img", right) == ("SHA256SUMS", Listed(right, 2))
    assert listed_beside(old_and_new, "x.img", "c" * 64) == ("old.sha256", Listed(wrong, 1))


@pytest.mark.parametrize(
    ("tool", "kind"),
    [("sha512sum", "a SHA-512"), ("sha384sum", "a SHA-384"), ("sha1sum", "a SHA-1"), ("md5sum", "an MD5")],
)
def test_another_sum_is_called_what_it_is(tool: str, kind: str) -> None:
    said = subprocess.run([tool], input="x", capture_output=True, text=True, check=True).stdout
    with pytest.raises(InputError, match=f"that is {kind}"):
        pasted(said, "x.img")


def test_a_hash_is_pasted_as_pages_show_it() -> None:
    assert pasted(f"  {'AB' * 32}\n", "x.img").sha256 == "ab" * 32
    assert pasted(f"SHA256 (x.img) = {'a' * 64}", "x.img").sha256 == "a" * 64
    for nothing in ("", "hello", "a" * 63, f"{'a' * 64} {'b' * 64}"):
        with pytest.raises(InputError):
            pasted(nothing, "x.img")


def test_comparison_has_three_answers() -> None:
    assert compare_sha256("a" * 64, "a" * 64, source_name="list").severity is Severity.OK
    assert compare_sha256("a" * 64, "b" * 64, source_name="list").severity is Severity.STOP
    assert compare_sha256("a" * 64, None, source_name="list").severity is Severity.CHECK


ROOT = {
    "etc/hostname": b"platen\n",
    "etc/os-release": b'NAME="Platen"\nVERSION_ID="3.2"\n',
    "etc/webpage/site.conf": b"# page\nlisten 5310;\n",
    "etc/avahi/services/p.service": b"<service-group><service><type>_http._tcp</type><port>5310</port></service></service-group>",
}


def test_the_page_is_worked_out_from_the_root_volume() -> None:
    facts = read_page_facts(ROOT, (), nginx_tokens)
    assert (facts.host_name, facts.port, facts.announces, facts.release) == ("platen", 5310, "_http._tcp", "3.2")
    assert facts.url() == "http://platen.local:5310/"
    assert facts.url("press") == "http://press.local:5310/"


def test_all_that_files_say_of_the_page_and_where_they_say_it() -> None:
    files = {k: v for k, v in ROOT.items() if k != "etc/os-release"}
    files["usr/lib/os-release"] = b'# NAME=of old\nNAME="Platen=\x07 three"\nVERSION_ID=3.2\nno pair\n'
    files["etc/avahi/services/a.txt"] = files.pop("etc/avahi/services/p.service")
    files["etc/avahi/other/b.service"] = files["etc/avahi/services/a.txt"]
    files["etc/avahi/services/z.service"] = (
        b"<service-group><x><type>_http._tcp</type></x><service><type>_ssh._tcp</type></service><service><type> _https._tcp </type></service></service-group>"
    )
    facts = read_page_facts(files, ("sh", "mdnsd"), nginx_tokens)
    assert facts == PageFacts(
        "platen", "etc/hostname", "Platen=\\x07 three", "3.2", 5310, "etc/webpage/site.conf", "_https._tcp", None, "etc/avahi/services/z.service",
        listeners=facts.listeners, announcer=True,
    )  # fmt: skip
    assert (
        read_page_facts(
            {"etc/avahi/services/z.service": files["etc/avahi/services/z.service"]}, (), nginx_tokens
        ).scheme
        == "https"
    )
    assert read_page_facts({}, ("sh",), nginx_tokens) == PageFacts(announcer=False)


@pytest.mark.parametrize(
    ("resolved", "answers"),
    [("MulticastDNS=yes", True), ("MulticastDNS=TRUE", True), ("MulticastDNS=no", False), ("MulticastDNS=resolve", False), ("LLMNR=yes", False), ("#MulticastDNS=yes", False)],
)  # fmt: skip
def test_the_resolver_answers_for_names_where_it_is_told_to(resolved: str, answers: bool) -> None:
    """Source: resolved.conf(5), MulticastDNS=: with resolve it asks and does not answer."""
    files = {"etc/systemd/resolved.conf": f"[Resolve]\n{resolved}\n".encode()}
    assert has_announcer(("sh",), files) is answers
    assert has_announcer((), files) is (True if answers else None), "where no program was seen, nothing is known"


def test_other_bytes_give_another_page() -> None:
    assert (
        read_page_facts({**ROOT, "etc/webpage/site.conf": b"listen 80;\n"}, (), nginx_tokens).url()
        == "http://platen.local/"
    )
    assert read_page_facts({**ROOT, "etc/hostname": b"kiosk"}, (), nginx_tokens).url() == "http://kiosk.local:5310/"
    assert read_page_facts({}, (), nginx_tokens).url() == ""


@given(st.dictionaries(st.sampled_from(sorted(ROOT)), st.binary(max_size=200)))
def test_any_root_files_give_facts(files: dict[str, bytes]) -> None:
    read_page_facts(files, (), nginx_tokens)


def test_entities_in_a_service_file_are_not_expanded() -> None:
    bomb = b'<!DOCTYPE x [<!ENTITY a "aaaa">]><service-group><service><type>&a;</type></service></service-group>'
    assert read_page_facts({"etc/avahi/services/p.service": bomb}, (), nginx_tokens).announces == ""


def facts(conf: str = "", **services: str) -> PageFacts:
    files = {"etc/hostname": b"hub\n", "etc/webpage/site.conf": conf.encode()}
    return read_page_facts(
        files | {f"etc/avahi/services/{n}.service": t.encode() for n, t in services.items()}, (), nginx_tokens
    )


# What nginx's own documentation of `listen` says each of these means.
@pytest.mark.parametrize(
    ("conf", "url"),
    [
        ("server {\n  listen 192.168.1.5;\n}", "http://hub.local/"),
        ("listen 443 ssl;", "https://hub.local/"),
        ("listen 127.0.0.1:8080;\nlisten 5310;", "http://hub.local:5310/"),
        ("listen localhost:9000;", ""),
        ("listen [::1]:9000;", ""),
        ("listen [::]:8123;", "http://hub.local:8123/"),
        ("listen *:81; # listen 82;", "http://hub.local:81/"),
        ("# listen 82;", ""),
        ("listen 8443 ssl http2;", "https://hub.local:8443/"),
        ("listen \u00b2;", ""),
        ("listen 99999;", ""),
        ("listen unix:/run/page.sock;", ""),
    ],
)
def test_where_a_web_server_listens(conf: str, url: str) -> None:
    assert facts(conf).url() == url


def test_only_a_service_with_a_web_type_is_the_page() -> None:
    service = "<service-group><service><type>{}</type><port>{}</port></service></service-group>"
    found = facts(a=service.format("_ssh._tcp", 22), b=service.format("_https._tcp", 443))
    assert (found.url(), found.announce_file) == ("https://hub.local/", "etc/avahi/services/b.service")
    assert facts(a=service.format("_ssh._tcp", 22)).url() == ""
    assert facts(a=service.format("_http._tcp", "\u00b2")).url() == ""
    assert facts(a=service.format("_http._tcp", "9" * 5000)).url() == ""


def test_a_tree_that_names_nobody_is_our_error() -> None:
    with pytest.raises(DeviceTreeError, match="names no board"):
        read_device_tree(device_tree([""]), file="x.dtb")


@pytest.mark.parametrize("text", ["{} *a/deep folder/x.img\n", "{}  x.img\n", "SHA256 (a/deep folder/x.img) = {}\n"])
def test_a_file_is_listed_by_the_last_part_of_its_place(text: str) -> None:
    """coreutils, sha256sum: the name as it was given, folders and all; --tag writes it as BSD's tools do."""
    assert listed_for(text.format("ab" * 32), "x.img", alone=False) == Listed("ab" * 32, 1)
    assert listed_for(text.format("ab" * 32), "folder/x.img", alone=False) is None
