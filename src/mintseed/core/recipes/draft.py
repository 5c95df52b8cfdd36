"""A recipe drafted from what stands in an image: each line with where it comes from and how sure it is.

Nothing here is decided for anybody: what cannot be read is asked or named as assumed, and the person ticks, changes, leaves out.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import yaml

from mintseed.core.boards.model import Architecture
from mintseed.core.described import free_ident
from mintseed.core.image.naming import own_name
from mintseed.core.image.report import XRay
from mintseed.core.image.web_servers import why_of
from mintseed.core.limits import MAX_SHOWN_CHARACTERS
from mintseed.core.recipes.draft_files import DraftFile, boot_files, file_said, root_files
from mintseed.core.recipes.model import HOST_NAME
from mintseed.core.units import GB, MB, NOMINAL_CARD_GB
from mintseed.core.visible import visible
from mintseed.core.words import some

Sure = Literal["read", "guessed", "assumed", "unknown"]
"""`read` in the image; `guessed` from something in it; `assumed` of any image; `unknown`: nothing says it."""

ASSUMED_BOOT = {"assumed": True, "usual_from_s": 30, "usual_to_s": 300, "late_after_s": 600, "hopeless_after_s": 1800}
"""seconds; a first boot that grows its volume and makes its keys takes minutes on a slow board (common practice)"""

ASSUMED_PORT = 80
"""RFC 9110 §4.2.1"""

UNNAMED_HOST = "mint"
"""the name that is put before numbers where the image says none"""


@dataclass(frozen=True, slots=True)
class DraftLine:
    """One thing the recipe will say. `source`: the file or the reason it is said for."""

    what: str
    value: str
    source: str
    sure: Sure


@dataclass(frozen=True, slots=True)
class Question:
    """Something the image cannot say. Each may be left open; `answer` names the choice that takes it."""

    answer: Literal["page_port", "signature", "name"]
    text: str
    hint: str


@dataclass(frozen=True, slots=True)
class Draft:
    """What an image says of itself, as a recipe would."""

    ident: str
    name: str
    version: str
    file_name: str
    host_name: str
    bits: Literal[32, 64]
    architecture: Architecture
    boards: tuple[str, ...]
    unpacked_bytes: int
    least_gb: int
    advised_gb: int
    scheme: Literal["http", "https"]
    port: int | None
    files: tuple[DraftFile, ...]
    lines: tuple[DraftLine, ...]
    questions: tuple[Question, ...]


@dataclass(frozen=True, slots=True)
class Choices:
    """What a person made of a draft. None where they left it as it was proposed. `files`: paths of those that are filled."""

    name: str | None = None
    kind: str = ""
    host_name: str | None = None
    page_port: int | None = None
    signature: str = ""
    files: Collection[str] | None = None


def draft_of(xray: XRay, taken: Collection[str] = ()) -> Draft:
    """Return the draft of an image's recipe. `taken`: ids that other recipes have."""
    version, version_line = _version(xray)
    name, name_line = _name(xray, version)
    host, host_line = _host(xray)
    least, advised = _card(xray.unpacked_bytes)
    on_boot = tuple(boot_files(xray))
    files = (*on_boot, *root_files(xray, on_boot))
    port, scheme = xray.page.port, "https" if xray.page.scheme == "https" else "http"
    lines = (
        name_line, version_line, host_line, _network_line(files, xray), *_looked_for_line(xray), _page_line(xray), *_login_lines(xray), _boards_line(xray),
        DraftLine("Card", f"at least {least} GB", f"it unpacks to {xray.unpacked_bytes / GB:.2f} GB", "read"),
        DraftLine("First boot", "half a minute to five minutes, late after ten", "nobody said: so it is with most", "assumed"),
    )  # fmt: skip
    return Draft(
        free_ident(name, taken, "own-image"), name, version, own_name(xray.file_name), host, _bits(xray), xray.architectures[0] if len(xray.architectures) == 1 else "arm", xray.compatible[:400], xray.unpacked_bytes, least,
        advised, scheme, port, files, lines, tuple(_questions(xray)),  # type: ignore[arg-type]
    )  # fmt: skip


def recipe_text(draft: Draft, chosen: Choices = Choices()) -> str:
    """Return the draft, with what the person made of it, as the text of an ordinary recipe."""
    name = (chosen.name or draft.name).strip()
    port = chosen.page_port or draft.port
    page: dict[str, object] = (
        {"scheme": draft.scheme, "port": port} if port else {"assumed": True, "port": ASSUMED_PORT}
    )
    if chosen.signature:
        page["signature"] = chosen.signature
    takes = [f for f in draft.files if (f.take if chosen.files is None else f.path in chosen.files)]
    said: dict[str, object] = {
        "recipe": 1,
        "id": draft.ident,
        "name": name,
        "kind": chosen.kind.strip() or "own image",
        "summary": f"Drafted from what stands in {draft.file_name}.",
        "releases": [{"version": draft.version, "builds": [build_said(draft)]}],
        "card": {"least_gb": draft.least_gb, "advised_gb": draft.advised_gb},
        # What takes no network before its first boot comes by cable first.
        "ways": ["wifi", "cable"] if any(f.takes_wifi for f in takes) else ["cable", "wifi"],
        "ways_in": ["fill-before", "cable-first", "screen"] if takes else ["cable-first", "screen"],
        "host_name": (chosen.host_name or draft.host_name).strip(),
        "files": [file_said(f) for f in takes],
        "boot": dict(ASSUMED_BOOT),
        "page": page,
    }
    if port:
        said["setup"] = [PAGE_STEP]
    return yaml.safe_dump(said, sort_keys=False, allow_unicode=True, width=120)


def build_said(draft: Draft) -> dict[str, object]:
    """Return the image as a build of a release."""
    build: dict[str, object] = {
        "id": f"{draft.bits}-bit", "bits": draft.bits, "file": draft.file_name, "unpacked_mb": round(draft.unpacked_bytes / MB) or 1,
    }  # fmt: skip
    if draft.architecture != "arm":
        build["architecture"] = draft.architecture
    if draft.boards:
        build["boards"] = list(draft.boards)
    return build


PAGE_STEP = {
    "id": "page", "title": "Open its page", "do": "Open the page at the address above.", "see": "The page it should show.",
    "check": "page-answers",
}  # fmt: skip


def _plain(text: str) -> str:
    return " ".join(visible(text).split())[:60]


_VERSION = re.compile(r"(?:^|[-_v ])(\d+(?:\.\d+){1,3}|\d{4}-\d{2}-\d{2}|\d{8})(?=[-_. ]|$)", re.ASCII)
_ENDINGS = re.compile(r"(?:\.(?:img|iso|raw|bin|wic|xz|gz|zst|bz2|zip|7z|tar|txz|tgz))+$", re.IGNORECASE)


def _version(xray: XRay) -> tuple[str, DraftLine]:
    """Return its release: the file's name tells of an appliance, os-release mostly of the system it is made of."""
    stem = _ENDINGS.sub("", own_name(xray.file_name))
    if found := _VERSION.search(stem):
        return found[1], DraftLine("Release", found[1], "the file's name", "guessed")
    if text := _plain(xray.page.release)[:40].strip():
        return text, DraftLine("Release", text, "etc/os-release", "read")
    return "1", DraftLine("Release", "1", "nothing says it", "unknown")


def _name(xray: XRay, version: str) -> tuple[str, DraftLine]:
    stem = _ENDINGS.sub("", own_name(xray.file_name))
    cut = stem.split(version)[0] if version in stem else stem
    words = [w for w in re.split(r"[-_. ]+", cut) if w and w.lower() not in _NO_NAMES]
    text = _plain(" ".join(words)).capitalize()
    if text:
        return text, DraftLine("Name", text, "the file's name", "guessed")
    text = _plain(xray.page.system) or "Own image"
    return text, DraftLine(
        "Name",
        text,
        "etc/os-release" if xray.page.system else "nothing says it",
        "guessed" if xray.page.system else "unknown",
    )


_NO_NAMES = (
    "img",
    "image",
    "release",
    "latest",
    "32",
    "64",
    "32bit",
    "64bit",
    "arm",
    "arm64",
    "armhf",
    "aarch64",
    "riscv64",
    "v",
)


def _host(xray: XRay) -> tuple[str, DraftLine]:
    name = xray.page.host_name
    if name and HOST_NAME.fullmatch(name):
        return name, DraftLine("Host name", name, xray.page.host_name_file, "read")
    return UNNAMED_HOST, DraftLine("Host name", UNNAMED_HOST, "no file says one that can be used", "unknown")


def _card(unpacked_bytes: int) -> tuple[int, int]:
    """Return (least, advised) sizes in GB as printed on cards. Advised leaves as much again for what is put on it (common practice)."""
    fits = [gb for gb in NOMINAL_CARD_GB if gb * GB >= unpacked_bytes * CARD_SPARE] or [NOMINAL_CARD_GB[-1]]
    return fits[0], next((gb for gb in fits if gb >= 2 * fits[0]), fits[0])


CARD_SPARE = 1.05
"""cards hold a few hundredths less than is printed on them (common practice)"""


def _bits(xray: XRay) -> Literal[32, 64]:
    return 32 if xray.kernels == (32,) or 32 in xray.kernels else 64


def _network_line(files: Sequence[DraftFile], xray: XRay) -> DraftLine:
    taken = next((f for f in files if f.takes_wifi), None)
    if taken is not None:
        return DraftLine(
            "Network",
            "by Wi-Fi, or by cable",
            f"{taken.path} takes a network; that it has a socket is assumed",
            "assumed",
        )
    started = next(iter(xray.system.networks), None)
    why = f"{started.file} starts {started.value}, and nothing it reads is filled here" if started else ""
    return DraftLine(
        "Network", "by cable, or by Wi-Fi set up later", why or "nothing that takes a network was found", "assumed"
    )


def _looked_for_line(xray: XRay) -> Iterator[DraftLine]:
    """Yield what its own scripts look for on the boot volume and do not find there."""
    there = {f.path.lower() for f in xray.files}
    missing = [fact for fact in xray.system.looks_for if fact.value.lower() not in there]
    if missing and xray.boot_volume:
        yield DraftLine(
            "Boot volume",
            f"could hold {some(fact.value for fact in missing)}",
            f"{missing[0].file} looks for it",
            "read",
        )


def _page_line(xray: XRay) -> DraftLine:
    page = xray.page
    if page.listen_port:
        told = next(
            (one for one in page.listeners if (one.port, one.file) == (page.listen_port, page.listen_file)), None
        )
        plain = told is None or (told.how == "settings" and told.starts is not False and not told.sends_on)
        source = page.listen_file if told is None or plain else f"{page.listen_file}: {why_of(told)}"
        sure: Sure = "read" if plain else "guessed"
        return DraftLine("Its page", f"{page.scheme}, port {page.listen_port}", source, sure)
    if page.announced_port:
        return DraftLine("Its page", f"{page.scheme}, port {page.announced_port}", page.announce_file, "read")
    return DraftLine(
        "Its page", f"perhaps one on port {ASSUMED_PORT}", "no web server's settings were found", "unknown"
    )


def _login_lines(xray: XRay) -> Iterator[DraftLine]:
    ways = {
        "open": "without a password",
        "locked": "locked",
        "password": "with a password",
        "unknown": "whether with a password was not read",
    }
    for account in xray.system.accounts[:3]:
        if account.name != "root" or account.login != "locked":
            how = "with its own name as password" if account.own_name else ways[account.login]
            yield DraftLine(
                "Login",
                f"{account.name}, {how}",
                "etc/passwd, etc/shadow",
                "unknown" if account.login == "unknown" else "read",
            )


def _boards_line(xray: XRay) -> DraftLine:
    models = list(dict.fromkeys(b.model or b.compatible[0] for b in xray.boards if b.model or b.compatible))
    if not models:
        return DraftLine("Boards", "cannot be told", "no device tree lies where it was looked", "unknown")
    return DraftLine(
        "Boards",
        some(models)[:MAX_SHOWN_CHARACTERS],
        f"{len(xray.boards)} device tree{'s' * (len(xray.boards) != 1)} on it",
        "read",
    )


def _questions(xray: XRay) -> Iterator[Question]:
    ports = dict.fromkeys(
        one.port
        for one in xray.page.listeners
        if one.reach == "network" and one.starts is not False and not one.sends_on
    )
    if xray.page.port is None:
        yield Question(
            "page_port",
            "Which port is its page on?",
            "Its maker says it, often behind a colon: http://name:8080/. Leave it open where there is no page.",
        )
    elif len(ports) > 1:
        others = [str(port) for port in ports if port != xray.page.port]
        yield Question(
            "page_port",
            "Which of its pages is the one to open?",
            f"Port {xray.page.port} is taken where you leave it open; there {'is' if len(others) == 1 else 'are'} {some(others)} too.",
        )
    yield Question(
        "signature",
        "What stands on its page and on no other?",
        "A title, for instance. Leave it open: it is offered once its page was seen.",
    )
