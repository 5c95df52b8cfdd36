"""The `mintseed` command, one file a command, on the same services as the web."""
