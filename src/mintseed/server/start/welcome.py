"""Say where the application is, once it answers; before that, at the first start, bring the demo's place to work.

python -m mintseed.server.start.welcome

Until the demo is to be made it loads nothing but the standard library: at a start the processor is needed elsewhere.
"""

from __future__ import annotations

import http.client
import os
import shutil
import ssl
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path

UP_WITHIN_S = 60.0


def main() -> int:
    _wait()
    if _may_want_demo():
        _make_demo()
    _say()
    if waiting := _waits_for_a_visitor():
        _django()
        from mintseed.server.demo.at_work import Desk, power_last

        power_last(Desk(), int(waiting))
        _marker().write_text("")
    return 0


def _wait() -> None:
    """Return when the application answers, or after a while all the same: its own output says why not."""
    until = time.monotonic() + UP_WITHIN_S
    while time.monotonic() < until and not _answers():
        time.sleep(0.1)


def _answers() -> bool:
    host, port = os.environ.get("MINTSEED_HOST", ""), int(os.environ.get("MINTSEED_PORT") or 4870)
    there = "127.0.0.1" if host in ("", "0.0.0.0", "::") else host
    context = ssl.create_default_context()
    # It speaks to itself, and its certificate may be one that only the owner's devices trust.
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    connection = (
        http.client.HTTPSConnection(there, port, timeout=5, context=context)
        if os.environ.get("MINTSEED_TLS_CERT")
        else http.client.HTTPConnection(there, port, timeout=5)
    )
    with suppress(OSError, http.client.HTTPException):
        connection.request("GET", "/api/place", headers={"Host": "localhost"})
        return connection.getresponse().status in (200, 401)
    return False


def _may_want_demo() -> bool:
    """Return whether the demo may still be to make: told without asking the database on every start."""
    return os.environ.get("MINTSEED_BENCH", "standin") != "real" and not _marker().exists()


def _marker() -> Path:
    """Return the file that says that the question of the demo is settled in this home."""
    return Path(os.environ["MINTSEED_HOME"]) / "demo-settled"


def _waits_for_a_visitor() -> str:
    """Return the deployment that is still to be powered when somebody looks, as the marker holds it."""
    with suppress(OSError):
        return _marker().read_text().strip()
    return ""


def _django() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "mintseed.server.settings")
    import django

    django.setup()


def _make_demo() -> None:
    """Make the demo where it is wanted. What goes wrong is said, and the application is there all the same."""
    _django()
    from mintseed.core.errors import MintSeedError
    from mintseed.core.visible import one_line
    from mintseed.server.demo.at_work import Desk, make_at_work, wanted

    waits = ""
    try:
        if wanted():
            print("  bringing the demo's place to work (once, about a minute)", flush=True)
            waits = str(make_at_work(Desk()))
            Desk().post("/images/build")  # the other appliances' images, in the background
    except Exception as error:  # whatever it is: the application runs, and its address is to be said
        said = error.sentence() if isinstance(error, MintSeedError) else f"{type(error).__name__}: {error}"
        print(f"  the demo could not be made whole: {one_line(said)[:300]}", flush=True)
        return
    _marker().write_text(waits)


def _say() -> None:
    """Say where it is. A link that lets a browser in is said here, and nowhere that another user of this machine could read."""
    there, link = _address(), ""
    if (Path(os.environ["MINTSEED_HOME"]) / "secrets" / "closed").exists() or os.environ.get(
        "MINTSEED_BENCH"
    ) == "real":
        _django()
        from mintseed.server.doors.door import door, new_link, opening_page, token

        if door() == "link":
            token()  # made now, so that scripts find its file
            link = new_link()
            _open(str(opening_page(link)))
    print(f"\n  Mint Seed is at  {link or there}")
    print(f"  {_phone_line()}")
    if link:
        print("  The link opens it in one browser, once. Another one:  .venv/bin/python manage.py link")
    print("  Ctrl-C stops it.\n", flush=True)


def _address() -> str:
    """Return the address that opens it on this machine: where it listens on all, its own."""
    scheme = "https" if os.environ.get("MINTSEED_TLS_CERT") else "http"
    host = os.environ.get("MINTSEED_HOST") or "127.0.0.1"
    there = "127.0.0.1" if host in ("0.0.0.0", "::") else f"[{host}]" if ":" in host else host
    return f"{scheme}://{there}:{os.environ.get('MINTSEED_PORT') or 4870}/"


def _phone_line() -> str:
    """Return what to open on a phone: an address it can really reach, or how there comes to be one."""
    from mintseed.server.doors.address import is_reachable_from_outside, phone_url

    if not is_reachable_from_outside():
        return (
            "Only this machine reaches it. For a phone:  make account NAME=you, then  MINTSEED_HOST=0.0.0.0 make start"
        )
    url = phone_url()
    return (
        f"On a phone in this network:  {url}"
        if url
        else "No phone can reach it: this machine has no address in a network now."
    )


def _open(page: str) -> None:
    """Show the page in the browser of the desktop, where there is one."""
    opener = shutil.which("xdg-open")
    if opener and (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        with suppress(OSError):
            subprocess.Popen(
                [opener, page], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True
            )


if __name__ == "__main__":
    sys.exit(main())
