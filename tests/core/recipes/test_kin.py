"""Another image of a system that has a recipe is told by what is in it, and becomes a release of it."""

from __future__ import annotations

from dataclasses import replace

from mintseed.core.described import Around, read_described
from mintseed.core.recipes.draft import draft_of, recipe_text
from mintseed.core.recipes.kin import kin_of, with_release
from mintseed.core.recipes.model import Recipe
from tests.core.recipes.test_draft import POST, file

TEXT = recipe_text(draft_of(POST))
NEWER = replace(
    POST, file_name="weather-post-1.5-arm64.img.xz",
    files=(file("wifi.conf", POST.files[0].content), file("name.txt", b"post\n"), *POST.files[2:]),
)  # fmt: skip


def read(text: str) -> Recipe:
    return read_described(Recipe, text, where="own", around=Around(boards={}, parts={}))


def test_a_newer_one_is_told_by_what_is_in_it() -> None:
    renamed = replace(NEWER, file_name="download-1.5.img")
    kin = kin_of(renamed, draft_of(renamed), [read(TEXT)])[0]
    assert (kin.recipe_id, kin.version) == ("weather-post", "1.5")
    assert any("wifi.conf lies on it" in why for why in kin.why)
    assert not any("called alike" in why for why in kin.why), "its name says nothing"
    assert any("hostname.txt is no longer read" in change for change in kin.changes)


def test_what_only_has_a_name_in_common_is_none() -> None:
    other = replace(
        POST,
        file_name="weather-post-2.0.img",
        files=(),
        boards=(),
        page=replace(POST.page, host_name="x", listen_port=None),
    )
    assert kin_of(other, draft_of(other), [read(TEXT)]) == ()


def test_the_very_file_of_a_recipe_is_no_other_release() -> None:
    assert kin_of(POST, draft_of(POST), [read(TEXT)]) == ()


def test_the_recipe_gets_a_release_and_each_reads_its_own_files() -> None:
    recipe = read(with_release(TEXT, read(TEXT), NEWER, draft_of(NEWER)))
    assert [r.version for r in recipe.releases] == ["1.5", "1.4"]
    assert recipe.build_of_file(NEWER.file_name) is not None
    assert recipe.build_of_file(POST.file_name) is not None

    def reads(version: str) -> set[str]:
        return {f.place for f in recipe.files if recipe.reads(f, version)}

    assert reads("1.5") == {"wifi.conf", "name.txt", "node.env"}
    assert reads("1.4") == {"wifi.conf", "hostname.txt", "node.env"}


def test_an_older_one_and_another_build_change_nothing_else() -> None:
    older = replace(POST, file_name="weather-post-1.3-arm64.img.xz")
    first = read(with_release(TEXT, read(TEXT), older, draft_of(older)))
    assert [r.version for r in first.releases] == ["1.4", "1.3"]
    again = replace(POST, file_name="weather-post-1.4-other.img.xz")
    second = read(with_release(TEXT, read(TEXT), again, draft_of(again)))
    assert [len(r.builds) for r in second.releases] == [2]
    assert len({b.id for b in second.releases[0].builds}) == 2
    assert first.files == second.files == read(TEXT).files
