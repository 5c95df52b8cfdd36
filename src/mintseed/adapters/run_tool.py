"""Run an outside program within limits of time, memory and output, and translate its failures.

The programs read images from strangers, so none may run on, grow or print without end: it is killed when its time is up
or when it printed as much as was asked for, and it ends when this process does.
"""

from __future__ import annotations

import os
import selectors
import shutil
import subprocess
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mintseed.core.errors import ToolError
from mintseed.core.limits import MAX_TOOL_MEMORY_BYTES, MAX_TOOL_OUTPUT_BYTES

TIMEOUT_S = 20.0

_PATH = ":/usr/sbin:/sbin"
_SAID_BYTES = 4096
"""bytes of a program's complaints that are kept: the last ones."""

_LIMITED = ("setpriv", "--pdeathsig", "KILL", "prlimit", f"--as={MAX_TOOL_MEMORY_BYTES}")
"""util-linux, which is on every Debian: the tool ends with its caller and gets only so much memory."""


@dataclass(frozen=True, slots=True)
class ToolAnswer:
    """What a program printed and complained of; `cut` when it was ended because it printed more than was asked for."""

    printed: bytes
    said: str
    cut: bool


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
    return ask_tool(arguments, package=package, accept=accept, environment=environment).printed


def ask_tool(
    arguments: Sequence[str],
    *,
    package: str,
    accept: Sequence[int] = (0,),
    environment: Mapping[str, str] | None = None,
    given: bytes = b"",
    limit_bytes: int = MAX_TOOL_OUTPUT_BYTES,
    timeout_s: float = TIMEOUT_S,
) -> ToolAnswer:
    """As `run_tool`, for one that is `given` input, or of whose output only `limit_bytes` are wanted: then it is ended."""
    name, path = arguments[0], os.environ.get("PATH", "") + _PATH
    if shutil.which(name, path=path) is None:
        raise ToolError(f"{name} is not installed", next_step=f"Install the Debian package {package}.")
    # Input goes by anonymous memory: it may hold a network's key, and nothing of it is left when this process dies.
    with os.fdopen(os.memfd_create("given"), "w+b") as standard_input:
        standard_input.write(given)
        standard_input.seek(0)
        process = subprocess.Popen(
            [*_LIMITED, *arguments], stdin=standard_input, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
            env={"PATH": path, "LC_ALL": "C.UTF-8", "MTOOLS_SKIP_CHECK": "1", **(environment or {})},
        )  # fmt: skip
    with process:
        try:
            answer = _listen(process, limit_bytes, time.monotonic() + timeout_s)
        except TimeoutError:
            raise ToolError(f"{name} gave no answer within {timeout_s:.0f} s") from None
        finally:
            process.kill()  # it has ended already, unless it was cut or too slow
            process.wait()
    if not answer.cut and process.returncode not in accept:
        last = answer.said.strip().splitlines()
        raise ToolError(f"{name} failed ({process.returncode}): {last[-1] if last else 'it said nothing'}")
    return answer


def _listen(process: subprocess.Popen[bytes], limit_bytes: int, until: float) -> ToolAnswer:
    """Collect what `process` prints, until it ends, printed enough, or its time is up (TimeoutError)."""
    printed, said = bytearray(), bytearray()
    with selectors.DefaultSelector() as selector:
        for stream, kept in ((process.stdout, printed), (process.stderr, said)):
            if stream is not None:
                selector.register(stream, selectors.EVENT_READ, kept)
        while selector.get_map():
            ready = selector.select(max(0.0, until - time.monotonic()))
            if not ready:
                raise TimeoutError
            for key, _ in ready:
                data = os.read(key.fd, 65536)
                if not data:
                    selector.unregister(key.fileobj)
                key.data.extend(data)
            del said[:-_SAID_BYTES]
            if len(printed) > limit_bytes:
                return ToolAnswer(bytes(printed[:limit_bytes]), said.decode("utf-8", "replace"), True)
    try:
        process.wait(max(0.1, until - time.monotonic()))
    except subprocess.TimeoutExpired:
        raise TimeoutError from None
    return ToolAnswer(bytes(printed), said.decode("utf-8", "replace"), False)
