"""An account while the application does not run: its database is run for as long as that takes. python -m mintseed.server.start.first_account NAME"""

from __future__ import annotations

import os
import sys

import django
from django.core.management import CommandError, call_command
from django.db import connections

from mintseed.server.start import database


def main(name: str) -> int:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mintseed.server.settings")
    place = database.folder()
    database.prepare(place)
    django.setup()
    with database.started(place):
        try:
            call_command("account", name)
        except CommandError as error:
            print(error, file=sys.stderr)
            return 1
        finally:
            connections.close_all()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
