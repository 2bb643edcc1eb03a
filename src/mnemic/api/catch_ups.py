"""Catch-ups: what one would do, starting it, how far it has come, stopping it."""

from datetime import UTC, datetime

from flask import Response
from flask_openapi3.blueprint import APIBlueprint
from pydantic import Field
from sqlmodel import Session

from mnemic.api.answer import Answer
from mnemic.api.changes import WhichIn, selection_of
from mnemic.api.described import Described
from mnemic.api.given import Number, QueryNumber
from mnemic.api.json_body import json_body
from mnemic.api.problem import ProblemDetails, not_found
from mnemic.api.withdrawn import still_asked
from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan, NothingToDoError, prepare_catch_up
from mnemic.jobs.catch_up.preview import preview_catch_up, question_before
from mnemic.jobs.catch_up.running import finish_catch_up, start_catch_up
from mnemic.jobs.catch_up.worker import Worker
from mnemic.store import Database
from mnemic.store.line.catch_ups import CatchUpJob, get_job, jobs_to_do
from mnemic.store.search.selection import Selection

__all__ = ["catch_ups_blueprint"]


class CatchUpIn(Described):
    """Which rules to apply, and to which mail: where nothing is said, all but Sent, Junk and Trash.

    ``everywhere``: these too. ``since`` and ``until`` bound the time of receipt, the latter not
    included. ``respects``: what a person changed after a rule last acted on it is left alone.
    ``takes_left``: also what a rule above, that is not one of these, places or stops.
    """

    rule_ids: list[Number] = Field(min_length=1)
    which: WhichIn | None = None
    since: datetime | None = None
    until: datetime | None = None
    everywhere: bool = False
    respects: bool = True
    takes_left: bool = False


class CatchUpPreviewOut(Answer):
    """What would happen; nothing has. ``examined`` is how many messages are asked about.

    ``question`` is what to ask before it, where it moves much of the mail.
    """

    examined: int
    report: CatchUpReport
    question: str | None


class CatchUpJobOut(Answer):
    """How a catch-up stands: ``done`` of ``total`` messages that the rules take.

    ``run_id`` is the run that undoes it. ``problem`` is what keeps it from going on, if anything.
    """

    id: int
    state: str
    saying: str
    examined: int
    total: int
    done: int
    report: CatchUpReport
    run_id: int | None
    problem: str


class CatchUpsOut(Answer):
    """The catch-ups that go on or wait for their turn, the first one first."""

    jobs: list[CatchUpJobOut]


class CatchUpPath(Described):
    """Which catch-up."""

    job_id: QueryNumber


def _plan(session: Session, body: CatchUpIn) -> CatchUpPlan:
    def seconds(moment: datetime | None) -> int | None:
        return None if moment is None else int(moment.timestamp())

    return CatchUpPlan(
        rule_ids=tuple(body.rule_ids),
        which=Selection() if body.which is None else selection_of(session, body.which),
        since=seconds(body.since),
        until=seconds(body.until),
        everywhere=body.everywhere,
        respects=body.respects,
        takes_left=body.takes_left,
    )


def _out(job: CatchUpJob, problem: str) -> CatchUpJobOut:
    report = CatchUpReport.model_validate_json(job.report)
    return CatchUpJobOut.telling(job, report=report, problem=problem)


def catch_ups_blueprint(database: Database, worker: Worker) -> APIBlueprint:
    """Catch-ups."""
    blueprint = APIBlueprint(
        "catch_ups", __name__, abp_responses={404: ProblemDetails, 422: ProblemDetails}
    )

    @blueprint.post(
        "/api/catch-ups/preview",
        summary="What a catch-up would do",
        responses={200: CatchUpPreviewOut},
    )
    def preview(body: CatchUpIn) -> Response:
        try:
            with database.reading() as session:
                plan = _plan(session, body)
                examined, report = preview_catch_up(
                    session, plan, now=datetime.now(UTC), check=still_asked()
                )
                question = question_before(session, report)
        except NothingToDoError:
            return not_found("rule")
        return json_body(CatchUpPreviewOut(examined=examined, report=report, question=question))

    @blueprint.post("/api/catch-ups", summary="Start a catch-up", responses={202: CatchUpJobOut})
    def start(body: CatchUpIn) -> Response:
        now = datetime.now(UTC)
        try:
            with database.reading() as session:  # mail arrives while it looks
                prepared = prepare_catch_up(session, _plan(session, body), now=now)
        except NothingToDoError:
            return not_found("rule")
        with database.writing() as session:
            job = start_catch_up(session, prepared, now=now)
        worker.enqueue(job.id)
        return json_body(_out(job, worker.problem), 202)

    _add_running(blueprint, database, worker)
    return blueprint


def _add_running(blueprint: APIBlueprint, database: Database, worker: Worker) -> None:
    @blueprint.get("/api/catch-ups", summary="Those that go on", responses={200: CatchUpsOut})
    def going_on() -> Response:
        with database.reading() as session:
            jobs = [_out(job, worker.problem) for job in jobs_to_do(session)]
        return json_body(CatchUpsOut(jobs=jobs))

    @blueprint.get(
        "/api/catch-ups/<int:job_id>", summary="How it stands", responses={200: CatchUpJobOut}
    )
    def progress(path: CatchUpPath) -> Response:
        with database.reading() as session:
            job = get_job(session, path.job_id)
        return not_found("catch-up") if job is None else json_body(_out(job, worker.problem))

    @blueprint.post(
        "/api/catch-ups/<int:job_id>/stop", summary="Stop it", responses={200: CatchUpJobOut}
    )
    def stop(path: CatchUpPath) -> Response:
        with database.writing() as session:
            finish_catch_up(session, path.job_id, "stopped")
            job = get_job(session, path.job_id)
        return not_found("catch-up") if job is None else json_body(_out(job, worker.problem))
