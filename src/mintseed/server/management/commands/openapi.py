"""Print the API's OpenAPI document, from which the front end's types are made."""

from __future__ import annotations

import json
from typing import Any

from django.core.management.base import BaseCommand

from mintseed.server.api.document import openapi_document


class Command(BaseCommand):
    help = "Print the OpenAPI document."

    def handle(self, *args: Any, **options: Any) -> None:
        self.stdout.write(json.dumps(openapi_document(), indent=1, sort_keys=True))
