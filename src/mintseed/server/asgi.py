"""The ASGI application that uvicorn serves: the built web part's files, and Django for everything else."""

from __future__ import annotations

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mintseed.server.settings")
django.setup(set_prefix=False)

from django.conf import settings  # noqa: E402
from servestatic import ServeStaticASGI  # noqa: E402

from mintseed import wiring  # noqa: E402
from mintseed.server.doors.gate import behind_gate  # noqa: E402
from mintseed.server.doors.guard import static_headers  # noqa: E402
from mintseed.server.doors.threads import Application, OneGoHandler, on_lasting_threads  # noqa: E402

django_application = OneGoHandler()


def with_files(application: Application) -> Application | ServeStaticASGI:
    """Return `application` behind the web part's files, read when the process starts and sent as they were compressed
    when they were built. What lies in assets is named by its content, so a browser may keep it for ever; the page itself
    is Django's, so that a new build is seen at once."""
    if not settings.WEB_BUILD.is_dir():
        return application
    return ServeStaticASGI(
        application, root=str(settings.WEB_BUILD), immutable_file_test=lambda path, url: url.startswith("/assets/"),
        add_headers_function=static_headers, allow_all_origins=False,
    )  # fmt: skip


application = behind_gate(with_files(on_lasting_threads(django_application)))

# Announcements are heard in the background; starting now means they are known when somebody asks. On a real bench its
# agent listens, on the interfaces of the site's own networks.
if wiring.config().is_standin:
    wiring.announcements()
