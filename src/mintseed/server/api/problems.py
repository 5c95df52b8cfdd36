"""How an error leaves the API: application/problem+json, RFC 9457."""

from __future__ import annotations

from typing import Any

from django.http import HttpResponse, JsonResponse


def problem(status: int, code: str, title: str, **more: Any) -> HttpResponse:
    """Return one problem document."""
    body = {"status": status, "code": code, "title": title, **more}
    return JsonResponse(body, status=status, content_type="application/problem+json")
