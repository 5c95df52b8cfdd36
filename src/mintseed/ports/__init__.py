"""The outside as the program wants to see it: one Protocol a file. Adapters are the real thing, stand-ins the simulated one."""
