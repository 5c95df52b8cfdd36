"""Lines of hosts, judged by us and by the C library: getent(1) in a mount namespace of its own, with the text as its /etc/hosts."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from mintseed.core.settings.fill import check_file

LINES = {
    "192.0.2.7 press": "", "::1 press": "", "  192.0.2.7\tpress hall # ours": "", "localhost press": "hosts.no-address", "press 192.0.2.7": "hosts.no-address",
    "fe80::1%lo press": "hosts.no-address", "127.1 press": "hosts.no-address", "192.0.2.7": "hosts.no-name", "press": "hosts.no-address", "192.0.2.7 # press": "hosts.no-name",
}  # fmt: skip


@pytest.mark.parametrize("line", LINES)
def test_a_line_is_said_to_be_passed_over_where_the_resolver_passes_it_over(line: str, tmp_path: Path) -> None:
    found = [(f.code, f.where.line) for f in check_file(f"# ours\n{line}\n".encode(), "hosts", "hosts")]
    assert found == ([(LINES[line], 2)] if LINES[line] else [])
    if os.geteuid():
        pytest.skip("only root may give a process a hosts of its own")
    (tmp_path / "hosts").write_text(f"{line}\n")
    asked = 'mount --bind "$1" /etc/hosts && getent -s files ahosts press'
    answer = subprocess.run(
        ["unshare", "-m", "sh", "-c", asked, "sh", tmp_path / "hosts"], capture_output=True, text=True, check=False
    )
    assert bool(answer.stdout) is not LINES[line].startswith("hosts."), answer.stderr
