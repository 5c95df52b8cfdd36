"""The `mintseed` command."""

from __future__ import annotations

import argparse
import sys
import traceback
from collections.abc import Sequence
from typing import NoReturn

from mintseed.cli import check_file, fill, find, fit, prove, schema, write, xray
from mintseed.cli.output import tell_error
from mintseed.core.errors import InputError, MintSeedError, exit_status
from mintseed.core.visible import one_line, visible

USAGE_STATUS = 64
AGAIN = "The lines above say where it happened."

COMMANDS = (xray, check_file, fit, fill, write, prove, find, schema)


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
    for command in COMMANDS:
        command.add(commands)
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
