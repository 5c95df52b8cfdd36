"""The ASGI application that uvicorn serves."""

from __future__ import annotations

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mintseed.server.settings")
application = get_asgi_application()

from mintseed import wiring  # noqa: E402

# Announcements are heard in the background; starting now means they are known when somebody asks. On a real bench its
# agent listens, on the interfaces of the site's own networks.
if wiring.config().is_standin:
    wiring.announcements()
