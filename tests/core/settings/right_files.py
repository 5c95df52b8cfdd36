"""Right files as people write them: their readers take each one (test_right_files.py asks them), so nothing worse than a note may be said of it.

Forms: wpa_supplicant.conf(5), nm-settings-keyfile(5), netplan-yaml(5), cloud-init's module reference, interfaces(5), iwd.network(5),
connman-service.config(5), systemd.network(5), sshd(8), hosts(5), shadow(5), RFC 8259, YAML 1.1, TOML 1.0, POSIX XCU §2.
"""

from __future__ import annotations

KEY = "0f" * 32

RIGHT: dict[str, tuple[str, ...]] = {
    "wpa-supplicant": (
        'country=GB\nnetwork={\n\tssid="Quay House"\n\tpsk="spring tide at noon"\n}\n',
        f'# mine\nctrl_interface=DIR=/run/wpa_supplicant GROUP=netdev\nupdate_config=1\ncountry=DE\n\nnetwork={{\n ssid="a # b"\n psk={KEY}\n key_mgmt=WPA-PSK\n}}\n',
        'country=FR\nnetwork={\n  ssid="hidden one"\n  scan_ssid=1\n  psk="with \\"quotes\\" in it"\n}\n',
        'country=US\nnetwork={\nssid="first"\npsk="spring tide"\npriority=2\n}\nnetwork={\nssid="second"\npsk="autumn ebb 1"\npriority=1\n}\n',
        'country=GB\nnetwork={\n  ssid=5175617920486f757365\n  psk="spring tide"  # the word on the router\n}\n',
        'country=GB\r\nnetwork={\r\n  ssid="Quay"\r\n  psk="spring tide"\r\n}\r\n',
        'country=GB\nnetwork={\n  ssid="new"\n  key_mgmt=SAE\n  sae_password="spring tide"\n  ieee80211w=2\n}\n',
    ),
    "keyfile": (
        "[connection]\nid=home\ntype=wifi\n\n[wifi]\nssid=Quay House\n\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=spring tide\n\n[ipv4]\nmethod=auto\n\n[ipv6]\nmethod=auto\n",
        f"# mine\n[connection]\nid=x\nuuid=3f3d3d60-7a35-4f2c-9a1f-6f0a52b1a001\ntype=802-11-wireless\nautoconnect-priority=5\n\n[802-11-wireless]\nssid=x\nmode=infrastructure\n\n[802-11-wireless-security]\nkey-mgmt=wpa-psk\npsk={KEY}\n",
        "[connection]\nid=x\ntype=wifi\n[wifi]\nssid=81;117;97;121;\nhidden=true\n[wifi-security]\npmf=3\nkey-mgmt=sae\npsk=a word of noon\n",
        "[connection]\nid=x\ntype=wifi\n\n[wifi]\nssid=x\npowersave=2\n\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=semi;colon and # too\n\n[ipv4]\naddress1=192.168.4.20/24,192.168.4.1\ndns=192.168.4.1;\nmethod=manual\n",
        "[connection]\nid=x\ntype=wifi\ninterface-name=wlan0\n\n[wifi]\nssid=x\n\n[wifi-security]\nauth-alg=open\nkey-mgmt=wpa-psk\npsk=spring tide\n\n[ipv6]\naddr-gen-mode=default\nmethod=disabled\n",
    ),
    "netplan": (
        'network:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      regulatory-domain: "GB"\n      access-points:\n        "Quay House":\n          password: "spring tide"\n',
        f"# mine\nnetwork:\n  version: 2\n  renderer: networkd\n  wifis:\n    wlan0:\n      optional: true\n      dhcp4: yes\n      regulatory-domain: GB\n      access-points:\n        home:\n          password: {KEY}\n",
        "network:\n  version: 2\n  ethernets:\n    eth0:\n      dhcp4: true\n      optional: true\n  wifis:\n    wlan0:\n      dhcp4: true\n      regulatory-domain: GB\n      access-points:\n        home:\n          hidden: true\n          auth:\n            key-management: psk\n            password: spring tide\n",
        "network: {version: 2, wifis: {wlan0: {dhcp4: true, regulatory-domain: GB, access-points: {home: {password: spring tide}}}}}\n",
        "network:\n  version: 2\n  wifis:\n    wlan0:\n      addresses: [192.168.4.20/24]\n      routes:\n      - to: default\n        via: 192.168.4.1\n      nameservers:\n        addresses: [192.168.4.1]\n      regulatory-domain: GB\n      access-points:\n        home: {password: spring tide}\n",
    ),
    "cloud-init-network": (
        'version: 2\nwifis:\n  wlan0:\n    dhcp4: true\n    regulatory-domain: "GB"\n    access-points:\n      "Quay House":\n        password: "spring tide"\n',
        "network:\n  version: 2\n  wifis:\n    wlan0:\n      dhcp4: true\n      regulatory-domain: GB\n      access-points:\n        home:\n          password: spring tide\n",
        f"version: 2\nethernets:\n  eth0:\n    dhcp4: true\nwifis:\n  wlan0:\n    dhcp4: true\n    regulatory-domain: GB\n    access-points:\n      home:\n        password: {KEY}\n",
    ),
    "cloud-init-user-data": (
        "#cloud-config\nhostname: press\n",
        "#cloud-config\n# mine\nhostname: press\nmanage_etc_hosts: true\ntimezone: Europe/London\nlocale: en_GB.UTF-8\nkeyboard:\n  layout: gb\n",
        '#cloud-config\nusers:\n- name: ann\n  groups: [adm, sudo]\n  shell: /bin/bash\n  lock_passwd: false\n  passwd: "$6$saltsalt$abcdef"\n',
        "#cloud-config\nssh_pwauth: false\npackage_update: true\npackages: [vim, curl]\nruncmd:\n- systemctl enable --now ssh\n",
        '#cloud-config\nwrite_files:\n- path: /etc/motd\n  content: |\n    Quay House\n  permissions: "0644"\nfinal_message: done\n',
    ),
    "interfaces": (
        "auto lo\niface lo inet loopback\n\nallow-hotplug wlan0\niface wlan0 inet dhcp\n    wpa-ssid Quay House\n    wpa-psk spring tide\n",
        f"auto lo wlan0\niface lo inet loopback\niface wlan0 inet dhcp\n  wpa-ssid home\n  wpa-psk {KEY}\n  wpa-scan-ssid 1\n",
        "# mine\nauto lo\niface lo inet loopback\nauto eth0\niface eth0 inet dhcp\nauto wlan0\niface wlan0 inet dhcp\n\twpa-ssid home\n\twpa-psk spring tide\niface wlan0 inet6 auto\n",
        "auto wlan0\niface wlan0 inet static\n    address 192.168.4.20/24\n    gateway 192.168.4.1\n    wpa-ssid home\n    wpa-psk spring tide\n",
    ),
    "ini": (
        "[device]\nname=press\n", "; mine\n[device]\nname: press\nzone : Europe/London\n", "[a]\nx = 1\n\n[b]\nx = 2\ntext = one\n  two\n",
        "[device]\nname = press ; not a comment\nempty =\n", "[DEFAULT]\non = yes\n[device]\nName = Press\n", "[path]\nurl = http://quay.local:80/a?b=c\n",
    ),
    "json": (
        "{}\n", '{"name": "press"}\n', '{"a": [1, -2.5, 1e3, true, false, null], "b": {"c": "d"}}', '[{"x": "é\\u00e9"}, {"x": "\\"quoted\\""}]\n',
        '{\n\t"name": "press",\n\t"empty": "",\n\t"list": []\n}\n',
    ),
    "yaml": (
        "name: press\n", "---\nname: press\n...\n", "a:\n- 1\n- b: c\n", 'a: "quoted: yes"\nb: \'it\'\'s\'\n', "text: >\n  one\n  two\nlist: [a, b, {c: d}]\n",
        "# mine\nbase: &b {x: 1}\nmore: *b\n", "zero: '007'\nwhen: 2026-01-02\nnone: null\n",
    ),
    "toml": (
        'name = "press"\n', "[a]\nb = 1\nc = 1.5\nd = true\n", "when = 2026-01-02T03:04:05Z\nlist = [\n  1,\n  2,\n]\n", '[[net]]\nname = "a"\n\n[[net]]\nname = "b"\n',
        "a.b.c = 'x'\ntext = \"\"\"\none\ntwo\"\"\"\n",
    ),
    "shell-vars": (
        "NAME=press\n", "# mine\nNAME='it is noon'\nZONE=\"Europe/London\"\n", "A=\nB=1\n", "export PATH_TO=/srv/quay\nON=yes # a remark\n", "A='a'\\''b'\nB=\"a\"'b'c\n",
    ),
    "key-value": ("NAME=press\n", "# mine\nNAME=press\n\nZONE=Europe/London\n", "A=1\nB=\nC=x y z\n"),
    "iwd": (f"[Security]\nPreSharedKey={KEY}\n", "[Security]\nPassphrase=spring tide\n\n[Settings]\nAutoConnect=true\nHidden=true\n", "# mine\n[IPv4]\nAddress=192.168.4.20\nGateway=192.168.4.1\n\n[Security]\nPassphrase=spring tide\n"),
    "connman": ("[service_home]\nType = wifi\nName = Quay House\nPassphrase = spring tide\n", f"[global]\nName = mine\n\n[service_a]\nType=wifi\nSSID=51756179\nSecurity=psk\nPassphrase={KEY}\nIPv4=192.168.4.20/24/192.168.4.1\n"),
    "systemd-networkd": ("[Match]\nName=wlan0\n\n[Network]\nDHCP=yes\n", "# mine\n[Match]\nName=wl*\n\n[Link]\nRequiredForOnline=no\n\n[Network]\nAddress=192.168.4.20/24\nGateway=192.168.4.1\nDNS=192.168.4.1\n"),
    "hosts": ("127.0.0.1\tlocalhost\n127.0.1.1\tpress\n", "# mine\n127.0.0.1 localhost\n::1 localhost ip6-localhost\n192.168.4.2 quay quay.home # the router\n"),
    "plain": ("press\n", "Europe/London"),
    "presence": ("",),
    "shadow": ("root:*:20000:0:99999:7:::\nann:$6$salt$hash:20000:0:99999:7:::\n", "root:!:1::::::\nann:!*:1::::::\n"),
    "authorized-keys": ("", "# none yet\n"),
}  # fmt: skip
