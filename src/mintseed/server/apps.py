"""The Django application."""

from __future__ import annotations

from django.apps import AppConfig


class ServerConfig(AppConfig):
    name = "mintseed.server"
    label = "mintseed"
