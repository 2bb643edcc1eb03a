"""What the server answers with: models that are read from values of the program."""

from typing import Any, Self

from pydantic import ConfigDict

from mnemic.api.described import Described

__all__ = ["Answer"]


class Answer(Described):
    """An answer, or a part of one, whose fields are called as the attributes of what it tells.

    A time is made of whole seconds since 1970-01-01 UTC.
    """

    model_config = ConfigDict(from_attributes=True)

    @classmethod
    def telling(cls, value: object, **beside: Any) -> Self:
        """What the attributes of a value tell, and ``beside`` what it does not know itself."""
        values = {name: getattr(value, name) for name in cls.model_fields if name not in beside}
        return cls(**values, **beside)
