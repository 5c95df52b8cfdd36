"""Background work: how a job stands, and the tasks the worker runs."""
