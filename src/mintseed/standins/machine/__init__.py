"""A board that is a virtual machine: it starts the very bytes of a card, in a radio cell and a network of its own."""
