"""Parts: what is plugged into a board, put on it or around it."""
