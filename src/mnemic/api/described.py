"""Models of requests and answers, which describe themselves in OpenAPI."""

from copy import deepcopy
from functools import cache
from typing import Any

from pydantic import BaseModel

__all__ = ["Described"]


class Described(BaseModel):
    """A request, an answer or a part of one.

    Its JSON Schema is worked out once: the description of the API asks for it at every place where
    the model stands, and again for each server of a process, as tests have them.
    """

    @classmethod
    def model_json_schema(cls, *args: Any, **options: Any) -> dict[str, Any]:
        """The JSON Schema; pydantic says what may be asked for."""
        return deepcopy(_schema_of(cls, args, frozenset(options.items())))


@cache
def _schema_of(
    model: type[Described], args: tuple[Any, ...], options: frozenset[tuple[str, Any]]
) -> dict[str, Any]:
    return super(Described, model).model_json_schema(*args, **dict(options))
