"""A bench's own worker: reports its drives, watches powered boards, looks at the network. No other process does."""
