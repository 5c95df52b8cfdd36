"""Caps on everything that comes from outside, each with its unit and reason."""

from __future__ import annotations

MAX_SETTINGS_FILE_BYTES = 256 * 1024
"""bytes. Configuration files on boot volumes are a few kilobytes; more is not a settings file."""

MAX_DEVICE_TREE_BYTES = 2 * 1024 * 1024
"""bytes. Kernel device trees are 10 to 200 kB."""

MAX_DEVICE_TREES = 400
"""count. The widest general images carry about 150."""

MAX_GPT_ENTRIES = 1024
"""count. The specification's usual table has 128 entries (UEFI 2.10 §5.3.2)."""

MAX_GPT_ENTRY_BYTES = 4096
"""bytes. The specification's entry is 128 bytes; larger ones are powers of two."""

MAX_LOGICAL_PARTITIONS = 64
"""count. Bounds the chain of extended partitions, which may be cyclic in a damaged table."""

MAX_DIRECTORY_ENTRIES = 5000
"""count. A boot volume holds tens to hundreds of files."""

MAX_IMAGE_BYTES = 256 * 10**9
"""bytes. Larger than any card these boards start from."""

MAX_TOOL_OUTPUT_BYTES = 8 * 1024 * 1024
"""bytes. Output of lsblk, debugfs, mtools."""

MAX_PAGE_BYTES = 64 * 1024
"""bytes read of a web page while looking for its signature."""

MAX_LIST_LINES = 20_000
"""lines of a lease file or a neighbour table."""

MAX_SCANNED_ADDRESSES = 1024
"""count. A home network has 254 addresses; larger ranges are scanned in part."""

MAX_PATTERN_CHARACTERS = 120
"""characters of a recipe's own pattern; call signs and stations need few."""

MAX_ANSWER_CHARACTERS = 128
"""characters of an answer to a recipe's own question; bounds what a pattern is tried on."""
