"""Which ports web servers listen on, held to what their documentation says of each form, and to what Debian's packages bring."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mintseed.adapters.nginx_lexer import nginx_tokens
from mintseed.core.image.facts import Listener
from mintseed.core.image.page import read_page_facts
from mintseed.core.image.starting import Init, Starting, WhatStarts
from mintseed.core.image.web_servers import listeners

MAIN = b"events { }\nhttp {\n  include /etc/nginx/conf.d/*.conf;\n  include /etc/nginx/sites-enabled/*;\n}\n"


def told(files: dict[str, str | bytes]) -> list[tuple[int, str, str]]:
    data = {p: c.encode() if isinstance(c, str) else c for p, c in files.items()}
    return [(one.port, one.scheme, one.reach) for one in listeners(data, nginx_tokens)]


# nginx documentation, ngx_http_core_module: listen. The forms are those of its text.
@pytest.mark.parametrize(
    ("said", "wanted"),
    [
        ("listen 127.0.0.1:8000;", [(8000, "http", "loopback")]),
        ("listen 127.0.0.1;", [(80, "http", "loopback")]),
        ("listen 8000;", [(8000, "http", "network")]),
        ("listen *:8000;", [(8000, "http", "network")]),
        ("listen localhost:8000;", [(8000, "http", "loopback")]),
        ("listen [::]:8000;", [(8000, "http", "network")]),
        ("listen [::1];", [(80, "http", "loopback")]),
        ("listen unix:/var/run/nginx.sock;", []),
        ("", [(80, "http", "network")]),
        ("listen 443 ssl default_server;", [(443, "https", "network")]),
        ("listen 8443 ssl;", [(8443, "https", "network")]),
        ("# listen 9;\n listen 10;", [(10, "http", "network")]),
        ("listen\n  8765\n;", [(8765, "http", "network")]),
        ('listen "8766";', [(8766, "http", "network")]),
    ],
)
def test_every_form_of_listen(said: str, wanted: list[tuple[int, str, str]]) -> None:
    assert told({"etc/nginx/sites-enabled/site": f"server {{ {said}\n root /srv; }}"}) == wanted


def test_what_the_main_file_does_not_include_listens_on_nothing() -> None:
    sites = {
        "etc/nginx/sites-enabled/a": "server { listen 81; }",
        "etc/nginx/conf.d/b.conf": "server { listen 82; }",
        "etc/nginx/conf.d/c.bak": "server { listen 83; }",
    }
    assert sorted(port for port, _, _ in told({"etc/nginx/nginx.conf": MAIN, **sites})) == [81, 82]
    assert len(told(dict(sites))) == 3, "without the main file nobody knows"
    assert told({"etc/nginx/nginx.conf": b"http { server { listen 84; } upstream x { server 10.0.0.1:85; } }"}) == [
        (84, "http", "network")
    ]


def test_a_server_that_only_sends_on_comes_after_the_page() -> None:
    site = "server { listen 80; return 301 https://$host$request_uri; } server { listen 8443 ssl; root /srv; }"
    assert [port for port, _, _ in told({"etc/nginx/sites-enabled/s": site})] == [8443, 80]


@pytest.mark.parametrize(
    ("path", "text", "wanted"),
    [
        ("etc/apache2/ports.conf", "Listen 80\n<IfModule ssl_module>\n\tListen 443\n</IfModule>\n", [(80, "http", "network"), (443, "https", "network")]),
        ("etc/apache2/ports.conf", "Listen 127.0.0.1:8080\n", [(8080, "http", "loopback")]),
        ("etc/apache2/ports.conf", "Listen 192.0.2.1:8443 https\n", [(8443, "https", "network")]),
        ("etc/lighttpd/lighttpd.conf", 'server.document-root = "/var/www"\nserver.port = 81\n', [(81, "http", "network")]),
        ("etc/lighttpd/lighttpd.conf", 'server.bind = "127.0.0.1"\n', [(80, "http", "loopback")]),
        ("etc/caddy/Caddyfile", ":8080 {\n\troot * /srv\n\theader {\n\t\tX y\n\t}\n}\n", [(8080, "http", "network")]),
        ("etc/caddy/Caddyfile", "example.com, http://other.example {\n}\n", [(443, "https", "network"), (80, "http", "network")]),
        ("etc/haproxy/haproxy.cfg", "frontend web\n    bind *:8081\n    bind :8444 ssl crt /x\n", [(8081, "http", "network"), (8444, "https", "network")]),
        # As lighttpd 1.4.69, Caddy 2.6.2, HAProxy 2.6 and Apache 2.4 of Debian 12 listened when they were given these.
        ("etc/lighttpd/lighttpd.conf", 'server.port := 82\n$SERVER["socket"] == ":83" { }\n$SERVER["socket"] == "127.0.0.2:84" {\n}\n',
         [(82, "http", "network"), (83, "http", "network"), (84, "http", "loopback")]),
        ("etc/lighttpd/lighttpd.conf", '$SERVER["socket"] == ":443" {\n  ssl.engine = "enable"\n}\n$SERVER["socket"] == ":444" {\n ssl.engine = "enable"\n}\n',
         [(80, "http", "network"), (443, "https", "network"), (444, "https", "network")]),
        ("etc/lighttpd/lighttpd.conf", 'server.port = 8443\nssl.engine = "enable"\n', [(8443, "https", "network")]),
        ("etc/lighttpd/lighttpd.conf", 'server.bind = "/run/lighttpd.sock"\n', []),
        ("etc/caddy/Caddyfile", "# mine\nlocalhost:7081\n\nrespond x\n", [(7081, "https", "loopback")]),
        ("etc/caddy/Caddyfile", "import sites/*\n", []),
        ("etc/caddy/Caddyfile", "a.example,\nb.example:7444 {\n}\n", [(443, "https", "network"), (7444, "https", "network")]),
        ("etc/caddy/Caddyfile", "(common) {\n header X y\n}\none.example two.example:7090 {\n import common\n}\n",
         [(443, "https", "network"), (7090, "https", "network")]),
        ("etc/caddy/Caddyfile", "{\n\tadmin off\n}\n:443 {\n}\n", [(443, "https", "network")]),
        ("etc/haproxy/haproxy.cfg", 'frontend web\n    bind 127.0.0.1:7100,:7101\n    bind "ipv4@127.0.0.1:7120" name x\n    bind unix@/run/h.sock\n',
         [(7100, "http", "loopback"), (7101, "http", "network"), (7120, "http", "loopback")]),
        ("etc/haproxy/haproxy.cfg", "frontend web\n\tbind :7110-7112\n", [(7110, "http", "network"), (7111, "http", "network"), (7112, "http", "network")]),
        ("etc/systemd/system/sockets.target.wants/cockpit.socket", "[Socket]\nListenStream=9090\n", [(9090, "http", "network")]),
        ("etc/systemd/system/sockets.target.wants/x.socket", "[Socket]\nListenStream=/run/x.sock\n", []),
    ],
)  # fmt: skip
def test_every_server_says_it_in_its_way(path: str, text: str, wanted: list[tuple[int, str, str]]) -> None:
    assert sorted(told({path: text})) == sorted(wanted)


def test_what_counts_without_a_module_of_apache_counts_where_it_is_not_enabled() -> None:
    said = (
        "<IfModule !mod_ssl.c>\nListen 81\n</IfModule>\n<IfModule mod_dir.c>\n<IfModule !dir_module>\nListen 82\n</IfModule>\nListen 83\n"
        "</IfModule>\n<IfModule ssl_module>\n<IfModule !mod_x.c>\nListen 84\n</IfModule>\nListen 85\n</IfModule>\n"
    )
    assert [port for port, _, _ in told({"etc/apache2/ports.conf": said, "etc/apache2/mods-enabled/dir.load": ""})] == [
        81,
        83,
    ]


def test_the_page_is_the_first_that_the_network_reaches() -> None:
    site = b"server { listen 127.0.0.1:80; } server { listen 8765; }"
    facts = read_page_facts({"etc/nginx/sites-enabled/s": site, "etc/hostname": b"post\n"}, (), nginx_tokens)
    assert (facts.listen_port, facts.listen_file, facts.url()) == (
        8765,
        "etc/nginx/sites-enabled/s",
        "http://post.local:8765/",
    )
    assert [one.reach for one in facts.listeners] == ["network", "loopback"]
    only = read_page_facts({"etc/nginx/sites-enabled/s": b"server { listen 127.0.0.1:80; }"}, (), nginx_tokens)
    assert only.listen_port is None, "nobody but itself gets there"


@given(
    st.dictionaries(
        st.sampled_from(
            ["etc/nginx/nginx.conf", "etc/nginx/sites-enabled/x", "etc/caddy/Caddyfile", "etc/haproxy/haproxy.cfg"]
        ),
        st.binary(max_size=300),
    )
)
def test_no_bytes_are_too_odd(files: dict[str, bytes]) -> None:
    for one in listeners(files, nginx_tokens):
        assert isinstance(one, Listener)
        assert 1 <= one.port <= 65535


@given(st.text(alphabet="{};\"'\\ \nserverlisten0189#", max_size=200))
def test_no_text_of_nginx_is_too_odd(text: str) -> None:
    list(listeners({"etc/nginx/sites-enabled/x": text.encode()}, nginx_tokens))


def test_apache_listens_for_a_module_only_where_it_is_enabled() -> None:
    # Apache HTTP Server documentation, <IfModule>: by the module's identifier or the name of its file
    ports = b"Listen 80\n<IfModule ssl_module>\n  Listen 443\n</IfModule>\n<IfModule mod_gnutls.c>\n  Listen 444\n</IfModule>\n"
    files = {"etc/apache2/ports.conf": ports}
    assert [p for p, _, _ in told(files)] == [80, 443, 444], "nothing is known of its modules"
    assert [p for p, _, _ in told({**files, "etc/apache2/mods-enabled/mime.load": b"x"})] == [80]
    assert [p for p, _, _ in told({**files, "etc/apache2/mods-enabled/ssl.load": b"x"})] == [80, 443]


def test_a_socket_unit_is_named_by_its_file_and_keeps_the_door_for_logging_in() -> None:
    """Source: systemd.socket(5), ListenStream; port 22 is not a page's (the registry of service names)."""
    text = "[Socket]\nListenStream=443\n  ListenStream = 127.0.0.1:8080\nListenStream=22\nListenStream=[::1]:8081\nListenDatagram=9\n"
    path = "etc/systemd/system/sockets.target.wants/web.page.socket"
    assert list(listeners({path: text.encode()}, nginx_tokens)) == [
        Listener(443, "https", "web.page", path),
        Listener(8080, "http", "web.page", path, "loopback"),
        Listener(8081, "http", "web.page", path, "loopback"),
    ]


@pytest.mark.parametrize(
    ("path", "text", "server"),
    [
        ("etc/apache2/ports.conf", "  lIsTeN 81\n", "Apache"),
        ("etc/lighttpd/lighttpd.conf", "server.port = 81\n", "lighttpd"),
        ("etc/caddy/Caddyfile", "http://:81 {\n}\n", "Caddy"),
        ("etc/haproxy/haproxy.cfg", "frontend web\n    bind :81\n", "HAProxy"),
    ],
)
def test_it_is_said_which_server_and_where_that_stands(path: str, text: str, server: str) -> None:
    assert list(listeners({path: text.encode()}, nginx_tokens)) == [Listener(81, "http", server, path, "network")]


def test_a_socket_of_lighttpd_is_no_port_and_443_is_for_https() -> None:
    """Source: lighttpd's documentation, server.bind: a path, or unix: before it, is a socket in the file system."""
    for own in ("/run/x.sock", "unix:/run/x.sock"):
        assert told({"etc/lighttpd/lighttpd.conf": f'server.bind = "{own}"\n'}) == []
    assert told({"etc/lighttpd/lighttpd.conf": "server.port = 443\n"}) == [(443, "https", "network")]
    assert told({"etc/lighttpd/lighttpd.conf": "server.port = 444\n"}) == [(444, "http", "network")]


def test_a_server_is_started_where_a_unit_of_its_name_is() -> None:
    """Nothing is known of a server whose units are called anything, where what starts was not read, and where not all of it was looked at."""
    files = {
        "etc/apache2/ports.conf": b"Listen 81\n",
        "etc/systemd/system/sockets.target.wants/x.socket": b"[Socket]\nListenStream=82\n",
    }

    def starts(init: Init, *names: str, cut: bool = False) -> list[bool | None]:
        what = WhatStarts(init=init, all=tuple(Starting(n, f"{n}.service") for n in names), cut=cut)
        found = read_page_facts(files, (), nginx_tokens, what).listeners
        return [one.starts for one in sorted(found, key=lambda one: one.port)]

    assert starts("systemd", "apache2") == [True, None]
    assert starts("openrc", "httpd") == [True, None]
    assert starts("systemd", "nginx") == [False, None]
    assert starts("systemd", "nginx", cut=True) == [None, None]
    assert starts("systemd", "apache2", cut=True) == [True, None]
    assert starts("unknown", "apache2") == [None, None]


@pytest.mark.parametrize(
    ("ports", "port"),
    [
        (((81, False, False), (82, None, False), (83, True, False)), 82),
        (((81, False, False), (84, True, True), (83, True, False)), 83),
        (((81, False, True), (84, True, True)), 84),
        (((81, False, False),), 81),
        (((81, False, True), (82, False, False)), 82),
    ],
)
def test_the_page_is_one_that_starts_and_does_not_only_send_on(
    ports: tuple[tuple[int, bool | None, bool], ...], port: int
) -> None:
    others = [Listener(at, "http", "lamp", f"etc/{at}", starts=starts, sends_on=sends) for at, starts, sends in ports]
    facts = read_page_facts({}, (), nginx_tokens, others=others)
    assert (facts.listen_port, facts.listen_file) == (port, f"etc/{port}")
