"""Rows become the core's inputs, and the core's answers become records and lists."""
