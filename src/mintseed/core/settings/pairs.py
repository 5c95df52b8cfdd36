"""What keys a text with levels has, each as outside/inside with its value."""

from __future__ import annotations

from collections.abc import Mapping

from mintseed.core.errors import SettingsFileError
from mintseed.core.settings import ini_text, json_text, yaml_text


def pairs_of(dialect: str, text: str) -> Mapping[str, str]:
    """Return place → value of everything that is one value, the last of each place; nothing of what cannot be read. `dialect`: ini, json or yaml."""
    if dialect == "ini":
        return {
            f"{line.section}/{line.name}".lstrip("/"): line.value for line in ini_text.read(text) if line.kind == "key"
        }
    if dialect == "json":
        try:
            return dict(json_text.pairs(json_text.read(text)))
        except SettingsFileError:
            return {}
    root = yaml_text.read(text)
    return {} if isinstance(root, yaml_text.YamlFault) else dict(yaml_text.pairs(root))
