"""What a template of a settings file may say, and which names it uses."""

from __future__ import annotations

import re
import string

CHOICES_OF_FACTS = ("wifi_hidden", "wpa3_only", "by_cable", "wifi_open", "address_fixed")
"""what is so or not: a template says what stands there for each, as in {wifi_hidden:yes|no}"""

PLACEHOLDERS = (
    "host_name", "time_zone", "keyboard", "country", "admin_name", "admin_hash", "wifi_name", "wifi_passphrase", "wifi_key",
)  # fmt: skip
"""Values every template may use, beside the recipe's own questions; no question may be called like one."""

ADDRESS_WORDS = ("address", "address_prefix", "netmask", "gateway", "name_servers")
"""of a fixed address; each is nothing where the device takes one by itself"""

LATER_PLACEHOLDERS = ("locale", "wifi_band_ghz", *ADDRESS_WORDS, *CHOICES_OF_FACTS)
"""Those that came later: a question of an older recipe that is called like one stays that question."""


def chooses(template: str) -> bool:
    """Whether a template is one choice between two words, and nothing else."""
    return any(re.fullmatch(rf"\{{{name}:[^|{{}}]*\|[^|{{}}]*\}}", template) for name in CHOICES_OF_FACTS)


def placeholders_in(template: str) -> tuple[str, ...]:
    """Return the names in `template`. Raises ValueError for anything but plain {name}, and {name:this|that} for what is so or not: no
    attributes, no formats."""
    names = []
    for _, name, form, conversion in string.Formatter().parse(template):
        if name is None:
            continue
        chosen = name in CHOICES_OF_FACTS and form is not None and re.fullmatch(r"[^|]*\|[^|]*", form)
        if not name.isidentifier() or (form and not chosen) or conversion:
            raise ValueError(f"{{{name}}} is not a plain name")
        names.append(name)
    return tuple(names)
