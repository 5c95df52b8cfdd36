"""The simulated outside: readers, boards and a router that behave as the bytes they are given say.

They read those bytes with parsers of their own, never with the product's. They serve only loopback addresses.
"""

NOT_SIMULATED = (
    "brown-outs, heat, a board that is hot or put together wrongly",
    "wear of cards, and readers that answer from a memory of their own",
    "what a system does to its card while it runs: volumes that grow, files that are moved",
    "routers with several networks, leases that run out, two devices with one address",
    "what a board installs by itself over the network",
    "sessions and TLS of the appliances' pages, and what they would really do",
)
"""What the stand-in bench leaves out; the bench says so on screen."""

NOT_ON_A_MACHINE = (
    "the boards themselves: their first boot code, device trees, heat, supplies; a machine is a PC",
    "distance, walls and other radios: every board hears its one access point well",
    "cards that wear or lie: a card is a file",
    "time: in software a boot takes several times as long as on a board",
    "any way out of its network: nothing is installed or updated from elsewhere",
)
"""What a machine bench leaves out; the bench says so on screen."""
