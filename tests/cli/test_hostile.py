"""Arguments, files and texts made to harm: a sentence and exit status 3, nothing obeyed by the terminal, nothing waited for."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest

from mintseed.cli import xray
from mintseed.cli.main import main
from tests.builders.disks import device_tree, image
from tests.cli.test_commands import answer


def test_what_never_ends_is_refused(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    pipe = tmp_path / "pipe.img"
    os.mkfifo(pipe)
    for call in (["xray", str(pipe)], ["check-file", str(pipe), "--as", "keyfile"], ["prove", str(pipe), "--against", str(pipe)],
                 ["find", "--recipe", "platen", "--leases", str(pipe)], ["xray", "/dev/zero"], ["xray", str(tmp_path)]):  # fmt: skip
        status, said = answer(capsys, *call)
        assert status == 3, call
        assert said["error"]["sentence"]


@pytest.mark.parametrize(
    "text", ["", "\0", "a\0b", "\udcff.img", "x" * 5000, "\x1b]0;owned\x07", "/proc/self/mem", "-"]
)
def test_arguments_of_any_kind_end_in_a_sentence(text: str, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["xray", "--", text]) in (3, 64)
    said = capsys.readouterr()
    assert "\x1b" not in said.out + said.err
    assert "Traceback" not in said.err


def test_an_unforeseen_mistake_is_a_sentence_with_its_trace_and_status_3(
    library: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def mistaken(*arguments: object, **named: object) -> None:
        raise IndexError("\x1b[31mtuple index out of range")

    monkeypatch.setattr(xray.inspect_image, "execute", mistaken)
    status = main(["xray", str(library / "platen-3.2-64.img.xz"), "--json"])
    said = capsys.readouterr()
    assert status == 3
    assert "an unforeseen IndexError" in json.loads(said.out)["error"]["sentence"]
    assert "Traceback" in said.err
    assert "\x1b" not in said.err


def test_escapes_of_an_image_do_not_reach_the_terminal(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    boot = {"b.dtb": device_tree(["maker,b"], model="\\x1b]0;owned\\x07"), "\u202egnp.txt": b"x"}
    disk = image(tmp_path / "e.img", boot, {"etc/hostname": b"\x1b[2Jkiosk\n", "etc/os-release": b"NAME=\x1b[31mRed\n"})
    assert main(["xray", str(disk)]) in (0, 1)
    said = capsys.readouterr().out
    assert "\x1b" not in said
    assert "\u202e" not in said
    assert "\\x1b[2Jkiosk" in said
