"""What is told of the files of a system, and the recipe drafted from it, word for word: tests/data/trees.txt (builders/told.py). Whether it
is right is asked in the tests beside this one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import cache, partial

from mintseed.adapters.nginx_lexer import nginx_tokens
from mintseed.core.image.commands import commanded, contained
from mintseed.core.image.page import read_page_facts
from mintseed.core.image.report import BoardOnImage, FileOnImage, VolumeFacts, XRay
from mintseed.core.image.starting import what_starts
from mintseed.core.image.system import judge_system, read_system
from mintseed.core.image.tree import FixedTree
from mintseed.core.image.web_servers import why_of
from mintseed.core.recipes.draft import draft_of, recipe_text
from tests.builders import told
from tests.builders.xrays import BARE

WANTS = "etc/systemd/system/multi-user.target.wants"
UNITS = "usr/lib/systemd/system"


@dataclass(frozen=True)
class Lies:
    """What lies on a made-up system: files, links and names in folders; and on its boot volume."""

    files: dict[str, str] = field(default_factory=dict)
    links: dict[str, str] = field(default_factory=dict)
    folders: dict[str, tuple[str, ...]] = field(default_factory=dict)
    boot: dict[str, str] = field(default_factory=dict)
    name: str = "post.img"
    boards: tuple[BoardOnImage, ...] = ()

    def __or__(self, other: Lies) -> Lies:
        return Lies(
            self.files | other.files, self.links | other.links, self.folders | other.folders, self.boot | other.boot,
            other.name if other.name != "post.img" else self.name, other.boards or self.boards,
        )  # fmt: skip


def starts(*names: str, files: dict[str, str] | None = None) -> Lies:
    """Return units that systemd starts; `files`: what stands in them."""
    return SYSTEMD | Lies(
        {f"{WANTS}/{name}": "[Unit]\n" for name in names} | {f"{UNITS}/{n}": t for n, t in (files or {}).items()}
    )


def service(command: str, *more: str) -> str:
    return "\n".join(("[Service]", f"ExecStart={command}", *more, "[Install]", "WantedBy=multi-user.target", ""))


SYSTEMD = Lies({"etc/machine-id": "0123\n"}, {"sbin/init": "/lib/systemd/systemd"})
OPENRC = Lies(
    {"etc/inittab": "::sysinit:/sbin/openrc sysinit\ntty1::respawn:/sbin/getty 38400 tty1\n"},
    folders={
        "etc/runlevels/default": ("networking", "sshd", "samba"),
        "etc/runlevels/boot": ("wpa_supplicant",),
        "usr/sbin": ("smbd", "ifup"),
    },
)
SYSV = Lies(
    {"etc/inittab": "id:3:initdefault:\n# 1:2345:respawn:/sbin/getty\nS0:23:respawn:/sbin/getty -L ttyS0\n"},
    folders={
        "etc/rc3.d": ("S01ssh", "S02networking", "S03expand-rootfs.sh", "K01nginx", "S1x"),
        "etc/rcS.d": ("S05keymap.sh",),
        "etc/rc2.d": ("S01nfs-kernel-server",),
    },
)
BUSYBOX = Lies(
    {"etc/inittab": "::respawn:-/bin/sh\n"},
    {"sbin/init": "../bin/busybox"},
    {"etc/init.d": ("S40network", "S50dropbear", "rcS", "S99resize2fs")},
)
PEOPLE = "root:x:0:0::/root:/bin/bash\nmo:x:1000:1000::/home/mo:/bin/sh\nwww:x:33:33::/var/www:/usr/sbin/nologin\nodd line\nann::1001:x:/:/home/../etc:/bin/sh\nlee:ab0123456789x:1002:1:,:/home/lee:/bin/sh\n"
NGINX = "events { }\nhttp {\n  include /etc/nginx/sites-enabled/*;\n}\n"

TREES: dict[str, Lies] = {
    "nothing": Lies(),
    "systemd with nothing": SYSTEMD,
    "systemd before its first start": Lies({"etc/machine-id": "uninitialized\n", f"{UNITS}/grow.service": "[Unit]\nConditionFirstBoot=yes\n[Install]\nWantedBy=multi-user.target\n", f"{UNITS}/not.service": "[Unit]\nConditionFirstBoot=no\n[Install]\nWantedBy=multi-user.target\n",
                                           f"{UNITS}/plain.service": "[Service]\nExecStart=/bin/x\n", "etc/systemd/system-preset/10.preset": "disable not.*\nenable *\n"}, SYSTEMD.links),
    "OpenRC": OPENRC | Lies({"etc/samba/smb.conf": "[global]\n[homes]\n [ music ]\n[print$]\n[files]\n"}),
    "System V": SYSV | Lies({"etc/exports": "# none\n\n/srv/files *(ro)\n /srv/more 10.0.0.0/8(rw)\n", "etc/default/keyboard": "XKBLAYOUT=us\nXKBLAYOUT=\"de\"\n"}),
    "busybox": BUSYBOX,
    "masked and linked units": starts("ssh.service", "NetworkManager.service", "smb.socket", "x.timer") | Lies(folders={"usr/sbin": ("NetworkManager", "smbd")}) | Lies({"etc/systemd/system/ssh.service": ""}, {"etc/localtime": "/usr/share/zoneinfo/Europe/Rome"}),
    "networks whose programs lie there or not": starts("NetworkManager.service", "systemd-networkd.service", "dhcpcd.service", "connman.service", "iwd.service", "networking.service", "wpa_supplicant.service") | Lies(folders={"usr/sbin": ("NetworkManager", "ifup", "wpa_supplicant")}),
    "netplan": SYSTEMD | Lies({"etc/netplan/50.yaml": "", "etc/netplan/readme": "", "etc/netplan/01.yaml": ""}, folders={"usr/lib/systemd/system-generators": ("netplan",)}),
    "netplan without a file": SYSTEMD | Lies(folders={"lib/systemd/system-generators": ("netplan",)}),
    "netplan's program alone": SYSTEMD | Lies(folders={"usr/sbin": ("netplan",)}),
    "who may log in": Lies({"etc/passwd": PEOPLE, "etc/shadow": "root:*:1::::::\nmo::1::::::\nx\n", "home/mo/.ssh/authorized_keys": "# a\nssh-ed25519 AAAA a\n\nssh-rsa BBBB b\n"}),
    "who may log in, passwords not read": Lies({"etc/passwd": PEOPLE}),
    "passwords by every scheme": Lies({"etc/passwd": "".join(f"{n}:x:{i}:{i}::/:/bin/sh\n" for i, n in enumerate("abcdefgh")), "etc/shadow": "a:$1$x$y:\nb:$5$rounds=99999999$x$y:\nc:$y$j9T$x$y:\nd:$2b$05$x:\ne:$7$x:\nf:$zz,x:\ng:!:\nh:$6$saltstring$x:\n"}),
    "where it stands in the world": SYSTEMD | Lies({"etc/timezone": "Europe/Oslo\n", "etc/locale.conf": "# LANG=x\nLANG=nb_NO.UTF-8\n", "etc/vconsole.conf": "KEYMAP='no'\n"}, folders={"usr/lib/locale": ("C.utf8", "nb_NO.utf8")}),
    "where it stands, by links": SYSTEMD | Lies({"etc/timezone": "Europe/Oslo\n", "etc/default/locale": "LANG=\"C.UTF-8\"\n", "etc/locale.conf": "LANG=x\n"}, {"etc/localtime": "../usr/share/zoneinfo/Asia/Tokyo"}, {"usr/lib/locale": ("locale-archive", "C.utf8")}),
    "a link to no zone": Lies({"etc/timezone": " \n"}, {"etc/localtime": "/etc/zone"}),
    "cloud-init with its sources": starts("cloud-init.service") | Lies({"etc/cloud/cloud.cfg": "datasource_list: [ None ]\ncloud_init_modules:\n - growpart\n", "etc/cloud/cloud.cfg.d/90.cfg": "datasource_list:  # two\n  - NoCloud\n  - 'None' # last\nx: 1\n", "etc/cloud/cloud.cfg.d/readme": ""}),
    "cloud-init of which nothing is said": starts("cloud-init-local.service"),
    "cloud-init by its file alone": SYSTEMD | Lies({"etc/cloud/cloud.cfg": "datasource_list: [NoCloud, 'None']\n- growpart\n"}),
    "cloud-init that is off": starts("cloud-init.service") | Lies({"etc/cloud/cloud.cfg": " - growpart\n", "etc/cloud/cloud-init.disabled": ""}),
    "scripts that look at the boot volume": starts("own.service", "second.service", "third.service") | Lies({
        "etc/systemd/system/own.service": service("/bin/bash -c '/opt/first.sh'", "ConditionPathExists=/boot/go.txt"), f"{UNITS}/second.service": service("-/usr/bin/env python3 /opt/second.py"), f"{UNITS}/third.service": service("/usr/bin/third"),
        "opt/first.sh": "#!/bin/sh\ncat /boot/firmware/node.env /boot/initrd.img /boot/cmd line\n", "opt/second.py": "#!/usr/bin/python3\nopen('/boot/node.env'), open('/boot/efi/wifi.conf')\n", "usr/bin/third": "\x7fELF /boot/none.txt",
    }, boot={"node.env": "A=1\n"}),
    "a console that is open": starts() | Lies({"etc/systemd/system/getty.target.wants/getty@tty1.service": "x", "etc/systemd/system/getty@tty1.service.d/auto.conf": "[Service]\nExecStart=-/sbin/agetty --autologin mo --noclear %I\n"}),
    "a console that asks": starts() | Lies({"etc/systemd/system/getty.target.wants/serial-getty@ttyS0.service": "x"}),
    "a file system that grows": SYSTEMD | Lies({"etc/fstab": "# x\n/dev/a /boot vfat defaults 0 1\n/dev/b / ext4 defaults,x-systemd.growfs 0 1\n"}),
    "a file system that grows by a unit": starts("grow-rootfs.service", "resizer.service"),
    "shares that nothing starts": SYSTEMD | Lies({"etc/samba/smb.conf": "[files]\n", "etc/exports": "/srv *\n"}),
    "what joins Wi-Fi": SYSTEMD | Lies({f"{UNITS}/wpa_supplicant@.service": service("/sbin/wpa_supplicant -i%I"), "etc/network/if-pre-up.d/wpasupplicant": "x"}, folders={"usr/sbin": ("wpa_supplicant",), "usr/lib/iwd": ("iwd",)}),
    "radios": Lies(folders={"usr/lib/modules": ("6.1", "6.2"), "usr/lib/modules/6.2/kernel/drivers/net/wireless": ("brook", "fern.ko"), "usr/lib/modules/6.2/kernel/drivers/net/wireless/brook": ("brookfmac", "b.ko.xz"), "usr/lib/firmware": ("brook", "brookfmac-43.bin", "fern", "fer", "fe", "other")}),
    "nginx": starts("nginx.service") | Lies({"etc/nginx/nginx.conf": NGINX, "etc/nginx/sites-enabled/a": "server { listen 80; return 301 https://$host; }\nserver { listen 8443 ssl; root /srv; }\n", "etc/nginx/sites-enabled/b": "server { listen 127.0.0.1:9000; }\nserver { }", "etc/nginx/conf.d/c.conf": "server { listen 81; }"}),
    "nginx that is not started": SYSTEMD | Lies({"etc/nginx/sites-enabled/a": "server { listen 8080; }"}),
    "nginx that is not balanced": starts("nginx.service") | Lies({"etc/nginx/sites-enabled/a": "} server { listen 82; location / { } return 200; { ;"}),
    "Apache and its modules": starts("apache2.service") | Lies({"etc/apache2/ports.conf": "Listen 80\n<IfModule ssl_module>\nListen 443\n</IfModule>\n<IfModule !mod_ssl.c>\nListen 81\n</IfModule>\nListen 8443 https\n", "etc/apache2/mods-enabled/ssl.load": "", "etc/apache2/mods-enabled/dir.conf": ""}),
    "Apache without modules": Lies({"etc/httpd/conf/httpd.conf": " listen 8080\nListen [::1]:9\nListen 99999\n"}),
    "lighttpd": starts("lighttpd.service") | Lies({"etc/lighttpd/lighttpd.conf": 'server.port = 80\nserver.port := 8081\nserver.bind = "127.0.0.1"\n$SERVER["socket"] == ":444" {\n ssl.engine = "enable"\n}\n$SERVER["socket"] == "/run/x" { }\n'}),
    "lighttpd on a socket of the machine": Lies({"etc/lighttpd/lighttpd.conf": 'server.bind = "/run/l.sock"\nssl.engine = "enable"\n'}),
    "Caddy": starts("caddy.service") | Lies({"etc/caddy/Caddyfile": "{\n admin off\n}\n:8080 {\n respond 1\n}\npost.example,\nhttp://post.local {\n}\n"}),
    "Caddy, one site alone": Lies({"etc/caddy/Caddyfile": "# mine\nlocalhost:2015\nrespond 1\n"}),
    "HAProxy": starts("haproxy.service") | Lies({"etc/haproxy/haproxy.cfg": "frontend a\n  bind ipv4@*:8080,ipv6@:::8081 ssl crt x\n  bind 127.0.0.1:90-92\n  bind abns@x\n  bind :70-90\n"}),
    "sockets": Lies({"etc/systemd/system/sockets.target.wants/post.socket": "[Socket]\nListenStream=8765\nListenStream=/run/x\nListenStream=22\n"}, SYSTEMD.links),
    "commands with ports": starts(*(f"{n}.service" for n in "abcdefg")) | Lies({
        f"{UNITS}/a.service": service("/usr/bin/a --port 8123"), f"{UNITS}/b.service": service("/usr/bin/b -l 127.0.0.1:7000 --listen-address=0.0.0.0:7001"), f"{UNITS}/c.service": service("/usr/bin/python3 -m http.server 8000"),
        f"{UNITS}/d.service": service("/usr/bin/d", "Environment=\"WEB_PORT=8200\" X_PORT=1"), f"{UNITS}/e.service": service("/usr/bin/e -p 1883 --https-port '443'"), f"{UNITS}/f.service": service("/usr/bin/f --port=70000 -b /run/x"), f"{UNITS}/g.service": service("/usr/bin/g --important 5"),
    }),
    "containers": SYSTEMD | Lies({
        "opt/desk/compose.yaml": "services:\n  desk:\n    ports: ['8080:80', 9000, '127.0.0.1:8081:81', '53:53/udp', '8100-8102:80-82']\n  other:\n    ports:\n    - {target: 80, published: '8088', host_ip: 127.0.0.1}\n    - {target: 1, published: '1883'}\n  odd: 3\n",
        "srv/compose.yml": "services: [1]\n", "home/docker-compose.yml": "a: [", "etc/containers/systemd/web.container": "[Container]\nPublishPort=8900:80\nPublishPort=80\n", "etc/containers/systemd/readme": "",
    }, folders={"usr/bin": ("podman",)}),
    "containers without anything that runs them": SYSTEMD | Lies({"opt/desk/compose.yaml": "services: {a: {ports: ['80:80']}}"}, folders={"usr/bin": ("ls",)}),
    "names it answers to": SYSTEMD | Lies({"etc/hostname": "post\n", "etc/os-release": "# x\nNAME=\"Some system\"\nVERSION_ID='12'\nODD\n", "etc/avahi/services/a.service": "<service-group><service><type>_ssh._tcp</type><port>22</port></service><service><type> _https._tcp </type><port> 8443 </port></service></service-group>", "etc/avahi/services/b.service": "<x"}, folders={"usr/sbin": ("avahi-daemon",)}),
    "names, said by the resolver": SYSTEMD | Lies({"etc/hostname": "a name with blanks\n", "usr/lib/os-release": "NAME=Other\nVERSION_ID=7", "etc/systemd/resolved.conf": "[Resolve]\nMulticastDNS=yes\n", "etc/avahi/services/a.service": "<!DOCTYPE x [<!ENTITY a \"_http._tcp\">]><service><type>_http._tcp</type><port>80</port></service>"}, folders={"usr/sbin": ("x",)}),
    "a name that is none of a file": Lies({"etc/os-release": "NAME=Quay\n"}, name="64.img", boards=(BoardOnImage("", ("maker,one",), "a.dtb"), BoardOnImage("Board two", ("maker,two",), "b.dtb"), BoardOnImage("", (), "c.dtb"))),
    "a dated file": Lies(name="quay-post-2026-03-01-arm64.img.xz", boards=tuple(BoardOnImage(f"Board {n}", (f"maker,{n}",), f"{n}.dtb") for n in range(6))),
    "files of the boot volume": starts("NetworkManager.service") | Lies(boot={
        "wifi.conf": "ctrl_interface=/run/wpa\n#network={\n#  ssid=\"\"\n#}\n", "hostname.txt": "post\n", "time_zone.txt": "UTC\n", "node.env": "NAME='post'\nTZ='UTC'\nKEYMAP=us\n", "plain.env": "LOG=3\nCOUNTRY=GB\nHOST=post\n", "settings.json": '{"host": "post", "zone": {"tz": "UTC"}}\n', "user-data": "#cloud-config\nhostname: post\n", "odd name.conf": "A=1\n", "licence.txt": "Free as in word.\n",
    }),
}  # fmt: skip


def xray_of(lies: Lies) -> XRay:
    data = {path: text.encode() for path, text in lies.files.items()}
    tree = FixedTree(data, lies.folders, lies.links)
    what = what_starts(tree)
    page = read_page_facts(data, what.programs, nginx_tokens, what, (*commanded(tree, what), *contained(tree, what)))
    files = tuple(FileOnImage(path, len(text), text.encode(), False) for path, text in lies.boot.items())
    volume = VolumeFacts(1, "boot", "fat32", "BOOT", 0, 10**8, None)
    return replace(
        BARE, file_name=lies.name, unpacked_bytes=3 * 10**9, page=page, system=read_system(tree, what), files=files, boards=lies.boards,
        volumes=(volume,) if files else (), device_tree_count=len(lies.boards),
    )  # fmt: skip


@cache
def of_nothing() -> frozenset[str]:
    """Return the lines of the recipe that every image is drafted with."""
    return frozenset(recipe_text(draft_of(xray_of(TREES["nothing"]))).splitlines())


def is_told(name: str) -> Iterator[str]:
    xray = xray_of(TREES[name])
    yield from (f"listens: {one} | {why_of(one)}" for one in xray.page.listeners)
    for facts in (replace(xray.page, listeners=()), xray.system):
        usual = type(facts)()
        yield from (
            f"{key}: {value}" for key in facts.__slots__ if (value := getattr(facts, key)) != getattr(usual, key)
        )
    yield f"page: {xray.page.url('desk')}"
    yield from map(told.finding, judge_system(xray.system))
    draft = draft_of(xray)
    yield from (f"{line.what}: {line.value} | {line.source} | {line.sure}" for line in draft.lines)
    yield from (f"asks: {one.text} | {one.hint}" for one in draft.questions)
    yield from (f"file: {one.path} | {one.dialect} | {one.when} | {one.values} | {one.why}" for one in draft.files)
    yield from (line for line in recipe_text(draft).splitlines() if line not in of_nothing())


CASES: told.Cases = {name: partial(is_told, name) for name in TREES}
test_it_is_said_so, test_each_is_a_case = told.tests_of("trees.txt", CASES)
