"""Two images side by side: what is otherwise in the second for someone who fills it, starts it and looks for its page."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from mintseed.core.image.facts import Account, Fact
from mintseed.core.image.report import FileOnImage, XRay
from mintseed.core.settings.guess import guess
from mintseed.core.units import decimal_size
from mintseed.core.words import capital, some

Topic = Literal["files", "boards", "network", "page", "accounts", "system", "layout"]

MOST_NAMED = 8
"""names in one sentence"""


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that is otherwise, in a sentence; `detail` may be empty."""

    topic: Topic
    title: str
    detail: str = ""


def compare(was: XRay, now: XRay) -> tuple[Difference, ...]:
    """Return what is otherwise on `now` than on `was`, what concerns filling first. What was not read of either is not compared."""
    return tuple(one for part in _PARTS for one in part(was, now))


def _and(names: Iterable[str]) -> str:
    return some(names, MOST_NAMED)


def _is_are(names: list[str]) -> str:
    return "is" if len(names) == 1 else "are"


def _files(was: XRay, now: XRay) -> Iterator[Difference]:
    before, after = ({f.path: f for f in x.files} for x in (was, now))
    gone, fresh = [p for p in before if p not in after], [p for p in after if p not in before]
    for path in list(gone):
        if (called := next((p for p in fresh if _same_file(before[path], after[p])), None)) is not None:
            gone.remove(path)
            fresh.remove(called)
            yield Difference("files", f"{path} is called {called} now", _kind(after[called]))
    for path in (p for p in before if p in after):
        yield from _one_file(before[path], after[path])
    if gone:
        yield Difference(
            "files", f"{_and(gone)} {_is_are(gone)} not on it any more", "What was filled there goes nowhere."
        )
    if fresh:
        yield Difference(
            "files", f"{_and(fresh)} {_is_are(fresh)} new", _and(filter(None, (_kind(after[p]) for p in fresh)))
        )


def _one_file(was: FileOnImage, now: FileOnImage) -> Iterator[Difference]:
    if (kind := _kind(now)) != (before := _kind(was)):
        yield Difference(
            "files",
            f"{now.path} is another kind of file now",
            f"Now: {kind or 'no kind that is known'}. Before: {before or 'no kind that is known'}.",
        )
    elif was.content != now.content:
        yield Difference("files", f"{now.path} comes with another content", _lines(was.content, now.content))


def _kind(file: FileOnImage) -> str:
    return guess(file.path, file.content).kind


def _same_file(was: FileOnImage, now: FileOnImage) -> bool:
    """Return whether `now` is what `was` is, under another name: the same bytes, or the only thing of its kind that a dialect fills."""
    dialect = guess(was.path, was.content).dialect
    return was.content == now.content != b"" or bool(
        dialect and dialect == guess(now.path, now.content).dialect and was.on_root == now.on_root
    )


def _lines(was: bytes, now: bytes) -> str:
    """Return how many lines are otherwise; never what stands in them, which may open something."""
    before, after = Counter(was.splitlines()), Counter(now.splitlines())
    gone, fresh = (before - after).total(), (after - before).total()
    return (
        f"{gone} line{'s' * (gone != 1)} gone, {fresh} new."
        if gone or fresh
        else "The same lines in another order, or with other ends."
    )


def _named(topic: Topic, was: Iterable[str], now: Iterable[str], gone: str, fresh: str) -> Iterator[Difference]:
    before, after = list(dict.fromkeys(was)), list(dict.fromkeys(now))
    if lost := [name for name in before if name not in after]:
        yield Difference(topic, f"{gone} {_and(lost)}")
    if new := [name for name in after if name not in before]:
        yield Difference(topic, f"{fresh} {_and(new)}")


def _boards(was: XRay, now: XRay) -> Iterator[Difference]:
    if not was.boards or not now.boards:
        return  # an image that names no board says nothing of any
    yield from _named(
        "boards", (b.model for b in was.boards), (b.model for b in now.boards), "No longer starts on", "Starts on"
    )
    if was.kernels != now.kernels and was.kernels and now.kernels:
        yield Difference("boards", f"Its kernels are {_bits(now)}-bit", f"They were {_bits(was)}-bit.")


def _bits(xray: XRay) -> str:
    return " and ".join(str(bits) for bits in xray.kernels)


def _values(facts: Iterable[Fact]) -> list[str]:
    return [fact.value for fact in facts]


def _network(was: XRay, now: XRay) -> Iterator[Difference]:
    before, after = _values(was.system.networks), _values(now.system.networks)
    if before and after and before != after:
        names = _and(after)
        yield Difference(
            "network",
            f"{capital(names)} bring{'s' * (len(after) == 1)} it onto the network",
            f"It was {_and(before)}: other files are read.",
        )


def _page(was: XRay, now: XRay) -> Iterator[Difference]:
    before, after = was.page, now.page
    if before.port and after.port and (before.port, before.scheme) != (after.port, after.scheme):
        yield Difference(
            "page",
            f"Its page is at port {after.port}, {after.scheme}",
            f"It was at port {before.port}, {before.scheme}.",
        )
    if before.host_name and after.host_name and before.host_name != after.host_name:
        yield Difference("page", f"It calls itself {after.host_name}", f"It called itself {before.host_name}.")
    if before.announcer and after.announcer is False:
        yield Difference("page", "Nothing on it answers for its name any more", "It is found by its address.")
    if before.announcer is False and after.announcer:
        yield Difference("page", "It answers for its name now")


def _accounts(was: XRay, now: XRay) -> Iterator[Difference]:
    before, after = ({a.name: a for a in x.system.accounts} for x in (was, now))
    if not before or not after:
        return
    yield from _named("accounts", before, after, "No longer there:", "New:")
    for name in (n for n in before if n in after):
        is_now, was_then = _login(after[name]), _login(before[name])
        if is_now != was_then:
            yield Difference("accounts", f"{name} {is_now[0]}", f"Before, it {was_then[1]}.")


_LOGINS = {
    "own-name": ("has its own name as password", "had its own name as password"),
    "locked": ("has no password that opens it", "had no password that opened it"),
    "open": ("is open without a password", "was open without a password"),
    "password": ("has a password", "had a password"),
    "unknown": ("may have a password", "may have had a password"),
}
"""what is said of an account now, and of one as it was"""


def _login(account: Account) -> tuple[str, str]:
    return _LOGINS["own-name" if account.own_name else account.login]


def _system(was: XRay, now: XRay) -> Iterator[Difference]:
    said = [" ".join(filter(None, (x.page.system, x.page.release))) for x in (was, now)]
    if all(said) and said[0] != said[1]:
        yield Difference("system", f"It is made of {said[1]}", f"It was {said[0]}.")
    if not was.system.networks or not now.system.networks:
        return  # its system was not read
    for title, lost, before, after in (
        ("A server for logging in over the network is started", "Nothing to log in over the network is started any more", was.system.ssh, now.system.ssh),
        ("It makes its root volume as large as the card", "Nothing makes its root volume as large as the card any more", was.system.grows, now.system.grows),
    ):  # fmt: skip
        if (before is None) != (after is None):
            yield Difference("system", lost if after is None else title)


def _layout(was: XRay, now: XRay) -> Iterator[Difference]:
    if was.scheme != now.scheme:
        yield Difference("layout", f"Its partition table is {now.scheme.upper()}", f"It was {was.scheme.upper()}.")
    before, after = ([(v.role, v.file_system) for v in x.volumes] for x in (was, now))
    if before != after:
        yield Difference("layout", f"Its volumes are {_volumes(after)}", f"They were {_volumes(before)}.")
    if was.unpacked_bytes != now.unpacked_bytes:
        more = now.unpacked_bytes > was.unpacked_bytes
        yield Difference(
            "layout",
            f"It is {'larger' if more else 'smaller'}: {decimal_size(now.unpacked_bytes)}",
            f"It was {decimal_size(was.unpacked_bytes)}.",
        )


def _volumes(volumes: list[tuple[str, str]]) -> str:
    return ", ".join(f"{role} ({file_system})" for role, file_system in volumes)


_PARTS: tuple[Callable[[XRay, XRay], Iterator[Difference]], ...] = (
    _files,
    _network,
    _boards,
    _page,
    _accounts,
    _system,
    _layout,
)
