"""What keys a file with levels has, each as outside/inside with its value."""

from __future__ import annotations

from collections.abc import Mapping

from mintseed.core.errors import SettingsFileError
from mintseed.core.limits import MAX_SETTINGS_FILE_BYTES
from mintseed.core.settings import json_text, yaml_text
from mintseed.core.settings.sections import read_lines


def pairs_of(dialect: str, content: bytes) -> Mapping[str, str]:
    """Return place → value of everything that is one value; nothing of what cannot be read."""
    if len(content) > MAX_SETTINGS_FILE_BYTES:
        return {}
    text = content.decode("utf-8", "replace").removeprefix("\ufeff").replace("\r\n", "\n")
    if dialect == "ini":
        return {f"{line.section}/{line.key}".lstrip("/"): line.value.rstrip() for line in read_lines(text) if line.key}
    if dialect == "json":
        try:
            return dict(json_text.pairs(json_text.read(text)))
        except SettingsFileError:
            return {}
    root = yaml_text.read(text)
    return {} if isinstance(root, yaml_text.YamlFault) else dict(yaml_text.pairs(root))
