"""Lets pydantic read a value as one of several models, told by one of its keys."""

from collections.abc import Mapping
from functools import reduce
from operator import or_
from typing import Annotated, Any

from pydantic import BaseModel, Discriminator, GetCoreSchemaHandler, Tag
from pydantic_core import CoreSchema

__all__ = ["OneOf"]


class OneOf:
    """Stands beside an annotation: the value under ``key`` names the model.

    Where it names none, the error is of the type ``error``. Tags stand in <>, so that error paths
    can leave them out.
    """

    def __init__(self, models: Mapping[str, type[BaseModel]], *, key: str, error: str) -> None:
        self._models, self._key, self._error = models, key, error

    def _tag(self, value: Any) -> str | None:
        if isinstance(value, BaseModel):
            return f"<{type(value).__name__}>"
        name = value.get(self._key) if isinstance(value, dict) else None
        model = self._models.get(name) if isinstance(name, str) else None
        return None if model is None else f"<{model.__name__}>"

    def __get_pydantic_core_schema__(
        self, source: type[Any], handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        del source
        models = dict.fromkeys(self._models.values())
        tagged: Any = reduce(
            or_, (Annotated[model, Tag(f"<{model.__name__}>")] for model in models)
        )
        discriminator = Discriminator(
            self._tag,
            custom_error_type=self._error,
            custom_error_message=self._error.replace("_", " "),
        )
        return handler.generate_schema(Annotated[tagged, discriminator])
