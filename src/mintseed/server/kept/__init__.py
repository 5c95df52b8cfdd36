"""What the home keeps: the tables and how their columns are stored, secrets, the order of locks, what was said to have changed, and
what is due to be judged again. Knows nothing of what any of it is for."""
