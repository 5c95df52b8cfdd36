"""The commands of `manage.py`, as a Django application; the tables are `kept`."""

from __future__ import annotations

from django.apps import AppConfig


class ServerConfig(AppConfig):
    name = "mintseed.server"
    label = "server"
