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


_IF_MODULE = re.compile(r"[ \t]*<IfModule[ \t]+(!?)(?:mod_)?(\w+?)(?:_module|\.c)?>", re.IGNORECASE)


def _of_its_modules(text: str, files: Mapping[str, bytes]) -> str:
    """Return Apache's settings without what only counts with a module that is not enabled. Where none is, nothing is known of them."""
    enabled = {p.rsplit("/", 1)[-1].removesuffix(".load") for p in files if p.startswith(f"{APACHE_MODULES}/")}
    if not enabled:
        return text
    kept, within = [], list[bool]()
    for line in text.split("\n"):
        if (opened := _IF_MODULE.match(line[:200])) is not None:
            within.append((opened[2].lower() in enabled) is not bool(opened[1]))
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
    """Yield its own address and those of its further sockets, each a condition with a block. A block ends with its line, or at a line with a
    brace alone."""
    blocks = re.findall(
        r"^[ \t]*\$SERVER\[\"socket\"\][ \t]*==[ \t]*\"([^\"\n]*)\"[ \t]*\{(.*?)(?:\}[ \t]*$|\Z)",
        text,
        re.MULTILINE | re.DOTALL,
    )
    own = _last(r"server\.bind", text)
    at = f"{own}:" if own and not own.startswith(("/", "unix:")) else own
    for said, within in ((at + (_last(r"server\.port", text) or "80"), text.split("$SERVER")[0]), *blocks):
        if (found := address(said)) is not None:
            tls = found[0] == 443 or _last(r"ssl\.engine", within) == "enable"
            yield Listener(found[0], "https" if tls else "http", "lighttpd", path, found[1])


def _last(name: str, text: str) -> str:
    """Return what a setting of lighttpd is given last, in quotes or not; empty where it is not."""
    said = re.findall(rf'^[ \t]*{name}[ \t]*:?=[ \t]*"?([^"\s]+)', text, re.MULTILINE)
    return said[-1] if said else ""


def _caddy(path: str, text: str) -> Iterator[Listener]:
    """The addresses of a site stand before its block, at the outermost, one behind a comma on a line of its own too; of one alone the block
    may be left out. Without a port a name means https."""
    depth, waiting, sites = 0, "", list[str]()
    lines = [line.split("#")[0].strip() for line in text.split("\n")]
    for bare in lines:
        if depth == 0 and bare.endswith(("{", ",")) and bare != "{":
            waiting = f"{waiting} {bare.rstrip('{')}"
            if bare.endswith("{"):
                sites, waiting = [*sites, waiting], ""
        depth = max(0, depth + bare.count("{") - bare.count("}"))
    first = next(filter(None, lines), "")
    alone = [first] if not sites and not first.startswith("import ") else []
    for said in re.split(r"[\s,]+", " ".join((*sites, *alone)).strip()):
        plain = said.removeprefix("http://").removeprefix("https://").split("/")[0]
        found = address(plain, alone=80 if said.startswith("http://") else 443)
        if found is not None:
            tls = found[0] == 443 or (not said.startswith(("http://", ":")) and found[0] != 80)
            yield Listener(found[0], "https" if tls else "http", "Caddy", path, found[1])


MOST_PORTS = 8
"""of a range that are told"""


def _haproxy(path: str, text: str) -> Iterator[Listener]:
    """A line binds several addresses behind commas, each with a family before it or not, and with a range of ports or one."""
    for line, options in re.findall(r"^[ \t]+bind[ \t]+(\S+)([^\n]*)", text, re.MULTILINE):
        for said in line.strip('"').split(","):
            bare = re.sub(r"^ipv[46]@", "", said)
            first = address(re.sub(r"-[0-9]{1,5}$", "", bare))
            if first is None or "@" in bare:
                continue
            until = re.search(r"-([0-9]{1,5})$", bare)
            for port in range(
                first[0], min(int(until[1]) if until else first[0], first[0] + MOST_PORTS - 1, 65535) + 1
            ):
                tls = "ssl" in options.split() or port == 443
                yield Listener(port, "https" if tls else "http", "HAProxy", path, first[1])


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
