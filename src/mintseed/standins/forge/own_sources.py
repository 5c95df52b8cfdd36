"""Made-up images that no recipe names, as anybody's own would be: what is known of them is what stands in them."""

from __future__ import annotations

from mintseed.standins.forge.sources import BoardTree, ImageSpec

HOLLOW = BoardTree("hollow-1.dtb", "Hollow 1", ("hollow,one",))
HOLLOW_2 = BoardTree("hollow-2.dtb", "Hollow 2", ("hollow,two",))

PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1">
<title>Weir post: level and flow</title>
<body style="font:17px/1.5 system-ui,sans-serif;max-width:40rem;margin:2rem auto;padding:0 1rem;color:#1d2a33">
<h1>{{host}}</h1><p>Level 0.42 m, flow 1.8 m³/s. Measured every minute; running since {{since}}.</p></html>
"""

WEIR_POST = ImageSpec(
    file="weir-post-1.4-64.img.xz", appliance="weir-post", release="1.4", bits=64, scheme="mbr", boards=(HOLLOW, HOLLOW_2), boot_mib=40,
    root_mib=40,
    boot_files={"start.txt": "# Weir post: nothing here is yours to change.\nLEVEL=3\n"},
    root_files={
        "etc/hostname": "weir-post\n",
        "etc/hosts": "127.0.0.1\tlocalhost\n127.0.1.1\tweir-post\n",
        "etc/os-release": 'NAME="Weir post"\nVERSION_ID="1.4"\n',
        "etc/timezone": "Etc/UTC\n",
        "etc/default/keyboard": 'XKBMODEL="pc105"\nXKBLAYOUT="us"\n',
        "etc/passwd": "root:x:0:0::/root:/bin/sh\nwarden:x:1000:1000::/home/warden:/bin/sh\n",
        "etc/shadow": "root:*:20000::::::\nwarden:!:20000::::::\n",
        "etc/NetworkManager/NetworkManager.conf": "[main]\nplugins=keyfile\n",
        "etc/systemd/system/multi-user.target.wants/NetworkManager.service": "[Service]\n",
        "etc/nginx/sites-enabled/post": "server {\n    listen 8765;\n    root /srv/post;\n}\n",
        "usr/sbin/avahi-daemon": "",
        "usr/sbin/NetworkManager": "",
        "srv/post/index.html": PAGE,
    },
    checksums="weir-post-1.4.sha256", manifest={},
)  # fmt: skip

OWN_IMAGES = (WEIR_POST,)
