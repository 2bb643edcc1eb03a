"""The question before much of the mail moves, as an answer."""

from flask import Response

from mnemic.api.problem import problem_response
from mnemic.jobs.shared.large_moves import LargeMoveError

__all__ = ["large_move_response"]


def large_move_response(error: LargeMoveError) -> Response:
    """The question, with 409: it is asked again without ``ask_first`` where the answer is yes."""
    return problem_response(
        409,
        "Much of the mail moves",
        str(error),
        kind="tag:mnemic.example,2026:much-mail-moves",
    )
