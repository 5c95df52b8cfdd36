"""Routes: the API, and the front end for everything else."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseBase
from django.urls import path, re_path

from mintseed.server.api.app import api
from mintseed.server.api.uploads import upload, uploads
from mintseed.server.doors.stream import changes


def front_end(request: HttpRequest) -> HttpResponseBase:
    """Serve the page of the single-page application; its routes are its own."""
    page = settings.WEB_BUILD / "index.html"
    if not page.is_file():
        return HttpResponse("The web part is not built. Run: make start", status=503, content_type="text/plain")
    response = HttpResponse(page.read_bytes(), content_type="text/html; charset=utf-8")
    response.headers["Cache-Control"] = "no-cache"
    return response


urlpatterns = [
    path("api/changes", changes),
    path("api/uploads", uploads),
    path("api/uploads/<str:ident>", upload),
    path("api/", api.urls),
    re_path(r"^(?!api/|assets/).*$", front_end),
]
