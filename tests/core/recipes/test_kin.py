"""Another image of a system that has a recipe is told by what is in it, and becomes a release of it."""

from __future__ import annotations

from dataclasses import replace

from mintseed.core.described import Around, read_described
from mintseed.core.image.report import XRay
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


def reasons(image: XRay, recipe: Recipe) -> set[str]:
    """Return what speaks for the kinship of an image that the recipe's own build is not named after; without its name and with too few, none."""
    return {why for kin in kin_of(image, draft_of(image), [recipe]) for why in kin.why}


def test_a_page_on_a_port_that_every_page_is_on_says_nothing() -> None:
    recipe = read(TEXT)
    said = "its page is on port"
    for port in (80, 443):
        usual = recipe.model_copy(update={"page": recipe.page.model_copy(update={"port": port})})
        on_it = replace(NEWER, page=replace(NEWER.page, listen_port=port))
        assert not [why for why in reasons(on_it, usual) if why.startswith(said)]
    own = recipe.model_copy(update={"page": recipe.page.model_copy(update={"port": 8765, "assumed": False})})
    for port, tells in ((8765, True), (8766, False), (None, False)):
        on_it = replace(NEWER, page=replace(NEWER.page, listen_port=port, announced_port=None))
        assert (f"{said} 8765" in reasons(on_it, own)) is tells, port
    assumed = own.model_copy(update={"page": own.page.model_copy(update={"assumed": True})})
    on_it = replace(NEWER, page=replace(NEWER.page, listen_port=8765))
    assert f"{said} 8765" not in reasons(on_it, assumed)


def test_a_file_is_called_alike_up_to_its_first_number() -> None:
    called = "its file is called alike"
    for name, alike in (
        ("Weather-Post 2.0 arm64.img", True),
        ("weather-post-3.img.xz", True),
        ("weather-station-1.4-arm64.img.xz", False),
    ):
        assert (called in reasons(replace(NEWER, file_name=name), read(TEXT))) is alike, name
    inside = replace(NEWER, file_name="download.zip", inside="weather-post-2.0.img")
    assert called in reasons(inside, read(TEXT))


def test_the_likeliest_comes_first_and_is_called_as_it_is() -> None:
    """An appliance that shares less with the image comes after, in whatever order they were asked about."""
    more = read(TEXT)
    less = more.model_copy(update={"id": "other", "name": "Other post", "host_name": "x"})
    for asked in ([more, less], [less, more]):
        found = kin_of(NEWER, draft_of(NEWER), asked)
        assert [(kin.recipe_id, kin.name) for kin in found] == [(more.id, more.name), ("other", "Other post")]
        assert len(found[0].why) > len(found[1].why)
    # An older release brings no files that a newer one reads, and takes none away.
    older = replace(NEWER, file_name="weather-post-1.3-arm64.img.xz")
    (kin,) = kin_of(older, draft_of(older), [more])
    assert kin.changes == ("release 1.3 is added",)
