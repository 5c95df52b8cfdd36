"""What was taken off: listed, put back, removed for good."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Status

from mintseed.server.api.wire import Wire
from mintseed.server.done.taken_off import put_back, remove, take_off, taken_off

router = Router(tags=["taken off"])


class TakenOffOut(Wire):
    """A thing that was taken off. `users` find it again when it is put back; `stays` says why it cannot be removed for good."""

    kind: str
    id: int
    what: str
    name: str
    removed_at: datetime
    users: list[str]
    stays: str


@router.get("/taken-off", response=list[TakenOffOut])
def read_taken_off(request: HttpRequest) -> list[TakenOffOut]:
    return _out()


@router.delete("/things/{kind}/{pk}", response={204: None})
def take_thing_off(request: HttpRequest, kind: str, pk: int, sure: bool = False) -> Status[None]:
    """Take a thing off. One that is used is refused with the code `refused.in-use` until somebody is `sure`."""
    take_off(kind, pk, sure=sure)
    return Status(204, None)


@router.post("/taken-off/{kind}/{pk}/put-back", response=list[TakenOffOut])
def put_thing_back(request: HttpRequest, kind: str, pk: int) -> list[TakenOffOut]:
    put_back(kind, pk)
    return _out()


@router.delete("/taken-off/{kind}/{pk}", response=list[TakenOffOut])
def remove_thing(request: HttpRequest, kind: str, pk: int) -> list[TakenOffOut]:
    """Remove it for good, with what only it held: a passphrase, a file, the history of a deployment."""
    remove(kind, pk)
    return _out()


def _out() -> list[TakenOffOut]:
    return [
        TakenOffOut(kind=t.kind, id=t.id, what=t.what, name=t.name, removed_at=t.removed_at, users=list(t.users), stays=t.stays)
        for t in taken_off()
    ]  # fmt: skip
