"""Public keys: judged as ssh-keygen judges them, written once, and never a private one."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest
from cryptography.hazmat.primitives import serialization
from cryptography.hazmat.primitives.asymmetric import ec, ed25519, rsa

from mintseed.core.findings import Where
from mintseed.core.recipes.model import FileToFill
from mintseed.core.settings.dialects.registry import DIALECTS
from mintseed.core.site.ssh_keys import check_keys, keys_in
from tests.builders import readers
from tests.core.settings.test_values import values


def public(key: ed25519.Ed25519PrivateKey | rsa.RSAPrivateKey | ec.EllipticCurvePrivateKey, name: str) -> str:
    said = key.public_key().public_bytes(serialization.Encoding.OpenSSH, serialization.PublicFormat.OpenSSH)
    return f"{said.decode()} {name}"


ANN, BOB = (
    public(ed25519.Ed25519PrivateKey.generate(), "ann@desk"),
    public(ec.generate_private_key(ec.SECP256R1()), "bob"),
)
LONG, SHORT = (
    public(rsa.generate_private_key(65537, 2048), "long"),
    public(rsa.generate_private_key(65537, 1024), "short"),
)


def codes(text: str) -> list[str]:
    return [f.code for f in check_keys(text, Where())]


@pytest.mark.parametrize(
    ("line", "code"),
    [
        (ANN, ""), (BOB, ""), (LONG, ""), (SHORT, "site.key-old"), (f'command="/bin/true",no-pty {ANN}', ""), (ANN[:-30], "site.key-broken"), (ANN[:40] + "A" + ANN[41:60], "site.key-broken"),
        ("ann@desk", "site.key-broken"), (ANN.replace("ssh-ed25519", "ssh-rsa"), "site.key-broken"), ("# " + ANN, ""),
    ],
    ids=("ed25519", "ecdsa", "rsa", "short rsa", "with options", "cut off", "a letter changed", "a name alone", "another kind", "a comment"),
)  # fmt: skip
def test_a_key_is_judged_line_by_line(line: str, code: str, tmp_path: Path) -> None:
    assert codes(f"{line}\n") == ([code] if code else [])
    if shutil.which("ssh-keygen") is None or line.startswith(("#", "command")):
        return
    # ssh-keygen(1) -l: whether it reads the line as a key.
    (tmp_path / "k").write_text(line + "\n")
    taken = subprocess.run(["ssh-keygen", "-l", "-f", tmp_path / "k"], capture_output=True, check=False).returncode == 0
    assert taken is (code != "site.key-broken")


def test_a_private_key_is_told_and_not_taken_for_lines() -> None:
    word = ed25519.Ed25519PrivateKey.generate().private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.OpenSSH, serialization.NoEncryption()
    )
    assert codes(word.decode()) == ["site.key-private"]


def test_a_file_of_keys_gets_those_that_are_missing_and_keeps_the_rest() -> None:
    file = FileToFill(path="home/ann/.ssh/authorized_keys", volume="root", dialect="authorized-keys", title="keys")
    dialect = DIALECTS["authorized-keys"]
    before = f"# hers\nno-pty {ANN}"
    after = dialect.apply(before, file, values(ssh_keys=(ANN, BOB)))
    assert after == f"{before}\n{BOB}\n"
    assert dialect.apply(after, file, values(ssh_keys=(ANN, BOB))) == after
    assert dialect.means(after, "f", file).sentence() == "Lets in the keys of ann@desk, bob."
    assert dialect.apply("", file, values()) == ""
    assert keys_in(f"{ANN}\n\n{ANN}\n # x\n") == (ANN,)


def test_cloud_init_gets_them_for_its_first_account_and_for_the_one_it_makes(tmp_path: Path) -> None:
    """`cloud-init schema` takes what was written."""
    file = FileToFill(path="user-data", dialect="cloud-init-user-data", title="first boot")
    made = DIALECTS["cloud-init-user-data"].apply(
        "", file, values(ssh_keys=(ANN, BOB), admin_name="ann", admin_hash="$6$a$b")
    )
    assert readers.cloud_init(made.encode(), tmp_path).accepted, made
    assert made.count(ANN) == 2
    again = DIALECTS["cloud-init-user-data"].apply(
        f'#cloud-config\nssh_authorized_keys:\n  - "{ANN}"\nhostname: x\n', file, values(ssh_keys=(ANN, BOB))
    )
    assert again.count(ANN) == 1
    assert f'  - "{ANN}"\n  - "{BOB}"\n' in again
    assert readers.cloud_init(again.encode(), tmp_path).accepted
