"""Who comes in, and how: the address, links, accounts and roles, bounds of a request, threads that answer it, streams."""
