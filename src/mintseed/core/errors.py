"""The one error tree.

    MintSeedError                    text built from expected / found / where / next step
    ├── InputError                   something given to us cannot be read
    │   ├── ImageError               not an image, cut short, damaged
    │   ├── PartitionTableError      the partition table makes no sense
    │   ├── DeviceTreeError          a flattened device tree makes no sense
    │   ├── SettingsFileError        a settings file cannot be edited safely
    │   └── DescriptionError         a recipe, board or site text is wrong
    ├── RefusedError                 a safety rule stands against it
    │   ├── InUseError               somebody uses it: to be asked first
    │   └── ChangedError             somebody else changed it meanwhile
    ├── MissingError                 the thing asked for is not there
    ├── OutsideError                 a tool, drive or network let us down
    │   ├── ToolError                an outside program failed or is not installed
    │   └── DriveError               a drive went away, is full, or gave back other bytes
    └── StoppedError                 the person stopped it

Programming mistakes are ordinary Python exceptions and are not caught as these.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from mintseed.core.visible import one_line


class MintSeedError(Exception):
    """Base of all errors that are meant for a person to read."""

    code: ClassVar[str] = "error"

    def __init__(self, found: str, *, expected: str = "", where: str = "", next_step: str = "") -> None:
        self.found = one_line(found)
        self.expected = one_line(expected)
        self.where = one_line(where)
        self.next_step = one_line(next_step)
        super().__init__(self.sentence())

    def sentence(self) -> str:
        """Return the whole error as plain sentences."""
        place = f"{self.where}: " if self.where else ""
        wanted = f" Expected {self.expected}." if self.expected else ""
        after = f" {self.next_step}" if self.next_step else ""
        return f"{place}{self.found.rstrip('.')}.{wanted}{after}"


class InputError(MintSeedError):
    code = "input"


class ImageError(InputError):
    code = "input.image"


class PartitionTableError(InputError):
    code = "input.partition-table"


class DeviceTreeError(InputError):
    code = "input.device-tree"


class SettingsFileError(InputError):
    code = "input.settings-file"


class DescriptionError(InputError):
    code = "input.description"


class RefusedError(MintSeedError):
    code = "refused"


class InUseError(RefusedError):
    code = "refused.in-use"


class ChangedError(RefusedError):
    """`theirs`: what each field is now that was something else when the change began."""

    code = "refused.changed"
    theirs: Mapping[str, object] = {}

    @classmethod
    def of(cls, theirs: Mapping[str, object]) -> ChangedError:
        """Return the error for the fields of `theirs`, of which there is at least one."""
        name, value = next(iter(theirs.items()))
        said = str(value)
        short = said if len(said) <= 80 else f"{said[:79]}…"
        told = f"{name.replace('_', ' ')} is now {short}" if said else f"{name.replace('_', ' ')} is empty now"
        made = cls(f"somebody changed it meanwhile: {told}", next_step="Take that, or save yours all the same.")
        made.where, made.theirs = name, dict(theirs)
        return made


class MissingError(MintSeedError):
    code = "missing"


class OutsideError(MintSeedError):
    code = "outside"


class ToolError(OutsideError):
    code = "outside.tool"


class OddNameError(ToolError):
    """A name out of an image that no tool can be handed."""


class DriveError(OutsideError):
    code = "outside.drive"


class StoppedError(MintSeedError):
    code = "stopped"


HTTP_STATUS: dict[str, int] = {
    "input": 422,
    "refused": 409,
    "missing": 404,
    "outside": 502,
    "stopped": 409,
    "error": 500,
}
"""First word of an error code → HTTP status."""

EXIT_STATUS: dict[str, int] = {"input": 3, "refused": 2, "missing": 3, "outside": 3, "stopped": 2, "error": 3}
"""First word of an error code → exit status of the command line."""


def http_status(error: MintSeedError) -> int:
    """Return the HTTP status for `error`."""
    return HTTP_STATUS[error.code.split(".")[0]]


def exit_status(error: MintSeedError) -> int:
    """Return the exit status for `error`."""
    return EXIT_STATUS[error.code.split(".")[0]]
