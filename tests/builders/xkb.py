"""Where each printable character sits on a keyboard layout, as libxkbcommon lays it out: the judge of core/site/key_places.txt, and what wrote it.

python -m tests.builders.xkb > src/mintseed/core/site/key_places.txt
"""

from __future__ import annotations

import re
import subprocess

from mintseed.core.site.key_places import ABSENT, KEYS, LEVELS, PRINTABLE
from mintseed.core.site.keyboards import KEYBOARDS

# Names of keysyms that are not the character itself. Source: X11/keysymdef.h.
SIGNS = {
    "space": " ", "exclam": "!", "quotedbl": '"', "numbersign": "#", "dollar": "$", "percent": "%", "ampersand": "&", "apostrophe": "'",
    "parenleft": "(", "parenright": ")", "asterisk": "*", "plus": "+", "comma": ",", "minus": "-", "period": ".", "slash": "/", "colon": ":",
    "semicolon": ";", "less": "<", "equal": "=", "greater": ">", "question": "?", "at": "@", "bracketleft": "[", "backslash": "\\",
    "bracketright": "]", "asciicircum": "^", "underscore": "_", "grave": "`", "braceleft": "{", "bar": "|", "braceright": "}", "asciitilde": "~",
}  # fmt: skip


def places(layout: str) -> str:
    """Return two letters for each printable character: its key and level, the easiest where there are several; ABSENT where there is none."""
    text = subprocess.run(
        ["xkbcli", "compile-keymap", "--layout", layout], capture_output=True, text=True, check=True
    ).stdout
    found: dict[str, str] = {}
    symbols = text[text.index("xkb_symbols") :]
    for name, body in re.findall(r"key <(\w+)>\s*\{(.*?)\}\s*;", symbols, re.DOTALL):
        row = re.search(r"(?:symbols\[\w+\]=\s*)?\[([^\]]*)\]", re.sub(r"type\[?\w*\]?=\s*\"[^\"]*\",?", "", body))
        if name not in KEYS or row is None:
            continue
        for level, word in enumerate(w.strip() for w in row[1].split(",")):
            sign = SIGNS.get(word, word)
            place = KEYS[name] + LEVELS[level] if level < len(LEVELS) else ""
            if len(sign) == 1 and place and (sign not in found or _harder(found[sign]) > _harder(place)):
                found[sign] = place
    return "".join(found.get(sign, ABSENT) for sign in PRINTABLE)


def _harder(place: str) -> tuple[bool, str]:
    # Keyboards of some countries lack the key beside the left shift key.
    return place[0] == KEYS["LSGT"], place[1]


def table() -> str:
    """Return the whole table, a line a layout."""
    return "".join(f"{layout} {places(layout)}\n" for layout in sorted(KEYBOARDS))


if __name__ == "__main__":
    print(table(), end="")
