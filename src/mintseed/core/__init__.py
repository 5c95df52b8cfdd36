"""The rules and the computation. Knows bytes, values and `now`; no sockets, clocks, paths, processes or Django."""
