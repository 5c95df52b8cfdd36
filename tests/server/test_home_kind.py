"""A home belongs to one kind of bench, and says so in words before anything is touched."""

from __future__ import annotations

import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import pytest

from mintseed import wiring
from mintseed.core.errors import RefusedError
from mintseed.server.kept.models import Bench, Site
from mintseed.server.start.home_kind import keep_kind, kept_kind, refuse_other_kind
from mintseed.wiring import PROJECT, Config


def config(home: Path, bench: str) -> Config:
    return replace(wiring.config(), home=home, bench=bench, bench_name="attic")  # type: ignore[arg-type]


def a_bench(name: str, kind: str, *, was_real: bool = False, holder: str = "") -> None:
    Bench.objects.create(name=name, kind=kind, was_real=was_real, holder=holder, site=Site.objects.create())


@pytest.mark.django_db
@pytest.mark.parametrize(
    ("first", "second"),
    [("standin", "real"), ("real", "standin"), ("machine", "real"), ("standin", "machine"), ("real", "machine")],
)
def test_the_first_start_says_whose_it_is(tmp_path: Path, first: str, second: str) -> None:
    keep_kind(config(tmp_path, first))
    keep_kind(config(tmp_path, first))
    for refuse in (refuse_other_kind, keep_kind):
        with pytest.raises(RefusedError) as refused:
            refuse(config(tmp_path, second))
        assert str(tmp_path) in refused.value.sentence()
        assert (f"MINTSEED_BENCH={second}" in refused.value.next_step) is (second != "standin")
        assert f"MINTSEED_HOME={tmp_path}-" in refused.value.next_step
    assert kept_kind(tmp_path) == first


@pytest.mark.django_db
def test_in_a_home_from_before_its_benches_say_it(tmp_path: Path) -> None:
    a_bench("attic", "standin", holder="this home, where it lay before")
    with pytest.raises(RefusedError, match="made up"):
        keep_kind(config(tmp_path, "real"))
    assert kept_kind(tmp_path) == "standin"


@pytest.mark.django_db
def test_one_that_was_ever_real_makes_it_a_real_ones(tmp_path: Path) -> None:
    a_bench("cellar", "standin", was_real=True)
    a_bench("attic", "standin")
    with pytest.raises(RefusedError, match="a real bench"):
        keep_kind(config(tmp_path, "standin"))


@pytest.mark.django_db
def test_a_bench_that_joins_elsewhere_is_of_the_kind_that_is_there(tmp_path: Path) -> None:
    """Over a tunnel it has a home of its own and nothing in it."""
    a_bench("bench", "standin", holder="another machine")
    with pytest.raises(RefusedError, match="made up"):
        keep_kind(config(tmp_path, "real"))


def test_a_start_of_the_other_kind_touches_nothing(tmp_path: Path) -> None:
    (tmp_path / "kind-of-bench").write_text("standin\n")
    started = subprocess.run(
        [sys.executable, "-m", "mintseed.server.start.make_ready"], cwd=PROJECT, text=True, capture_output=True, check=False,
        env={**os.environ, "MINTSEED_HOME": str(tmp_path), "MINTSEED_LIBRARY": str(tmp_path / "library"), "MINTSEED_BENCH": "real"},
    )  # fmt: skip
    assert started.returncode == 1
    assert "devices are made up" in started.stderr
    assert [p.name for p in tmp_path.iterdir()] == ["kind-of-bench"]
