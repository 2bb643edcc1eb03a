"""The one error body of the API: application/problem+json (RFC 9457)."""

from collections.abc import Iterable
from typing import Literal, TypeAlias

from flask import Response
from flask_openapi3.openapi import OpenAPI
from pydantic import Field, ValidationError
from werkzeug.exceptions import HTTPException, InternalServerError

from mnemic.api.described import Described
from mnemic.api.withdrawn import NobodyWaitsError
from mnemic.core import NoRoomError, Problem, UnavailableError
from mnemic.core.rules.reading import problems_of
from mnemic.store.server.secret_key import WrongKeyError

__all__ = [
    "FieldError",
    "ProblemDetails",
    "ProblemType",
    "not_found",
    "problem_response",
    "register_problems",
]


#: RFC 9110, section 15.6.4, and RFC 4918, section 11.5.
_UNAVAILABLE, _NO_ROOM = 503, 507


_OUR_MISTAKE = (
    "This could not be done, and nothing was changed. Try it again; what went wrong is in Mnemic’s"
    " log."
)


#: Types of problems that a page goes on from (RFC 9457, section 3.1.1): a question to be asked.
#: Of all others the status says enough.
ProblemType: TypeAlias = Literal[
    "about:blank",
    "tag:mnemic.example,2026:much-mail-moves",
    "tag:mnemic.example,2026:examples-break",
    "tag:mnemic.example,2026:changed-meanwhile",
]


class FieldError(Described):
    """One thing that is wrong, and its path inside what was sent."""

    path: str
    message: str


class ProblemDetails(Described):
    """What went wrong (RFC 9457, section 3.1); ``errors`` names each field that is wrong."""

    type: ProblemType = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[FieldError] = Field([])


def problem_response(
    status: int,
    title: str,
    detail: str,
    problems: Iterable[Problem] = (),
    *,
    kind: ProblemType = "about:blank",
) -> Response:
    """The answer that tells of a problem; ``kind`` is its type, where a page asks about it."""
    body = ProblemDetails(
        type=kind,
        title=title,
        status=status,
        detail=detail,
        errors=[FieldError(path=problem.path, message=problem.message) for problem in problems],
    )
    return Response(body.model_dump_json(), status, mimetype="application/problem+json")


def not_found(what: str) -> Response:
    """The answer where something is not here (any more)."""
    return problem_response(
        404, "Not found", f"This {what} is not here; it may have been deleted. Go back to what is."
    )


def invalid_response(error: ValidationError) -> Response:
    """The answer to input that is not as the models say."""
    problems = problems_of(error)
    detail = "; ".join(str(problem) for problem in problems)
    return problem_response(422, "Not valid", detail, problems)


def register_problems(app: OpenAPI) -> None:
    """Give every error that Flask raises itself the same body."""

    @app.errorhandler(NobodyWaitsError)
    def _withdrawn(error: NobodyWaitsError) -> Response:
        return problem_response(409, "Withdrawn", str(error))

    @app.errorhandler(UnavailableError)
    def _unavailable(error: UnavailableError) -> Response:
        status = _NO_ROOM if isinstance(error, NoRoomError) else _UNAVAILABLE
        return problem_response(status, "Not possible at the moment", f"{error}.")

    @app.errorhandler(WrongKeyError)
    def _wrong_key(error: WrongKeyError) -> Response:
        said = f"{error}"[:1].upper() + f"{error}"[1:]
        return problem_response(409, "Another key", f"{said}.")

    @app.errorhandler(ValidationError)
    def _invalid(error: ValidationError) -> Response:
        return invalid_response(error)  # sound piece by piece, but not together

    @app.errorhandler(RecursionError)
    def _too_deep(_error: RecursionError) -> Response:
        return problem_response(
            400, "Not valid", "What was sent is nested too deeply; take brackets out."
        )

    @app.errorhandler(HTTPException)
    def _http(error: HTTPException) -> Response:
        status = error.code or 500
        if isinstance(error, InternalServerError):  # Flask has put what happened into the log
            return problem_response(status, "A mistake of Mnemic’s", _OUR_MISTAKE)
        return problem_response(status, error.name, error.description or error.name)
