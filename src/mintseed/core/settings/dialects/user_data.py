"""What cloud-init does on a first boot. Source: cloud-init documentation (user-data formats, module reference), and `cloud-init schema`."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import yaml

from mintseed.core.errors import SettingsFileError
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings import yaml_text
from mintseed.core.settings.dialects import yaml_file
from mintseed.core.settings.meaning import NOTHING, Meaning
from mintseed.core.settings.values import SettingValues
from mintseed.core.settings.yaml_text import YamlFault, at, child, quoted, set_value
from mintseed.core.site.ssh_keys import same_key
from mintseed.core.units import counted
from mintseed.core.visible import one_line

SOURCE = "cloud-init documentation, module reference"
HEADER = "#cloud-config"

TEXTS = ("hostname", "fqdn", "timezone", "locale")
"""keys whose value is one text"""
NULL = "tag:yaml.org,2002:null"
LEFT_AS_IT_IS = ("locale", "false")
"""what is said by a key that sets nothing"""
LISTS = ("packages", "runcmd", "bootcmd", "write_files", "ssh_authorized_keys", "mounts")
"""keys that want a list below them"""
NOT_HERE = ("network", "ethernets", "wifis")
"""read from network-config alone"""


WITHOUT_A_RECIPE = {
    "hostname": "{host_name}",
    "timezone": "{time_zone}",
    "keyboard/layout": "{keyboard}",
    "locale": "{locale}",
}
"""key → template, where the recipe names none (cloud-init documentation, module reference)"""


def apply(text: str, file: FileToFill, values: SettingValues) -> str:
    """Return `text` with name, zone, keyboard and the account set, and with what its recipe names beside them.

    Raises SettingsFileError for what is no YAML, and for a text that begins otherwise: a script, for instance.
    """
    if not text.strip():
        text = HEADER + "\n"
    if not text.startswith(HEADER):
        first = text.split("\n")[0][:40]
        if first.startswith(("#!", "#include", "MIME", "Content-Type", "#cloud-boothook", "## template", "#part")):
            raise SettingsFileError(
                f"begins with {first}",
                expected=HEADER,
                where=file.place,
                next_step="Choose another file, or the image's own.",
            )
        text = f"{HEADER}\n{text}"
    wanted = file.values or WITHOUT_A_RECIPE
    for key, template in wanted.items():
        if value := values.for_template(template):
            text = yaml_file.set_typed(text, tuple(key.split("/")), template, value, file.place)
    text = _with_keys(text, values.ssh_keys, file.place)
    return (
        _with_account(text, values, file.place)
        if values.admin_name and not any("{admin_" in t for t in wanted.values())
        else text
    )


def _with_keys(text: str, keys: tuple[str, ...], place: str) -> str:
    """Return `text` with the place's keys for the first account, behind those that stand there."""
    node = yaml_text.read(text)
    there = None if isinstance(node, YamlFault) else at(node, ("ssh_authorized_keys",))
    held = (
        {same_key(one.value) for one in there.value if isinstance(one, yaml.ScalarNode)}
        if isinstance(there, yaml.SequenceNode)
        else set()
    )
    fresh = [[quoted(key)] for key in keys if same_key(key) not in held]
    return yaml_text.with_items(text, "ssh_authorized_keys", fresh, place=place) if fresh else text


def _with_account(text: str, values: SettingValues, place: str) -> str:
    """Return `text` with the account in its list of users: the one of this name, else a new one behind the others."""
    node = yaml_text.read(text)
    users = None if isinstance(node, YamlFault) else at(node, ("users",))
    if isinstance(users, yaml.SequenceNode):
        for number, one in enumerate(users.value):
            name = child(one, "name")
            if isinstance(name, yaml.ScalarNode) and name.value == values.admin_name:
                for key, value in (("lock_passwd", "false"), ("passwd", quoted(values.admin_hash))):
                    text = set_value(text, ("users", str(number), key), value, place=place)
                return text
    return yaml_text.with_items(text, "users", [_account(values)], ["default"], place=place)


def _account(values: SettingValues) -> list[str]:
    keys = ["ssh_authorized_keys:", *(f"  - {quoted(key)}" for key in values.ssh_keys)] if values.ssh_keys else []
    word = ["lock_passwd: false", f"passwd: {quoted(values.admin_hash)}"]
    return [f"name: {yaml_text.scalar(values.admin_name)}", "groups: [adm, sudo]", "shell: /bin/bash", *word, *keys]


def _is_text(one: yaml.Node) -> bool:
    return isinstance(one, yaml.ScalarNode) and one.tag == yaml_text.STRING


def _is_command(one: yaml.Node) -> bool:
    return _is_text(one) or isinstance(one, yaml.SequenceNode) or one.tag == NULL


def _is_package(one: yaml.Node) -> bool:
    """Source: cloud-init 22.4.2, util.expand_package_list; since 23.4 each manager's own list too."""
    if isinstance(one, yaml.SequenceNode):
        return 1 <= len(one.value) <= 2 and _is_text(one.value[0])
    return _is_text(one) or (isinstance(one, yaml.MappingNode) and {*yaml_text.keys(one)} <= {"apt", "snap"})


def _is_file(one: yaml.Node) -> bool:
    return (named := child(one, "path")) is not None and _is_text(named)


_ENTRIES: dict[str, tuple[Callable[[yaml.Node], bool], str, str]] = {
    **dict.fromkeys(("runcmd", "bootcmd"), (_is_command, "commands", "Write each as one text or as a list of words.")),
    "packages": (_is_package, "names", "Write each as its name, in quotes where it is such a word as no, or as a list of its name and its version."),
    "write_files": (_is_file, "files", "Write path: below each dash."),
    "ssh_authorized_keys": (_is_text, "keys", "Write each as one text."),
}  # fmt: skip
"""list → what each of its entries is"""


def check(text: str, path: str, file: FileToFill | None = None) -> Iterator[Finding]:
    """Yield what cloud-init would pass over or refuse."""
    first = text.split("\n")[0]
    if first.startswith("#!"):
        yield Finding("cloud-init.script", Severity.NOTE, "It is a script, and run as one", "Nothing of it is read as settings.", "", Where(file=path, line=1), SOURCE)  # fmt: skip
        return
    if first.rstrip() != HEADER:
        lower = next((n for n, line in enumerate(text.split("\n"), 1) if line.strip() == HEADER), 0)
        yield Finding("cloud-init.header", Severity.STOP, f"Its first line is not {HEADER}", f"It stands in line {lower}, where nobody looks for it." if lower else "The whole file is passed over.",
                      f"Write {HEADER} as the very first line, without a blank before it.", Where(file=path, line=1), "cloud-init documentation, user-data formats")  # fmt: skip
    root = yaml_text.read_strictly(text)
    if isinstance(root, YamlFault):
        yield yaml_file.fault(root, path)
        return
    if root is None:
        return
    if not isinstance(root, yaml.MappingNode):
        yield _stop(
            "cloud-init.no-keys", "It holds no keys", "The whole file is passed over.", "Write key: value.", root, path
        )
        return
    yield from yaml_file.twice(root, path)
    for name in NOT_HERE:
        if (node := child(root, name)) is not None:
            yield Finding("cloud-init.not-here", Severity.CHECK, f"{name}: is not read in this file", "The network is read from network-config beside it.", "Put it there.",
                          Where(file=path, line=node.start_mark.line + 1), SOURCE)  # fmt: skip
    for name in TEXTS:
        node = child(root, name)
        if isinstance(node, yaml.ScalarNode) and node.tag != yaml_text.STRING and (name, node.value) != LEFT_AS_IT_IS:
            yield _stop(
                "yaml.other-type",
                f"{name}: {node.value} is not read as text",
                "Its module fails and the rest goes on.",
                "Put it in straight quotes.",
                node,
                path,
            )
        elif node is not None and not isinstance(node, yaml.ScalarNode):
            yield _stop(
                "cloud-init.value",
                f"{name} wants one text",
                "Its module fails and the rest goes on.",
                f"Write {name}: and the text.",
                node,
                path,
            )
    for name in LISTS:
        node = child(root, name)
        if node is not None and not isinstance(node, yaml.SequenceNode):
            yield _stop(
                "cloud-init.value",
                f"{name} wants a list",
                "Its module fails and the rest goes on.",
                "Begin each line below it with a dash.",
                node,
                path,
            )
    if isinstance(one_user := child(root, "user"), yaml.SequenceNode):
        yield _stop(
            "cloud-init.value",
            "user wants one account, and a list stands there",
            "No account is made.",
            "Write users: for a list.",
            one_user,
            path,
        )
    for name, (is_one, what, fix) in _ENTRIES.items():
        node = child(root, name)
        for one in node.value if isinstance(node, yaml.SequenceNode) else ():
            if not is_one(one):
                yield _stop(
                    "cloud-init.value",
                    f"{name} wants {what}",
                    "It is passed over, or its module fails and the rest goes on.",
                    fix,
                    one,
                    path,
                )
    yield from _keyboard(root, path)
    yield from _users(child(root, "users"), path)


def _keyboard(root: yaml.Node, path: str) -> Iterator[Finding]:
    node = child(root, "keyboard")
    layout = child(node, "layout")
    if node is not None and not (isinstance(layout, yaml.ScalarNode) and layout.tag == yaml_text.STRING):
        yield _stop(
            "cloud-init.value",
            "keyboard wants layout below it, with a text",
            "The keyboard stays as it came.",
            "Write keyboard: and below it layout: gb.",
            node,
            path,
        )
    for key, _ in node.value if isinstance(node, yaml.MappingNode) else ():
        if key.value not in ("layout", "model", "variant", "options"):
            yield _stop(
                "cloud-init.key-unknown",
                f"{key.value} is no key of keyboard",
                "Its module fails and the rest goes on.",
                "Mend the word, or take the line out.",
                key,
                path,
            )


USER_KEYS = frozenset(
    [
        "name", "doas", "expiredate", "gecos", "groups", "homedir", "inactive", "lock_passwd", "lock-passwd", "no_create_home", "no_log_init", "no_user_group", "passwd", "hashed_passwd",
        "plain_text_passwd", "create_groups", "primary_group", "selinux_user", "shell", "snapuser", "ssh_authorized_keys", "ssh-authorized-keys", "ssh_import_id", "ssh_redirect_user", "sudo",
        "system", "uid",
    ]
)  # fmt: skip
"""what a user may have. Source: cloud-init documentation, Users and Groups"""


def _users(users: yaml.Node | None, path: str) -> Iterator[Finding]:
    if users is None or (isinstance(users, yaml.ScalarNode) and users.tag == yaml_text.STRING):
        return
    if not isinstance(users, yaml.SequenceNode):
        if isinstance(users, yaml.ScalarNode):
            yield _stop(
                "cloud-init.value",
                "users wants a list",
                "No account is made.",
                "Begin each user below it with a dash.",
                users,
                path,
            )
        return
    for one in users.value:
        if isinstance(one, yaml.MappingNode):
            yield from _user(one, path)
        elif isinstance(one, yaml.ScalarNode) and one.tag != yaml_text.STRING:
            yield _stop(
                "cloud-init.value",
                "A user without a name",
                "It is not made.",
                "Write its name behind the dash.",
                one,
                path,
            )


def _user(one: yaml.MappingNode, path: str) -> Iterator[Finding]:
    for key, _ in one.value:
        if key.value not in USER_KEYS:
            yield _stop(
                "cloud-init.key-unknown",
                f"{key.value} is no key of a user",
                "It is passed over, and the account is made without it.",
                "Mend the word, or take the line out.",
                key,
                path,
            )
    name, word, lock = child(one, "name"), child(one, "passwd"), child(one, "lock_passwd") or child(one, "lock-passwd")
    if child(one, "snapuser") is None and not (
        isinstance(name, yaml.ScalarNode) and name.tag == yaml_text.STRING and name.value
    ):
        yield _stop(
            "cloud-init.value", "A user without a name", "It is not made.", "Add name: and a text.", name or one, path
        )
    locks = isinstance(lock, yaml.ScalarNode) and lock.tag.endswith(":bool")
    if lock is not None and not locks:
        yield _stop(
            "cloud-init.value",
            "lock_passwd is neither true nor false",
            "The account stays locked.",
            "Write lock_passwd: false.",
            lock,
            path,
        )
    for key in ("passwd", "shell", "gecos", "homedir", "primary_group"):
        said = child(one, key)
        # Nothing at all is as if the line were not there.
        if said is not None and not _is_text(said) and (key == "passwd" or said.tag != NULL):
            yield _stop(
                "cloud-init.value",
                f"{key} wants one text",
                "It is passed over, and the account is made without it.",
                f"Write {key}: and the text, in straight quotes.",
                said,
                path,
            )
    if word is None or not _is_text(word):
        return
    if not word.value.startswith("$"):
        yield _stop("cloud-init.password-plain", "passwd wants the password's hash", "Taken as a hash, what stands there opens nothing, and whoever has the card can read it.",
                    "Write its SHA-512-crypt, which begins with $6$.", word, path)  # fmt: skip
    if not (locks and isinstance(lock, yaml.ScalarNode) and lock.value.lower() in ("false", "no", "off")):
        yield Finding("cloud-init.locked", Severity.CHECK, "The password is set and locked", "Without lock_passwd: false nobody can log in with it.", "Add lock_passwd: false.",
                      Where(file=path, line=word.start_mark.line + 1), SOURCE)  # fmt: skip


def _stop(code: str, title: str, detail: str, fix: str, node: yaml.Node, path: str) -> Finding:
    return Finding(code, Severity.STOP, title, detail, fix, Where(file=path, line=node.start_mark.line + 1), SOURCE)


def means(text: str, path: str, file: FileToFill | None = None) -> Meaning:
    """Return what a first boot does by it; nothing where it is passed over."""
    root = yaml_text.read(text)
    if isinstance(root, YamlFault) or not text.startswith(HEADER):
        return NOTHING
    does = []
    for key, words in (("hostname", "is called {}"), ("timezone", "keeps the time of {}"), ("locale", "speaks {}")):
        said = child(root, key)
        if isinstance(said, yaml.ScalarNode) and said.value and (key, said.value) != LEFT_AS_IT_IS:
            does.append(words.format(one_line(said.value)))
    layout = child(child(root, "keyboard"), "layout")
    if isinstance(layout, yaml.ScalarNode):
        does.append(f"has the keyboard {one_line(layout.value)}")
    users = child(root, "users")
    for one in users.value if isinstance(users, yaml.SequenceNode) else ():
        name = child(one, "name")
        if isinstance(name, yaml.ScalarNode):
            does.append(f"has the account {one_line(name.value)}")
    for key, words, thing in (
        ("packages", "installs {}", "package"),
        ("runcmd", "runs {}", "command"),
        ("write_files", "writes {}", "file"),
    ):
        said = child(root, key)
        if isinstance(said, yaml.SequenceNode) and said.value:
            does.append(words.format(counted(len(said.value), thing)))
    return Meaning(does=tuple(does))
