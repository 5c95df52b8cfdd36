"""The real readers of settings files, as judges: wpa_supplicant, nmcli, sh. Each says what it understood."""

from __future__ import annotations

import contextlib
import re
import subprocess
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Understood:
    """`accepted`: the reader took the file; `output`: what it printed."""

    accepted: bool
    output: str


def wpa_supplicant(path: Path) -> Understood:
    """Let wpa_supplicant(8) read `path`: driver `wired` on the loopback interface needs no radio. -dd prints what it took."""
    process = subprocess.Popen(
        ["wpa_supplicant", "-D", "wired", "-i", "lo", "-c", str(path), "-dd"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
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
        check=False,
    )
    return Understood(done.returncode == 0, done.stdout + done.stderr)


def shell_value(text: str, name: str) -> str:
    """Let sh(1) read a file of assignments and say what `name` became."""
    done = subprocess.run(["sh", "-c", f'{text}\nprintf %s "${name}"'], capture_output=True, text=True, check=True)
    return done.stdout


def wpa_passphrase(ssid: str, passphrase: str) -> str:
    """Return the key wpa_passphrase(8) derives."""
    done = subprocess.run(["wpa_passphrase", ssid], input=passphrase + "\n", capture_output=True, text=True, check=True)
    match = re.search(r"^\s*psk=([0-9a-f]{64})$", done.stdout, re.MULTILINE)
    assert match is not None
    return match[1]
