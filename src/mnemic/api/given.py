"""What is given with a request: texts and numbers that can be kept and told again.

Everything asked of the API is made of these, so that nothing gets as far as SQLite, JSON or a
calendar that they can't hold.
"""

from typing import Annotated, TypeAlias

from pydantic import AfterValidator, Field, StrictInt

from mnemic.core.bounds import MOST_NUMBER
from mnemic.core.errors import plain_name, plain_text

__all__ = ["Line", "Number", "QueryNumber", "Text"]

_BOUNDS = Field(gt=-MOST_NUMBER, lt=MOST_NUMBER)

#: A whole number that every JSON reader keeps exactly (RFC 8259, section 6).
Number: TypeAlias = Annotated[StrictInt, _BOUNDS]

#: The same from an address, where everything is text.
QueryNumber: TypeAlias = Annotated[int, _BOUNDS]

#: A text without control characters but tab and line break, and without half characters.
Text: TypeAlias = Annotated[str, AfterValidator(plain_text)]

#: The same on one line: names, addresses, searches.
Line: TypeAlias = Annotated[str, AfterValidator(plain_name)]
