"""What is wrong with a mail server, as a problem at the field that it is about."""

from flask import Response

from mnemic.api.problem import problem_response
from mnemic.core import Problem
from mnemic.post.failures import ServerError

__all__ = ["failed"]

#: The fields of the form that a failure may be about.
_FIELDS = {"imap": "host", "submission": "host", "sieve": "host", "ca": "authorities"}


def failed(error: ServerError) -> Response:
    """It does not work: why, and where."""
    saying = f"{error}"[:1].upper() + f"{error}"[1:]
    problem = Problem(_FIELDS.get(error.field, error.field), saying)
    return problem_response(422, "It does not work", f"{saying}.", [problem])
