"""Which ports the web servers of an image listen on, from their own settings files.

Sources: nginx documentation (listen, include), Apache HTTP Server documentation (Listen), lighttpd documentation (server.port),
Caddyfile concepts (addresses), HAProxy configuration manual (bind), systemd.socket(5) (ListenStream=).
"""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from mintseed.core.image.facts import Listener

NGINX_MAIN = "etc/nginx/nginx.conf"
DEMO_SITE = "etc/webpage/site.conf"
"""the settings of the made-up web server of the images that are made up here: a `listen` as nginx writes it, and nothing else"""

APACHE_PORTS = "etc/apache2/ports.conf"
NGINX_FOLDERS = ("etc/nginx/sites-enabled", "etc/nginx/conf.d", "etc/nginx/http.d")
SOCKETS_FOLDER = "etc/systemd/system/sockets.target.wants"
FILES = (
    DEMO_SITE, NGINX_MAIN, APACHE_PORTS, "etc/httpd/conf/httpd.conf", "etc/lighttpd/lighttpd.conf", "etc/caddy/Caddyfile",
    "etc/haproxy/haproxy.cfg",
)  # fmt: skip
APACHE_MODULES = "etc/apache2/mods-enabled"
FOLDERS = (*NGINX_FOLDERS, SOCKETS_FOLDER, APACHE_MODULES)
MOST_FILES = 40
"""of such a folder"""

MOST_TOKENS = 100_000
MOST_DEPTH = 12

Token = tuple[str, bool]
"""a word of a settings file of nginx, and whether it was quoted"""

Lexer = Callable[[bytes], Iterable[Token]]


def why_of(one: Listener) -> str:
    """Return, in words, what speaks for and against this being the page of an appliance."""
    told = {
        "settings": "its settings say so",
        "command": "the command that starts it says so",
        "container": "a container lets it out",
    }
    against = (
        (one.reach == "loopback", "only the device itself reaches it"),
        (one.starts is False, "nothing starts it"),
        (one.sends_on, "it only sends on to another address"),
    )
    reasons = " and ".join(words for holds, words in against if holds)
    return f"{told[one.how]}, but {reasons}" if reasons else told[one.how]


UNITS = {
    "nginx": ("nginx",), "Apache": ("apache2", "httpd"), "lighttpd": ("lighttpd",), "Caddy": ("caddy",), "HAProxy": ("haproxy",),
}  # fmt: skip
"""server → what units and scripts that start it are called"""


def in_order(found: Iterable[Listener]) -> tuple[Listener, ...]:
    """Return each port of a server once: what the network reaches first, then what is started, what shows something, what is told by settings."""
    once = {(one.port, one.server): one for one in sorted(found, key=_order, reverse=True)}
    return tuple(sorted(once.values(), key=_order))


def listeners(files: Mapping[str, bytes], lex: Lexer) -> tuple[Listener, ...]:
    """Return what listens by the settings of web servers."""
    found = [*_nginx(files, lex)]
    for path, content in files.items():
        text = content.decode("utf-8", "replace")
        if path == APACHE_PORTS:
            text = _of_its_modules(text, files)
        for name, reader in _READERS:
            if fnmatch.fnmatchcase(path, name):
                found += reader(path, text)
    return in_order(found)


def _order(one: Listener) -> tuple[bool, bool, bool, bool, int]:
    return one.reach == "loopback", one.starts is False, one.sends_on, one.how != "settings", one.port not in (80, 443)


_LOOPBACK = ("127.", "localhost", "[::1]", "::1")


Address = tuple[int, Literal["network", "loopback"]]
"""a port, and who gets there"""


def address(said: str, *, alone: int | None = None) -> Address | None:
    """Return (port, reach) of an address as web servers write it; None for a socket of the machine and for what is none. `alone`: the port
    of an address without one."""
    if said.startswith(("unix:", "/", "@")):
        return None
    reach: Literal["network", "loopback"] = "loopback" if said.startswith(_LOOPBACK) else "network"
    ending = said.rpartition(":")[2] if ":" in said and not said.endswith("]") else said
    if re.fullmatch(r"[0-9]{1,5}", ending):
        port = int(ending)
        return (port, reach) if 1 <= port <= 65535 else None
    return (alone, reach) if alone is not None and re.fullmatch(r"[\w.\-*\[\]:]+", said, re.ASCII) else None


@dataclass(frozen=True, slots=True)
class _Directive:
    words: tuple[str, ...]
    block: tuple[_Directive, ...] = ()


def _nginx(files: Mapping[str, bytes], lex: Lexer) -> Iterator[Listener]:
    """Yield what nginx's servers listen on, in the files that its main one includes; in all of its folders where that one is not there."""
    trees = {
        p: _directives(lex(c))
        for p, c in files.items()
        if p == NGINX_MAIN or p.startswith(tuple(f"{f}/" for f in NGINX_FOLDERS))
    }
    wanted = [words.split("etc/nginx/")[-1] for tree in trees.values() for words in _includes(tree)]
    demo = _directives(lex(files[DEMO_SITE])) if DEMO_SITE in files else ()
    for server in (_Directive(("server",), tuple(d for d in demo if d.words[0] == "listen")), *_named(demo, "server")):
        yield from _nginx_server(server, DEMO_SITE) if server.block else ()
    for path, tree in trees.items():
        inside = path.removeprefix("etc/nginx/")
        if path != NGINX_MAIN and NGINX_MAIN in trees and not any(fnmatch.fnmatchcase(inside, w) for w in wanted):
            continue
        for server in _named(tree, "server"):
            yield from _nginx_server(server, path)


def _nginx_server(server: _Directive, path: str) -> Iterator[Listener]:
    sends_on = any(d.words[0] == "return" and d.words[1:2] and d.words[1].startswith("3") for d in server.block)
    said = [d.words[1:] for d in server.block if d.words[0] == "listen" and len(d.words) > 1] or [("80",)]
    for words in said:
        if (found := address(words[0], alone=80)) is not None:
            tls = "ssl" in words[1:] or found[0] == 443
            yield Listener(found[0], "https" if tls else "http", "nginx", path, found[1], sends_on)


def _includes(tree: Iterable[_Directive]) -> Iterator[str]:
    for directive in tree:
        if directive.words[0] == "include" and len(directive.words) > 1:
            yield directive.words[1]
        yield from _includes(directive.block)


def _named(tree: Iterable[_Directive], name: str) -> Iterator[_Directive]:
    """Yield the blocks called `name` at the outermost, or in the http block: a `server` within `upstream` is no block."""
    for directive in tree:
        if directive.words[0] == name and directive.block:
            yield directive
        elif directive.words[0] == "http":
            yield from _named(directive.block, name)


def _directives(tokens: Iterable[Token]) -> tuple[_Directive, ...]:
    """Return the directives of a file; of one that is not balanced as far as it goes."""
    stack: list[list[_Directive]] = [[]]
    heads: list[tuple[str, ...]] = []
    words: list[str] = []
    for count, (word, quoted) in enumerate(tokens):
        if count > MOST_TOKENS:
            break
        if word.startswith("#") and not quoted:
            continue  # a comment
        if quoted or word not in (";", "{", "}"):
            words.append(word)
        elif word == ";":
            if words:
                stack[-1].append(_Directive(tuple(words)))
            words = []
        elif word == "{" and len(stack) < MOST_DEPTH:
            heads.append(tuple(words) or ("",))
            stack.append([])
            words = []
        elif word == "}" and len(stack) > 1:
            inner = stack.pop()
            stack[-1].append(_Directive(heads.pop(), tuple(inner) or (_Directive(("",)),)))
            words = []
    return tuple(stack[0])


_IF_MODULE = re.compile(r"[ \t]*<IfModule[ \t]+(?:mod_)?(\w+?)(?:_module|\.c)?>", re.IGNORECASE)


def _of_its_modules(text: str, files: Mapping[str, bytes]) -> str:
    """Return Apache's settings without what only counts with a module that is not enabled. Where none is, nothing is known of them."""
    enabled = {p.rsplit("/", 1)[-1].removesuffix(".load") for p in files if p.startswith(f"{APACHE_MODULES}/")}
    if not enabled:
        return text
    kept, within = [], list[bool]()
    for line in text.split("\n"):
        if (opened := _IF_MODULE.match(line[:200])) is not None:
            within.append(opened[1].lower() in enabled)
        elif line.strip().lower() == "</ifmodule>":
            del within[-1:]
        elif False not in within[-MOST_DEPTH:]:
            kept.append(line)
    return "\n".join(kept)


def _apache(path: str, text: str) -> Iterator[Listener]:
    for said, scheme in re.findall(r"^[ \t]*Listen[ \t]+(\S+)(?:[ \t]+(\w+))?", text, re.MULTILINE | re.IGNORECASE):
        if (found := address(said)) is not None:
            yield Listener(
                found[0], "https" if scheme.lower() == "https" or found[0] == 443 else "http", "Apache", path, found[1]
            )


def _lighttpd(path: str, text: str) -> Iterator[Listener]:
    said = re.findall(r"^[ \t]*server\.port[ \t]*=[ \t]*(\d{1,5})", text, re.MULTILINE)
    bound = re.findall(r"^[ \t]*server\.bind[ \t]*=[ \t]*\"([^\"\n]*)\"", text, re.MULTILINE)
    if (found := address(said[-1] if said else "80")) is not None:
        yield Listener(
            found[0], "http", "lighttpd", path, "loopback" if bound and bound[-1].startswith(_LOOPBACK) else "network"
        )


def _caddy(path: str, text: str) -> Iterator[Listener]:
    """A site's address stands before its block, at the outermost; without a port a name means https."""
    depth = 0
    for line in text.split("\n"):
        bare = line.split("#")[0].strip()
        if depth == 0 and bare.endswith("{") and bare != "{":
            for said in re.split(r"[\s,]+", bare[:-1].strip()):
                plain = said.removeprefix("http://").removeprefix("https://").split("/")[0]
                found = address(plain, alone=80 if said.startswith("http://") else 443)
                if found is not None:
                    tls = not said.startswith(("http://", ":")) and found[0] != 80
                    yield Listener(found[0], "https" if tls else "http", "Caddy", path, found[1])
        depth = max(0, depth + bare.count("{") - bare.count("}"))


def _haproxy(path: str, text: str) -> Iterator[Listener]:
    for said, options in re.findall(r"^[ \t]+bind[ \t]+(\S+)([^\n]*)", text, re.MULTILINE):
        if (found := address(said)) is not None:
            tls = "ssl" in options.split() or found[0] == 443
            yield Listener(found[0], "https" if tls else "http", "HAProxy", path, found[1])


def _socket(path: str, text: str) -> Iterator[Listener]:
    for said in re.findall(r"^[ \t]*ListenStream[ \t]*=[ \t]*(\S+)", text, re.MULTILINE):
        found = address(said)
        if found is not None and found[0] != 22:
            yield Listener(
                found[0],
                "https" if found[0] == 443 else "http",
                path.rsplit("/", 1)[-1].removesuffix(".socket"),
                path,
                found[1],
            )


_READERS: tuple[tuple[str, Callable[[str, str], Iterator[Listener]]], ...] = (
    (APACHE_PORTS, _apache), ("etc/httpd/conf/httpd.conf", _apache), ("etc/lighttpd/lighttpd.conf", _lighttpd),
    ("etc/caddy/Caddyfile", _caddy), ("etc/haproxy/haproxy.cfg", _haproxy), (f"{SOCKETS_FOLDER}/*.socket", _socket),
)  # fmt: skip
