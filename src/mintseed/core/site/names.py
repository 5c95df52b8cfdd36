"""How the devices of a place are called: its scheme makes a host name for each new one."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator, Mapping

from mintseed.core.errors import InputError
from mintseed.core.findings import Finding, Severity, Where

SCHEME_MOST = 60
"""letters of a scheme"""

WORDS = ("place", "appliance", "name", "board", "n", "nn")
"""what a scheme may say: of {n} the first number that is not taken, of {nn} the same with two digits"""

EXAMPLE = "{place}-{name}-{n}"
_WORD = re.compile(r"\{([^{}]*)\}")
_NUMBER = re.compile(r"\{nn?\}")
_ANY_NUMBER = "qnumberq"
"""stands for a number while a name is compared; letters that no word is likely to hold"""
_MOST = 63
"""octets of one label, RFC 1035 §2.3.4"""


def check_scheme(scheme: str) -> str:
    """Return `scheme` as it is kept; empty for none. Raises InputError for a word it does not know, and letters no host name has."""
    kept = scheme.strip().lower()
    if not kept:
        return ""
    strange = [w for w in _WORD.findall(kept) if w not in WORDS]
    said = "one of " + ", ".join(f"{{{w}}}" for w in WORDS)
    if strange or len(kept) > SCHEME_MOST:
        raise InputError(f"{{{strange[0]}}} is nothing a name can be made of" if strange else f"{len(kept)} letters are too many",
                         expected=said if strange else f"at most {SCHEME_MOST}", where="name_scheme")  # fmt: skip
    bare = _WORD.sub("", kept)
    if not re.fullmatch(r"[a-z0-9-]*", bare):
        raise InputError(f"no host name has {next(c for c in bare if not re.match('[a-z0-9-]', c))!r} in it", expected="letters, digits, hyphens and the words in braces",
                         where="name_scheme", next_step=f"As in {EXAMPLE}.")  # fmt: skip
    return kept


def scheme_finding(scheme: str) -> Iterator[Finding]:
    """Yield that a scheme gives all devices one name."""
    if scheme and not {"name", "n", "nn"} & set(_WORD.findall(scheme)):
        yield Finding("site.scheme-one-name", Severity.NOTE, "The name scheme makes few different names", "Where it makes one that is taken, a number is put behind it.",
                      f"Add {{n}}, as in {EXAMPLE}.", Where(field="name_scheme"))  # fmt: skip


def name_by_scheme(scheme: str, *, place: str, appliance: str, name: str, board: str, taken: frozenset[str]) -> str:
    """Return the host name that `scheme` makes, with the lowest number that nobody in `taken` (small letters) has; empty where it makes none.

    `appliance`: the recipe's id; `name`: what the device is called here; `board`: the id of its board, empty where none is chosen.
    """
    words = {"place": place, "appliance": appliance, "name": name, "board": board}
    numbered = "{n}" in scheme or "{nn}" in scheme
    for number in range(1, len(taken) + 2):
        found = host_name_of(_filled(scheme, {**words, "n": str(number), "nn": f"{number:02}"}))
        if found and found not in taken:
            return found
        if not numbered:
            return found
    return ""


def stem_of(scheme: str, **words: str) -> str:
    """Return what all names begin with that `scheme` makes of these words, before their number."""
    return host_name_of(_filled(_NUMBER.split(scheme)[0], words))


def called_by_scheme(scheme: str, host_name: str, **words: str) -> bool:
    """Whether `host_name` is one that `scheme` makes of these words, with any number."""
    made = host_name_of(_filled(_NUMBER.sub(_ANY_NUMBER, scheme), words))
    return re.fullmatch(re.escape(made).replace(_ANY_NUMBER, "[0-9]+"), host_name.lower()) is not None


def _filled(scheme: str, words: Mapping[str, str]) -> str:
    return _WORD.sub(lambda m: words.get(m[1], ""), scheme)


def host_name_of(text: str) -> str:
    """Return the nearest host name to `text`: small letters without accents, digits, and a hyphen for everything else. Source: RFC 1123 §2.1."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:_MOST].rstrip("-")
