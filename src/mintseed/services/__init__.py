"""Use cases, one file a verb. `check` says what stands against it, `execute` does it. Web and command line call these."""
