"""Pydantic models as JSON answers."""

from flask import Response
from pydantic import BaseModel

__all__ = ["json_body"]


def json_body(model: BaseModel, status: int = 200) -> Response:
    """The answer that carries ``model``; it is made anew for each request, never cached."""
    return Response(
        model.model_dump_json(by_alias=True),
        status,
        mimetype="application/json",
        headers={"Cache-Control": "no-store"},
    )
