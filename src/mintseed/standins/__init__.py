"""The simulated outside: readers, boards and a router that behave as the bytes they are given say.

They read those bytes with parsers of their own, never with the product's. They serve only loopback addresses.
"""
