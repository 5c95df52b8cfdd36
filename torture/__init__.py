"""Does anything a file, a kill, a neighbour or a stranger does make it lie, hang, leak or refuse to start? `make torture`."""
