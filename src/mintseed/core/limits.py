"""Caps on everything that comes from outside, each with its unit and reason."""

from __future__ import annotations

MAX_SETTINGS_FILE_BYTES = 256 * 1024
"""bytes. Configuration files on boot volumes are a few kilobytes; more is not a settings file."""

MAX_SETTINGS_LINES = 4000
"""lines. The longest commented examples have some hundreds; judging and comparing take time with every line."""

MAX_FINDINGS_A_FILE = 40
"""count shown of one file, worst first; nobody mends a file by its hundredth complaint."""

MAX_OTHER_FILES = 100
"""count of small text files of a boot volume that are kept beside those the recipe names."""

MAX_OTHER_FILES_BYTES = 2 * 1024 * 1024
"""bytes of those files in all; they are stored with the X-ray."""

MAX_KERNELS = 12
"""count of kernels on a boot volume that are looked at; images carry one to four."""

MAX_SERVICE_FILES = 50
"""count of announced services that are read from an image."""

MAX_TREE_READS = 1500
"""count of small files of a root volume that are read; a general system has two to three hundred that say something."""

MAX_LOOKING_S = 60.0
"""seconds in which an image's volumes are looked at; a general image takes under five."""

MAX_TOOL_MEMORY_BYTES = 1024 * 1024 * 1024
"""bytes of address space an outside program gets."""

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

KEEP_FREE_BYTES = 256 * 1024 * 1024
"""bytes that stay free on the disk: an image that unpacks without end must not stop the database."""

MAX_IMAGE_BYTES = 256 * 10**9
"""bytes. Larger than any card these boards start from."""

MAX_LISTING_BYTES = 1024 * 1024
"""bytes of a list of files; 5000 long names fit."""

MAX_TOOL_OUTPUT_BYTES = 8 * 1024 * 1024
"""bytes. Output of lsblk, debugfs, mtools."""

MAX_TEXT_BYTES = 4 * 1024 * 1024
"""bytes of a list, a site or a recipe given on the command line."""

MAX_PAGE_BYTES = 64 * 1024
"""bytes read of a web page while looking for its signature."""

MAX_SHOWN_CHARACTERS = 120
"""characters of a name out of an image or off the network that are kept."""

MAX_LIST_LINES = 20_000
"""lines of a lease file or a neighbour table."""

MAX_SCANNED_ADDRESSES = 1024
"""count. A home network has 254 addresses; larger ranges are scanned in part."""

MAX_PATTERN_CHARACTERS = 120
"""characters of a recipe's own pattern; call signs and stations need few."""

MAX_ANSWER_CHARACTERS = 128
"""characters of an answer to a recipe's own question; bounds what a pattern is tried on."""

MAX_DESCRIPTION_BYTES = 256 * 1024
"""bytes of a recipe, board, part or site. The longest shipped recipe has four kilobytes."""

MAX_DESCRIPTION_DEPTH = 12
"""steps of nesting in a description; the deepest field of a recipe is at six."""

MAX_DESCRIPTION_NODES = 20_000
"""values in a description; the longest shipped recipe has some two hundred."""

MAX_PROBLEMS = 50
"""count told of one description; nobody mends a text by its hundredth complaint."""

MAX_FIRMWARE_BYTES = 32 * 1024 * 1024
"""bytes of a module's firmware; small modules hold a quarter of a megabyte to sixteen."""

MAX_SKELETON_BYTES = 64 * 1024 * 1024
"""what is kept of a root volume, packed; one of 12,000 files takes a third of a MiB."""

MAX_INODE_TABLES_BYTES = 2 * 1024 * 1024 * 1024
"""what a root volume's tables of files may take; one of 32 GB has half of that."""

MAX_ARCHIVE_FILES = 10_000
"""files in an archive with an image in it."""

MAX_ARCHIVE_HEADER_BYTES = 4 * 1024 * 1024
"""bytes of an archive's list of files, and of one header; ten thousand long names fit."""

MAX_INSIDE_PATH_BYTES = 500
"""bytes of the name of a file in an archive; with its archive's name, of 255 bytes, it is an image's name."""

MAX_UNPACKED_RATIO = 100_000
"""times a file may grow when it is unpacked, once it is over MIN_BOMB_BYTES: zeros come to some thousands."""

MIN_BOMB_BYTES = 4 * 1024 * 1024 * 1024
"""bytes. Less than that is no harm however it was packed."""

MAX_PACKED_LAYERS = 3
"""packings one around the other, each of which was met: an archive in xz with images in gzip."""

MAX_BESIDE_FILES = 8
"""small texts kept of what lies beside an image in its archive."""

MAX_BESIDE_BYTES = 32 * 1024
"""bytes of one of them."""
