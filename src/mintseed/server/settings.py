"""Django's settings, for every process of the application."""

from __future__ import annotations

import os
from pathlib import Path

from mintseed.server.doors.address import reachable_names, serves_tls
from mintseed.server.kept.secret_files import kept_secret
from mintseed.server.start.database import ACCOUNT, SQL_MODE, folder
from mintseed.wiring import PROJECT, config

_home = config().home


SECRET_KEY = kept_secret(_home / "secrets" / "django")
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", *reachable_names()]
INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "django.contrib.sessions",
    "mintseed.server.apps.ServerConfig",
    "mintseed.server.kept.apps.KeptConfig",
    "django_tasks",
    "django_tasks_db",
]
MIDDLEWARE = [
    "mintseed.server.doors.guard.HeadersMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.common.CommonMiddleware",
    "mintseed.server.doors.guard.SameOriginMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "mintseed.server.doors.guard.DoorMiddleware",
]
# Cookies know no port: two instances on one machine would end each other's sessions.
SESSION_COOKIE_NAME = f"mintseed_session_{os.environ.get('MINTSEED_PORT') or 4870}"
SESSION_COOKIE_SAMESITE = "Strict"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SECURE = serves_tls()
SESSION_COOKIE_AGE = 14 * 24 * 3600
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
]
ROOT_URLCONF = "mintseed.server.urls"
ASGI_APPLICATION = "mintseed.server.asgi.application"

_database = folder()
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": ACCOUNT,
        "USER": ACCOUNT,
        "PASSWORD": _database.password(),
        # Through the socket on the machine that runs the application; another bench comes through a tunnel.
        "HOST": os.environ.get("MINTSEED_DB_HOST") or str(_database.socket),
        "PORT": _database.port if os.environ.get("MINTSEED_DB_HOST") else "",
        # A connection lasts as long as its thread, and is asked for a sign of life before each request.
        "CONN_MAX_AGE": 300,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "isolation_level": "read committed",
            "connect_timeout": 3,
            "init_command": f"SET sql_mode='{SQL_MODE}'",
        },
        "TEST": {"NAME": f"test_{ACCOUNT}", "CHARSET": "utf8mb4"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": []}}

USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"

WEB_BUILD: Path = PROJECT / "web" / "dist"
STATIC_URL = "/static/"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {
        # What a request is refused for is in its answer; here it would only fill the output. The API logs its own faults.
        "django.security.DisallowedHost": {"level": "CRITICAL"},
        "django.request": {"level": "CRITICAL"},
        "uvicorn.error": {"level": "ERROR"},
        "mintseed": {"level": "INFO"},
        "django_tasks": {"level": "WARNING"},
    },
}
