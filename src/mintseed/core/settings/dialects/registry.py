"""The dialects by name. To add one: a module with `apply` and `check`, and a line here."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects import (
    authorized_keys,
    connman,
    hosts,
    ini,
    interfaces,
    iwd,
    json_file,
    key_value,
    keyfile,
    link,
    netplan,
    networkd,
    plain,
    presence,
    shadow,
    toml_file,
    user_data,
    wpa_supplicant,
    yaml_file,
)
from mintseed.core.settings.meaning import Meaning
from mintseed.core.settings.reader import ANY_READER, NETPLAN, SHELL, USER_DATA, YAML, Reader
from mintseed.core.settings.values import SettingValues


@dataclass(frozen=True, slots=True)
class Dialect:
    """`apply` edits text in place; `check` judges it as the real reader would, told what the recipe says of the file;
    `means` says what its device will do. `reader`: what it makes of
    what editors do. `takes_country`: whether files of this syntax have a place for the country.
    `owner` and `mode` are what the reader demands on the root volume, where it does. `wanted`:
    whether there is anything to put into such a file; without, it is left as it lies. `several`: where further networks go: into the
    same file, into a file each, or nowhere. `takes_address`: whether a fixed address can stand in it. `reads_as`: the account its reader runs as,
    where that is not root's."""

    apply: Callable[[str, FileToFill, SettingValues], str]
    check: Callable[[str, str, FileToFill | None], Iterator[Finding]]
    means: Callable[[str, str, FileToFill | None], Meaning]
    reader: Reader = ANY_READER
    takes_country: bool = False
    owner: str = ""
    mode: str = ""
    wanted: Callable[[SettingValues], bool] = lambda values: True
    several: Literal["in-file", "file-each", "nowhere"] = "nowhere"
    takes_address: bool = False
    reads_as: str = ""


# configparser takes every blank off both ends of a line.
SECTIONED = Reader(comments=("#", ";"), cr_twice=Severity.NOTE, cr_blank=Severity.NOTE)

DIALECTS: Mapping[str, Dialect] = {
    # The supplicant takes every blank and carriage return off the end of a line (wpa_config_get_line, wpa_supplicant 2.10).
    "wpa-supplicant": Dialect(
        wpa_supplicant.apply,
        wpa_supplicant.check,
        wpa_supplicant.means,
        Reader(cr_twice=Severity.NOTE, cr_blank=Severity.NOTE),
        takes_country=True,
        owner="root",
        mode="0600",
        several="in-file",
    ),
    # The network manager reads no keyfile of anybody else's or that others may read (nm-settings-keyfile(5), Security).
    "keyfile": Dialect(
        keyfile.apply,
        keyfile.check,
        keyfile.means,
        owner="root",
        mode="0600",
        several="file-each",
        takes_address=True,
    ),
    # netplan warns where others may read it; it holds the key (netplan(5), 0.106).
    "netplan": Dialect(
        netplan.apply,
        netplan.check,
        netplan.means,
        NETPLAN,
        takes_country=True,
        owner="root",
        mode="0600",
        several="in-file",
        takes_address=True,
    ),
    "cloud-init-user-data": Dialect(
        user_data.apply, user_data.check, user_data.means, USER_DATA, owner="root", mode="0600"
    ),
    "cloud-init-network": Dialect(
        netplan.apply,
        netplan.check_cloud,
        netplan.means,
        YAML,
        takes_country=True,
        owner="root",
        mode="0600",
        several="in-file",
        takes_address=True,
    ),
    "systemd-networkd": Dialect(
        networkd.apply,
        networkd.check,
        networkd.means,
        Reader(
            comments=("#", ";"),
            mark=Severity.NOTE,
            cr_twice=Severity.NOTE,
            cr_blank=Severity.NOTE,
            lone_cr=Severity.NOTE,
        ),
        owner="root",
        mode="0644",
        takes_address=True,
        reads_as="systemd-network",
    ),
    "interfaces": Dialect(
        interfaces.apply,
        interfaces.check,
        interfaces.means,
        Reader(cr_twice=Severity.NOTE, cr_blank=Severity.NOTE),
        owner="root",
        mode="0600",
        takes_address=True,
    ),
    "iwd": Dialect(iwd.apply, iwd.check, iwd.means, owner="root", mode="0600", several="file-each", takes_address=True),
    "connman": Dialect(
        connman.apply, connman.check, connman.means, owner="root", mode="0600", several="in-file", takes_address=True
    ),
    "authorized-keys": Dialect(
        authorized_keys.apply,
        authorized_keys.check,
        authorized_keys.means,
        mode="0600",
        wanted=lambda values: bool(values.ssh_keys),
    ),
    "shadow": Dialect(shadow.apply, shadow.check, shadow.means, wanted=lambda values: bool(values.admin_hash)),
    "key-value": Dialect(key_value.apply, key_value.check, key_value.means),
    "shell-vars": Dialect(key_value.apply, key_value.check_shell, key_value.means_shell, SHELL),
    "ini": Dialect(ini.apply, ini.check, ini.means, SECTIONED),
    # RFC 8259 §8.1: none begins with a mark, all are UTF-8; Python's and most others refuse it.
    "json": Dialect(
        json_file.apply,
        json_file.check,
        json_file.means,
        Reader(comments=(), cr_twice=Severity.NOTE, cr_blank=Severity.NOTE, lone_cr=Severity.NOTE),
    ),
    "yaml": Dialect(yaml_file.apply, yaml_file.check, yaml_file.means, YAML),
    "toml": Dialect(toml_file.apply, toml_file.check, toml_file.means, Reader(old_letters_in_comments=Severity.STOP)),
    "presence": Dialect(presence.apply, presence.check, presence.means),
    "plain": Dialect(plain.apply, plain.check, plain.means),
    "hosts": Dialect(hosts.apply, hosts.check, hosts.means),
    "link": Dialect(link.apply, link.check, link.means),
}


def dialect(name: str) -> Dialect:
    """Return the dialect called `name`; raises InputError naming those there are."""
    found = DIALECTS.get(name)
    if found is None:
        raise InputError(f"no dialect is called {name}", expected=" or ".join(DIALECTS))
    return found
