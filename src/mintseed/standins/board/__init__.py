"""A simulated board. It reads the card it is given: table, device trees, settings files, root volume."""
