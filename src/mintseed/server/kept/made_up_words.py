"""The demo's made-up secrets. Nothing real is opened by them, so a home that holds no others may stand open on loopback."""

NETWORK_WORD = "spring tide at noon"
MISTYPED_WORD = "spring tide at noun"
"""what somebody typed for the device that is late"""

KEEPER, HOUSE_WORD = "keeper", "lantern over the slip"
"""an account and a word of the demo's devices"""

WORDS = frozenset({"", NETWORK_WORD, MISTYPED_WORD, HOUSE_WORD})
