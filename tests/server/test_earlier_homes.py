"""The home of every earlier commit on main is brought to now: its rows are there, its proofs stand, its tables are as wanted.

tests/data/homes holds a dump of each schema that ever was on main, named by the commit it came with, made by that commit's own
code: two cards proven through its API (one changed since), and at least one row in every table. Four of them took a migration
that was changed afterwards.
"""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from torture.homes import EARLIER, Home, homes


@pytest.fixture(scope="module")
def base() -> Iterator[Path]:
    with homes() as empty:
        yield empty


@pytest.fixture(scope="module")
def now(base: Path) -> Iterator[Path]:
    """The newest of them, brought to now once, to be copied."""
    with Home.like(base) as home:
        home.load(EARLIER[-1])
        said = home.make_ready()
        assert said.returncode == 0, said.stdout
        yield home.folder


# The oldest; the newest is what the tests below stand on, and all of them are brought to now by `make torture`.
@pytest.mark.parametrize("dump", EARLIER[:1], ids=lambda p: p.name.split(".")[0])
def test_brought_to_now(base: Path, dump: Path) -> None:
    with Home.like(base) as home:
        before = home.load(dump)
        assert before["mintseed_deployment"] == 2
        # The earlier version filled a file in its own way, and last judged one card as holding what was chosen, one as older.
        home.filled_otherwise_then()
        said = home.make_ready()
        assert said.returncode == 0, said.stdout
        assert "bringing the database up to date" in said.stdout
        after = home.counts()
        # What an older version stored elsewhere may have moved; nothing has become less but the jobs that the move let go.
        lost = {t for t, n in before.items() if after.get(t, 0) < n and t not in ("mintseed_job", "django_migrations")}
        assert not lost
        # Every card but the one changed since is proven as it was, although nobody changed anything but the program.
        cards = home.cards()
        assert [c["proven"] for c in cards] == [True, True]
        assert cards[0]["current"]
        assert not cards[1]["current"]
        # And a second start has nothing to do.
        again = home.make_ready()
        assert again.returncode == 0, again.stdout
        assert "up to date" not in again.stdout
        # What is changed from now on counts.
        home.sql("UPDATE mintseed_deployment SET host_name = CONCAT('another-name-', id)")
        assert [c["current"] for c in home.cards()] == [False, False]


def test_of_what_there_may_be_one_the_newest_stands_on(base: Path) -> None:
    """Two windows of an older version left two of each; none of it is lost, and from now on the tables take no second one."""
    with Home.like(base) as home:
        home.load(next(d for d in EARLIER if d.name.startswith("11-")))  # the last one that took two
        home.sql("""
            INSERT INTO mintseed_closing (label, at, deployment_id) SELECT label, NOW(6), deployment_id FROM mintseed_closing;
            INSERT INTO mintseed_claim (address, mac, evidence, at, boot_run_id, deployment_id, `by`)
              SELECT '192.0.2.77', mac, evidence, NOW(6), boot_run_id, deployment_id, `by` FROM mintseed_claim;
            UPDATE mintseed_bootrun SET board_unit_id = (SELECT MIN(id) FROM mintseed_boardunit);
            INSERT INTO mintseed_bootrun (by_hand, powered_at, noted_at, joined_address, scanning, candidates, seen, ended, causes, bench_id,
                board_unit_id, deployment_id, write_id)
              SELECT by_hand, NOW(6), NOW(6), joined_address, scanning, candidates, seen, ended, causes, bench_id, board_unit_id, 1, 1 FROM mintseed_bootrun;
            UPDATE mintseed_deployment SET host_name = 'Press' WHERE id = 1;
            UPDATE mintseed_deployment SET host_name = 'press' WHERE id = 2;
            INSERT INTO mintseed_stationrecord (station, mark, verdict, note, findings, inputs, at, current, deployment_id)
              SELECT station, mark, verdict, 'again', findings, inputs, NOW(6), 1, deployment_id FROM mintseed_stationrecord WHERE current = 1;
            INSERT INTO mintseed_job (kind, state, phase, done_bytes, total_bytes, rate_bytes_per_s, stop_requested, created_at)
              VALUES ('read-image', 'failed', '', 0, 0, 0, 0, NOW(6));
        """)  # fmt: skip
        said = home.make_ready()
        assert said.returncode == 0, said.stdout
        assert home.sql("SELECT COUNT(*), SUM(reopened_at IS NULL) FROM mintseed_closing") == "2\t1\n"
        assert (
            home.sql("SELECT address, taken_back_at IS NULL FROM mintseed_claim ORDER BY id")
            == "quay-house\t0\n192.0.2.77\t1\n"
        )
        assert home.sql("SELECT off_at IS NULL FROM mintseed_bootrun ORDER BY id") == "0\n1\n"
        assert home.sql("SELECT host_name, name_shared FROM mintseed_deployment ORDER BY id") == "Press\t0\npress\t1\n"
        assert (
            home.sql(
                "SELECT COUNT(*) FROM mintseed_stationrecord WHERE current = 1 AND note <> 'again' AND deployment_id = 1"
            )
            == "0\n"
        )
        assert home.sql("SELECT COUNT(*) FROM mintseed_job WHERE kind = 'read-image'") == "0\n"
        for second in (
            "INSERT INTO mintseed_closing (label, names, frozen, at, deployment_id) SELECT label, names, frozen, at, deployment_id FROM mintseed_closing WHERE reopened_at IS NULL",
            "UPDATE mintseed_claim SET taken_back_at = NULL",
            "UPDATE mintseed_bootrun SET off_at = NULL",
            "UPDATE mintseed_deployment SET name_shared = 0",
            "UPDATE mintseed_stationrecord SET current = 1 WHERE deployment_id = 1",
            "UPDATE mintseed_job SET write_id = NULL",
        ):
            with pytest.raises(RuntimeError, match=r"Duplicate entry|CONSTRAINT"):
                home.sql(second)


def test_what_an_older_version_closed_stays_as_it_is_now(now: Path) -> None:
    """Proven, powered, in service before the update; afterwards its board, place and recipe may become what they will."""
    with Home.like(now) as home:
        before = home.cards()
        home.sql(
            "UPDATE mintseed_site SET country = 'NZ', time_zone = 'Pacific/Auckland'; UPDATE mintseed_wifinetwork SET ssid = 'Elsewhere'"
        )
        home.sql(
            "UPDATE mintseed_bootrun SET board_unit_id = NULL; UPDATE mintseed_deployment SET board_unit_id = NULL, recipe = 'gone' WHERE id = 2"
        )
        assert home.cards()[1] == before[1]
        names = home.sql(
            "SELECT board_name, board_kind FROM mintseed_bootrun; SELECT JSON_VALUE(names, '$.appliance') FROM mintseed_closing"
        )
        assert names.endswith("Platen\n")


def test_a_home_that_took_three_changed_migrations_as_they_were_at_first(base: Path) -> None:
    """A home that was updated with every version in turn took each of them before its change, and lacks what came in later."""
    with Home.like(base) as home:
        home.load(next(d for d in EARLIER if d.name.startswith("8-")))
        home.sql("ALTER TABLE mintseed_deployment DROP COLUMN demo; ALTER TABLE mintseed_site DROP COLUMN shared_range")
        said = home.make_ready()
        assert said.returncode == 0, said.stdout
        assert home.make_ready().returncode == 0


def test_a_database_that_is_gone_is_said_and_none_is_built_in_its_place(now: Path) -> None:
    with Home.like(now) as home:
        (home.folder / "database").rename(home.folder / "database.saved")
        said = home.make_ready()
        assert said.returncode == 1
        assert "the database of this home is gone; what lies there: database.saved" in said.stdout
        assert not (home.folder / "database").exists()
        (home.folder / "database.saved").rename(home.folder / "database")
        assert home.make_ready().returncode == 0
        # Where nothing of it lies there, the note that one was made keeps a start from building one.
        shutil.rmtree(home.folder / "database")
        said = home.make_ready()
        assert "nothing of it lies there" in said.stdout
        (home.folder / "database-was-made").unlink()
        assert home.make_ready().returncode == 0


def test_what_is_left_of_a_copy_is_never_taken_for_one(now: Path) -> None:
    """An older version removed its copy file by file, and was killed meanwhile: the good database stays."""
    with Home.like(now) as home:
        shutil.copytree(home.folder / "database", home.folder / "database.before")
        shutil.rmtree(home.folder / "database.before" / "mintseed")
        said = home.make_ready()
        assert said.returncode == 0, said.stdout
        assert "set aside as database.aside-1" in said.stdout
        assert home.counts()["mintseed_deployment"] == 2


def test_tables_that_differ_are_said_in_words(now: Path) -> None:
    with Home.like(now) as home:
        home.sql("ALTER TABLE mintseed_write DROP COLUMN clears_end, MODIFY void_why varchar(20) NOT NULL")
        home.sql("ALTER TABLE mintseed_site ADD COLUMN colour varchar(9) NOT NULL; DROP TABLE mintseed_change")
        home.sql("ALTER TABLE mintseed_description DROP INDEX `key`")
        # The column that came in later is a known one: it is mended. The rest is said.
        said = home.make_ready()
        assert said.returncode == 1
        for words in (
            "the table mintseed_change is missing",
            "mintseed_write.void_why is varchar(20), not varchar(200)",
            "mintseed_site has a column colour that this version does not know and that may not be empty",
            "mintseed_description lacks the key that holds key together only once",
        ):
            assert words in said.stdout
        assert "clears_end" not in said.stdout
