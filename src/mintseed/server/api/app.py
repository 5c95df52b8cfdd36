"""The API: its routers, and how errors leave it (application/problem+json, RFC 9457)."""

from __future__ import annotations

import logging

from django.core.exceptions import ObjectDoesNotExist
from django.db import DatabaseError, DataError, IntegrityError
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationError

from mintseed.core.errors import ChangedError, MintSeedError, http_status
from mintseed.server.api import (
    accounts,
    bench,
    boot,
    card,
    card_files,
    cards,
    doctor,
    draft,
    find,
    first_steps,
    image,
    images,
    keep,
    lessons,
    log,
    plan,
    recipes,
    session,
    settings,
    setup,
    shelf,
    shelf_table,
    site,
    taken_off,
)
from mintseed.server.api.problems import problem
from mintseed.server.api.strict import StrictParser
from mintseed.server.kept.transactions import is_contention

logger = logging.getLogger("mintseed.api")

api = NinjaAPI(
    title="Mint Seed", version="1", docs_url=None, openapi_url=None, urls_namespace="api", parser=StrictParser()
)

for router in (
    bench,
    plan,
    recipes,
    image,
    images,
    draft,
    settings,
    card_files,
    doctor,
    card,
    cards,
    boot,
    find,
    setup,
    keep,
    lessons,
    shelf,
    shelf_table,
    site,
    first_steps,
    log,
    session,
    accounts,
    taken_off,
):
    api.add_router("", router.router)


@api.exception_handler(MintSeedError)
def _ours(request: HttpRequest, error: MintSeedError) -> HttpResponse:
    return problem(
        http_status(error), error.code, error.sentence(), found=error.found, expected=error.expected, where=error.where,
        next_step=error.next_step, **({"theirs": error.theirs} if isinstance(error, ChangedError) else {}),
    )  # fmt: skip


@api.exception_handler(HttpError)
def _unparsed(request: HttpRequest, error: HttpError) -> HttpResponse:
    # The library wraps what the parser said of the body.
    if isinstance(error.__cause__, MintSeedError):
        return _ours(request, error.__cause__)
    return problem(error.status_code, "input", str(error))


@api.exception_handler(ObjectDoesNotExist)
def _missing(request: HttpRequest, error: ObjectDoesNotExist) -> HttpResponse:
    return problem(404, "missing", "There is no such thing here", next_step="Go back to the Bench.")


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0] if error.errors else {}
    field = ".".join(str(p) for p in first.get("loc", ()) if p not in ("body", "payload"))
    return problem(422, "input", f"{field}: {first.get('msg', 'not understood')}".lstrip(": "), where=field)


@api.exception_handler(Exception)
def _unforeseen(request: HttpRequest, error: Exception) -> HttpResponse:
    logger.exception("%s %s", request.method, request.path)
    return problem(500, "error", f"An unforeseen {type(error).__name__}; the application's output has the details",
                   next_step="Go back to the Bench; nothing else is touched by it.")  # fmt: skip


@api.exception_handler(DataError)
def _too_much(request: HttpRequest, error: DataError) -> HttpResponse:
    return problem(422, "input", "A value is too long or too large to be kept", next_step="Make it shorter.")


@api.exception_handler(IntegrityError)
def _at_once(request: HttpRequest, error: IntegrityError) -> HttpResponse:
    logger.warning("%s %s: %s", request.method, request.path, type(error).__name__)
    return problem(409, "refused", "Something else changed at the same moment", next_step="Look again, then try again.")


@api.exception_handler(DatabaseError)
def _database(request: HttpRequest, error: DatabaseError) -> HttpResponse:
    if is_contention(error):
        # Two of ours met at a row, again and again; the database answers all the while.
        logger.warning("%s %s: met somebody else at a row", request.method, request.path)
        return problem(409, "refused", "Something else changed at the same moment", next_step="Try again.")
    logger.error("the database does not answer: %s", type(error).__name__)
    return problem(
        503,
        "outside.database",
        "The database does not answer",
        next_step="It is started again by itself; wait a moment.",
    )
