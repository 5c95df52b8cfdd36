"""The first steps after the page is open, and what their checks came to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from mintseed.core.find.candidates import PageAnswer
from mintseed.core.findings import Finding, Severity, Where
from mintseed.core.recipes.model import DefaultLogin, Page, Recipe, SetupStep

StepState = Literal["open", "done", "failed"]


@dataclass(frozen=True, slots=True)
class StepResult:
    """How one step stands. A step that is measured is done only by its measurement."""

    step: SetupStep
    state: StepState
    finding: Finding | None


def judge_page(answer: PageAnswer, page: Page) -> Finding:
    """Return whether the page that answered is the appliance's."""
    where = Where(part=answer.url)
    if not page.signature and page.may_be(answer.status, answer.body):
        return Finding("setup.page-answers", Severity.OK, "Its page answers", "What stands on it nobody said, so that it is its own cannot be told.",
                       where=where)  # fmt: skip
    if page.shown(answer.status, answer.body):
        return Finding("setup.page-answers", Severity.OK, "Its page answers", f"It says {page.signature}.", where=where)
    found = f"HTTP status {answer.status}" if answer.status else answer.trouble or "no answer"
    return Finding("setup.page-silent", Severity.STOP, "Its page does not answer", f"Expected {page.signature or 'a page'}; found {found}.",
                   "Is it still powered? Look for it again.", where)  # fmt: skip


def judge_default_login(answer: PageAnswer, login: DefaultLogin) -> Finding:
    """Return whether the login the image came with still opens the page, from what the page answered to it."""
    where = Where(part=answer.url)
    if answer.status == 0:
        return Finding("setup.login-unreached", Severity.STOP, "Could not ask the page", f"What came of it: {answer.trouble}.",
                       "Is it still powered? Look for it again.", where)  # fmt: skip
    if answer.status == login.refused_status:
        return Finding("setup.default-login-refused", Severity.OK, "The image's own login no longer opens it",
                       f"Tried it just now: refused with {answer.status}.", where=where)  # fmt: skip
    if answer.status < 400:
        return Finding("setup.default-login-opens", Severity.STOP, "The image's own login still opens it",
                       f"Everybody who has the image knows the password of {login.user}.",
                       "Change it on the page, then check again.", where)  # fmt: skip
    return Finding("setup.login-unclear", Severity.CHECK, "The page gave no clear answer",
                   f"Expected {login.refused_status} or a page; found {answer.status}.", "Try the login by hand.", where)  # fmt: skip


def step_results(recipe: Recipe, findings: Mapping[str, Finding], seen_done: frozenset[str]) -> tuple[StepResult, ...]:
    """Return how every step stands. `findings` holds the last measurement of each measured step, `seen_done` the
    steps a person ticked off; a tick does nothing for a measured step."""
    return tuple(_result(step, findings.get(step.id), step.id in seen_done) for step in recipe.setup)


def _result(step: SetupStep, finding: Finding | None, ticked: bool) -> StepResult:
    if step.check == "by-eye":
        return StepResult(step, "done" if ticked else "open", None)
    if finding is None:
        return StepResult(step, "open", None)
    return StepResult(step, "done" if finding.severity is Severity.OK else "failed", finding)
