"""A recipe: a text that describes an appliance. It carries no code."""

from __future__ import annotations

import string
from datetime import date
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from mintseed.core.described import Described
from mintseed.core.patterns import check_pattern

Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Identifier = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9.-]*$")]
RelativePath = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-][A-Za-z0-9._-]*(/[A-Za-z0-9_-][A-Za-z0-9._-]*)*$")]


class Build(Described):
    """One downloadable file of a release."""

    id: Identifier
    bits: Literal[32, 64]
    file: str
    sha256: Sha256 | None = None
    checksums: str | None = Field(default=None, description="name of a published list of checksums beside the file")


class Release(Described):
    version: str
    date: date
    builds: tuple[Build, ...] = Field(min_length=1)


class CardNeed(Described):
    """Card sizes in GB as printed on the card (10⁹ bytes)."""

    least_gb: int = Field(gt=0)
    advised_gb: int = Field(gt=0)


PLACEHOLDERS = ("host_name", "time_zone", "keyboard", "country", "admin_name", "admin_hash")
"""Values every template may use, beside the recipe's own questions."""


class Ask(Described):
    """A question of the recipe's own, such as a call sign. Its answer can be used in templates as {id}."""

    id: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]
    title: str
    hint: str = ""
    pattern: str = Field(default="", description="regular expression the whole answer must match; empty takes any line")
    default: str = ""
    secret: bool = False

    @field_validator("pattern")
    @classmethod
    def _pattern_compiles(cls, pattern: str) -> str:
        return check_pattern(pattern)


def placeholders_in(template: str) -> tuple[str, ...]:
    """Return the names in `template`. Raises ValueError for anything but plain {name}: no attributes, no formats."""
    names = []
    for _, name, form, conversion in string.Formatter().parse(template):
        if name is None:
            continue
        if not name.isidentifier() or form or conversion:
            raise ValueError(f"{{{name}}} is not a plain name")
        names.append(name)
    return tuple(names)


class FileToFill(Described):
    """A settings file on the boot volume and what goes into it."""

    path: RelativePath
    dialect: Literal["wpa-supplicant", "keyfile", "key-value"]
    title: str
    when: Literal["always", "wifi"] = "always"
    quoting: Literal["none", "shell"] = "none"
    values: dict[str, str] = Field(
        default_factory=dict,
        description="key → template with {host_name} {time_zone} {keyboard} {country} {admin_name} {admin_hash} and what it asks",
    )


class BootTimes(Described):
    """How long this appliance takes until it is on the network, in seconds from power-on (common practice)."""

    usual_from_s: int = Field(ge=1)
    usual_to_s: int = Field(ge=1)
    late_after_s: int = Field(ge=1)
    hopeless_after_s: int = Field(ge=1)
    page_after_s: int = Field(default=0, ge=0, description="further seconds until the page is ready")
    tiny_board_factor: float = Field(default=1.0, ge=1.0, description="times longer on a board with one slow core")


class Page(Described):
    """Where the appliance's page is and how it is told from other pages."""

    scheme: Literal["http", "https"] = "http"
    port: int = Field(ge=1, le=65535)
    path: str = "/"
    signature: str = Field(min_length=3, description="text that stands in the page and in no other device's")


class DefaultLogin(Described):
    """The login an image comes with: public knowledge. Used to check that it no longer opens the page."""

    path: str
    user_field: str
    password_field: str
    user: str
    password: str
    refused_status: int = Field(default=401, description="HTTP status of a refused login")


class SetupStep(Described):
    """One of the first steps after the page is open."""

    id: Identifier
    title: str
    do: str
    see: str
    check: Literal["by-eye", "page-answers", "default-login-refused"] = "by-eye"


class Recipe(Described):
    """An appliance: its releases, the files to fill, how it boots, where its page is, what to check."""

    recipe: Literal[1]
    id: Identifier
    name: str
    kind: str
    summary: str
    releases: tuple[Release, ...] = Field(min_length=1)
    card: CardNeed
    ways: tuple[Literal["wifi", "cable"], ...] = Field(min_length=1)
    host_name: str = Field(description="the name every card of this image starts with")
    files: tuple[FileToFill, ...]
    boot: BootTimes
    page: Page
    default_login: DefaultLogin | None = None
    asks: tuple[Ask, ...] = ()
    setup: tuple[SetupStep, ...] = ()
    cautions: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _placeholders_are_known(self) -> Recipe:
        known = {*PLACEHOLDERS, *(ask.id for ask in self.asks)}
        if twice := {ask.id for ask in self.asks} & set(PLACEHOLDERS):
            raise ValueError(f"asks: {', '.join(sorted(twice))} is a value every recipe has")
        for file in self.files:
            for key, template in file.values.items():
                if strange := [n for n in placeholders_in(template) if n not in known]:
                    raise ValueError(
                        f"files.{file.path}.{key}: nothing is called {{{strange[0]}}}; there are {', '.join(sorted(known))}"
                    )
        return self

    def release(self, version: str) -> Release | None:
        """Return the release called `version`, or None."""
        return next((r for r in self.releases if r.version == version), None)

    def build_of_file(self, file_name: str) -> tuple[Release, Build] | None:
        """Return the release and build whose download is called `file_name`, or None."""
        return next(((r, b) for r in self.releases for b in r.builds if b.file == file_name), None)

    @property
    def takes_admin(self) -> bool:
        """Whether any of its files takes an admin account before first boot."""
        return any("{admin_" in template for file in self.files for template in file.values.values())
