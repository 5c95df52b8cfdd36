"""The tables, as a Django application."""

from __future__ import annotations

from django.apps import AppConfig


class KeptConfig(AppConfig):
    name = "mintseed.server.kept"
    label = "mintseed"
