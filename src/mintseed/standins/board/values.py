"""How the simulated system reads its KEY=value files, written from sh(1), apart from the product's writers."""

from __future__ import annotations

import shlex


def read_values(data: bytes, *, shell: bool) -> dict[str, str]:
    """Read KEY=value lines; with `shell`, values are words as sh(1) reads them. A line it cannot read is passed over."""
    values = {}
    for line in data.decode("utf-8", "replace").split("\n"):
        name, equals, value = line.partition("=")
        if not equals or line.lstrip().startswith("#"):
            continue
        if shell:
            try:
                words = shlex.split(value, comments=True)
            except ValueError:
                continue
            value = words[0] if words else ""
        values[name.strip()] = value if shell else value.strip()
    return values
