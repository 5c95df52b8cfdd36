"""`python -m mintseed.cli` is the `mintseed` command."""

import sys

from mintseed.cli.main import main

if __name__ == "__main__":
    sys.exit(main())
