"""Django's settings, for every process of the application."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from mintseed.server.address import is_reachable_from_outside, reachable_names, serves_tls
from mintseed.server.database import ACCOUNT, SQL_MODE, folder
from mintseed.wiring import PROJECT, config

_home = config().home


def _secret(name: str) -> str:
    """Return a random value kept in a file for the owner alone; made at first use."""
    path = _home / "secrets" / name
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        fresh = path.with_suffix(f".{os.getpid()}")
        with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(48))
        fresh.replace(path)
    return path.read_text()


SECRET_KEY = _secret("django")
DEBUG = False
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", *reachable_names()]
ACCOUNT_REQUIRED = is_reachable_from_outside()
"""Whether others on the network can reach it: then nobody comes in without an account."""
INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.auth",
    "django.contrib.sessions",
    "mintseed.server.apps.ServerConfig",
    "django_tasks",
    "django_tasks_db",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.common.CommonMiddleware",
    "mintseed.server.guard.HeadersMiddleware",
    "mintseed.server.guard.SameOriginMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "mintseed.server.guard.AccountMiddleware",
]
SESSION_COOKIE_NAME = "mintseed_session"
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
        "CONN_MAX_AGE": 0,
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
WHITENOISE_ROOT = str(WEB_BUILD) if WEB_BUILD.is_dir() else None
WHITENOISE_INDEX_FILE = False
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"plain": {"format": "%(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "plain"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
    "loggers": {"mintseed": {"level": "INFO"}, "django_tasks": {"level": "WARNING"}},
}
