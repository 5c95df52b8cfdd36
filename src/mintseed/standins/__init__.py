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
