"""The `mintseed` command."""

from __future__ import annotations

import argparse
import gc
import importlib
import os
import sys
from collections.abc import Sequence
from typing import NoReturn

from mintseed.cli.output import tell_error
from mintseed.core.errors import InputError, MintSeedError, exit_status
from mintseed.core.visible import one_line, visible

# No package here is a plugin of pydantic's; looking for one reads the metadata of all of them, at each start (pydantic.dev, Plugins).
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

USAGE_STATUS = 64
AGAIN = "The lines above say where it happened."

COMMANDS = (
    "xray",
    "compare",
    "draft",
    "check-file",
    "check-card",
    "fit",
    "fill",
    "write",
    "prove",
    "backup",
    "find",
    "schema",
)
"""Each is a module beside this one."""


class _Parser(argparse.ArgumentParser):
    """An argument parser whose exit status for a wrong call is that of sysexits(3)."""

    def error(self, message: str) -> NoReturn:
        self.print_usage(sys.stderr)
        print(f"{self.prog}: {one_line(message)}", file=sys.stderr)
        raise SystemExit(USAGE_STATUS)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command and return its exit status."""
    parser = _Parser(prog="mintseed", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", parser_class=_Parser)
    said = sys.argv[1:] if arguments is None else list(arguments)
    # Only the one that is called is loaded: half a second is long for a sentence. Whatever else is said is answered by all of them.
    # Nothing that is loaded goes away again, so no garbage is looked for meanwhile.
    gc.disable()
    for command in (said[0],) if said[:1] and said[0] in COMMANDS else COMMANDS:
        importlib.import_module(f"mintseed.cli.{command.replace('-', '_')}").add(commands)
    gc.freeze()
    gc.enable()
    chosen = parser.parse_args(arguments)
    try:
        status: int = chosen.run(chosen)
    except MintSeedError as error:
        if getattr(chosen, "json", False):
            tell_error(error)
        print(f"mintseed {chosen.command}: {error.sentence()}", file=sys.stderr)
        return exit_status(error)
    except BrokenPipeError:
        return 0
    except Exception as error:
        import traceback  # only for what nobody foresaw

        # Whatever a file made of strangers' bytes brings about ends in a sentence; the trace is for who mends it.
        print(visible(traceback.format_exc()), file=sys.stderr)
        unforeseen = InputError(f"could not be read: an unforeseen {type(error).__name__} ({error})", next_step=AGAIN)
        if getattr(chosen, "json", False):
            tell_error(unforeseen)
        print(f"mintseed {chosen.command}: {unforeseen.sentence()}", file=sys.stderr)
        return exit_status(unforeseen)
    except KeyboardInterrupt:
        print(f"mintseed {chosen.command}: stopped", file=sys.stderr)
        return 2
    return status


if __name__ == "__main__":
    sys.exit(main())
