"""The real readers of settings files, as judges: wpa_supplicant, nmcli, sh, netplan, ifupdown, cloud-init. Each says what it understood."""

from __future__ import annotations

import atexit
import contextlib
import json
import os
import re
import shutil
import subprocess
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from tests.builders.debian import tools


@dataclass(frozen=True)
class Understood:
    """`accepted`: the reader took the file; `output`: what it printed."""

    accepted: bool
    output: str


def wpa_supplicant(path: Path, *, shown: bool = False) -> Understood:
    """Let wpa_supplicant(8) read `path`: driver `wired` on the loopback interface needs no radio. -dd prints what it took, -K keys too."""
    process = subprocess.Popen(
        ["wpa_supplicant", "-D", "wired", "-i", "lo", "-c", str(path.absolute()), "-ddK" if shown else "-dd"],
        cwd=path.parent,  # a spoiled ctrl_interface is a folder it makes
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        errors="replace",
    )
    lines: list[str] = []
    assert process.stdout is not None
    with contextlib.closing(process.stdout):
        for line in process.stdout:
            lines.append(line)
            if "Failed to read or parse configuration" in line or "Added interface" in line or "Daemonize" in line:
                break
        process.terminate()
        process.wait(10)
    output = "".join(lines)
    return Understood(
        "Failed to read or parse configuration" not in output and "Line" not in _complaints(output), output
    )


def _complaints(output: str) -> str:
    return "\n".join(line for line in output.splitlines() if re.match(r"Line \d+: (?!.*start of)", line))


def nmcli(text: str) -> Understood:
    """Let nmcli(1) --offline read a keyfile and print it as understood."""
    done = subprocess.run(
        ["nmcli", "--offline", "connection", "modify", "connection.id", "x"],
        input=text,
        capture_output=True,
        text=True,
        errors="surrogateescape",
        check=False,
    )
    return Understood(done.returncode == 0, done.stdout + done.stderr)


def shell_value(text: str, name: str) -> str:
    """Let sh(1) read a file of assignments and say what `name` became."""
    done = subprocess.run(["sh", "-c", f'{text}\nprintf %s "${name}"'], capture_output=True, text=True, check=True)
    return done.stdout


def shell_takes(data: bytes, folder: Path) -> bool:
    """Return whether sh(1) reads a file of assignments without a word of complaint, with no program to be found."""
    (folder / "vars").write_bytes(data)
    done = subprocess.run(
        ["/bin/sh", "-euc", ". ./vars"],
        capture_output=True,
        cwd=folder,
        check=False,
        env={"PATH": "", "HOME": "/h"},
        stdin=subprocess.DEVNULL,
    )
    return done.returncode == 0 and not done.stderr


def wpa_passphrase(ssid: str, passphrase: str) -> str:
    """Return the key wpa_passphrase(8) derives."""
    done = subprocess.run(["wpa_passphrase", ssid], input=passphrase + "\n", capture_output=True, text=True, check=True)
    match = re.search(r"^\s*psk=([0-9a-f]{64})$", done.stdout, re.MULTILINE)
    assert match is not None
    return match[1]


def netplan(text: bytes, folder: Path) -> Understood:
    """Let netplan's generator read a file; `output` is what it wrote for the supplicant and for systemd's network, or why it refused it."""
    programs = tools(
        "netplan", ("netplan.io", "libnetplan0", "libyaml-0-2", "libglib2.0-0", "libpcre2-8-0", "libuuid1", "libffi8")
    )
    root = folder / "netplan-root"
    shutil.rmtree(root, ignore_errors=True)
    (root / "etc/netplan").mkdir(parents=True)
    file = root / "etc/netplan/90-wifi.yaml"
    file.write_bytes(text)
    file.chmod(0o600)
    generator = next(
        p for p in (programs / "usr/libexec/netplan/generate", programs / "lib/netplan/generate") if p.exists()
    )
    libraries = ":".join(str(p.parent) for p in programs.glob("**/libnetplan.so.*"))
    done = subprocess.run(
        [generator, "--root-dir", root], capture_output=True, text=True, check=False, errors="replace",
        env={"LD_LIBRARY_PATH": libraries, "PATH": "/usr/bin:/bin"},
    )  # fmt: skip
    written = sorted(p for p in root.glob("run/**/*") if p.is_file() and p.suffix in (".conf", ".network"))
    return Understood(
        done.returncode == 0, done.stdout + done.stderr + "".join(p.read_text(errors="replace") for p in written)
    )


def netplan_supplicant(folder: Path) -> Path:
    """Return the supplicant's file that netplan's generator wrote last."""
    written = sorted((folder / "netplan-root/run/netplan").glob("wpa-*.conf"))
    return written[0] if written else folder / "netplan-root/run/netplan/none"


def ifquery(text: bytes, folder: Path, device: str = "wlan0") -> Understood:
    """Let ifquery(8) read a file of interfaces(5); `output` is what it says of the device."""
    program = tools("ifupdown", ("ifupdown",)) / "sbin/ifquery"
    (folder / "interfaces").write_bytes(text)
    done = subprocess.run([program, "-i", folder / "interfaces", device], capture_output=True, check=False)
    up = subprocess.run(
        [program, "-i", folder / "interfaces", "--list", "--allow=hotplug"], capture_output=True, check=False
    )
    output = (done.stdout + done.stderr + b"\nup: " + up.stdout).decode(errors="replace")
    return Understood(b"couldn't read" not in done.stderr, output)


_CLOUD_INIT = """
import contextlib, io, json, sys
from cloudinit.cmd.main import main
for line in sys.stdin:
    said = io.StringIO()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
        try:
            status = main(["cloud-init", "schema", "-c", line.rstrip()])
        except SystemExit as ended:
            status = ended.code
            if isinstance(status, str):
                said.write(status)
    print(json.dumps([not status, said.getvalue()]), flush=True)
"""
"""its command, for one file after the other: it takes most of a second to begin"""


@cache
def _cloud_init(_process: int) -> subprocess.Popen[str]:
    programs = tools(
        "cloud-init",
        ("cloud-init", "python3-jsonschema", "python3-attr", "python3-pyrsistent", "python3-configobj", "python3-jinja2", "python3-markupsafe",
         "python3-six", "python3-yaml", "python3-requests", "python3-urllib3", "python3-idna", "python3-certifi", "python3-chardet",
         "python3-oauthlib", "python3-jsonpatch", "python3-json-pointer", "python3-serial"),
    )  # fmt: skip
    running = subprocess.Popen(
        ["/usr/bin/python3", "-c", _CLOUD_INIT], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
        env={"PYTHONPATH": str(programs / "usr/lib/python3/dist-packages"), "PATH": "/usr/bin:/bin"},
    )  # fmt: skip
    atexit.register(_ended, running)
    return running


def _ended(running: subprocess.Popen[str]) -> None:
    with running:
        running.kill()


def cloud_init(text: bytes, folder: Path) -> Understood:
    """Let `cloud-init schema` judge user data."""
    (folder / "user-data").write_bytes(text)
    running = _cloud_init(os.getpid())  # a forked process has one of its own
    assert running.stdin is not None
    assert running.stdout is not None
    running.stdin.write(f"{folder / 'user-data'}\n")
    running.stdin.flush()
    accepted, output = json.loads(running.stdout.readline())
    return Understood(accepted, output)
