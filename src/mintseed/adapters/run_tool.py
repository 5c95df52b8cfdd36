"""Run an outside program and translate its failures."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping, Sequence

from mintseed.core.errors import ToolError
from mintseed.core.limits import MAX_TOOL_OUTPUT_BYTES

TIMEOUT_S = 60.0


def run_tool(
    arguments: Sequence[str],
    *,
    package: str,
    accept: Sequence[int] = (0,),
    environment: Mapping[str, str] | None = None,
) -> bytes:
    """Run `arguments` and return what it printed. `package` is the Debian package that holds it.

    Raises ToolError when it is not installed, takes too long, or exits with a status not in `accept`.
    """
    name = arguments[0]
    path = os.environ.get("PATH", "") + ":/usr/sbin:/sbin"
    try:
        done = subprocess.run(
            arguments, capture_output=True, timeout=TIMEOUT_S, check=False, stdin=subprocess.DEVNULL,
            env={"PATH": path, "LC_ALL": "C.UTF-8", "MTOOLS_SKIP_CHECK": "1", **(environment or {})},
        )  # fmt: skip
    except FileNotFoundError as error:
        raise ToolError(f"{name} is not installed", next_step=f"Install the Debian package {package}.") from error
    except subprocess.TimeoutExpired as error:
        raise ToolError(f"{name} gave no answer within {TIMEOUT_S:.0f} s") from error
    if done.returncode not in accept:
        said = done.stderr.decode("utf-8", "replace").strip().splitlines()
        raise ToolError(f"{name} failed ({done.returncode}): {said[-1] if said else 'it said nothing'}")
    return done.stdout[:MAX_TOOL_OUTPUT_BYTES]
