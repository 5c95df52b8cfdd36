"""The real outside, one file a port and system. Foreign errors become ours here and nowhere else."""
