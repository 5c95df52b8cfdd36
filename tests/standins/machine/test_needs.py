"""What a machine bench wants: one sentence for what is missing, whatever it is."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from mintseed.standins.machine import needs


@pytest.fixture(autouse=True)
def all_there(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(needs.os, "geteuid", lambda: 0)
    monkeypatch.setattr(needs.os, "access", lambda *_: True)
    monkeypatch.setattr(needs, "missing_packages", lambda: ())
    monkeypatch.setattr(needs, "free_memory_mb", lambda: 8000)


def test_nothing_is_said_where_all_is_there() -> None:
    assert needs.missing() == ""


@pytest.mark.parametrize(
    ("name", "answer", "word"),
    [
        ("missing_packages", ("qemu-system-x86", "syslinux"), "apt-get install qemu-system-x86 syslinux"),
        ("free_memory_mb", 300, "300 MB are free"),
    ],
)
def test_what_is_missing_is_said_in_one_sentence(
    name: str, answer: object, word: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(needs, name, lambda: answer)
    assert word in needs.missing()
    assert "\n" not in needs.missing()


def test_only_root_makes_networks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(needs.os, "geteuid", lambda: 1000)
    assert "only root" in needs.missing()


def test_a_tool_that_is_gone_names_its_package(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.undo()
    real = shutil.which
    monkeypatch.setattr(needs.shutil, "which", lambda tool, **more: None if tool == "syslinux" else real("sh"))
    monkeypatch.setattr(Path, "exists", lambda self: True)
    assert needs.missing_packages() == ("syslinux",)


@pytest.mark.parametrize(("free", "cores", "machines"), [(699, 8, 0), (700, 8, 1), (8000, 2, 2), (2100, 8, 3)])
def test_as_many_side_by_side_as_there_is_room_for(free: int, cores: int, machines: int) -> None:
    assert needs.at_once(free, cores) == machines
