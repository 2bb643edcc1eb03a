"""The action ``forward``, and what keeps it from going round in circles."""

from collections.abc import Sequence
from typing import Annotated, ClassVar, Literal, TypeAlias

from pydantic import AfterValidator, Field, ValidationInfo
from pydantic_core import PydanticCustomError

from mnemic.core.actions.action import ActionKind, BaseAction
from mnemic.core.actions.decision import Decision
from mnemic.core.bounds import MOST_VALUE, MOST_VALUES
from mnemic.core.canonical import canonical_address
from mnemic.core.errors import at_most, plain_name
from mnemic.core.events import Event
from mnemic.core.wording import Phrase, joined, listed, strong

__all__ = ["ACTIONS", "FORWARD_MARK", "ForwardAction"]

#: The header field a forwarded message carries, with the address it was forwarded for.
FORWARD_MARK = "X-Mnemic-Forwarded-For"


def _address(value: str, info: ValidationInfo) -> str:
    local, at, domain = value.strip().rpartition("@")
    if not at or not local or not domain or any(character.isspace() for character in domain):
        raise PydanticCustomError("address", "has to be an address like name@domain")
    return plain_name(value.strip(), info)


#: An address to which mail is sent on.
AddressTo: TypeAlias = Annotated[str, at_most(MOST_VALUE), AfterValidator(_address)]


class ForwardAction(BaseAction):
    """Send the message on."""

    do: Literal["forward"]
    to: Annotated[tuple[AddressTo, ...], Field(min_length=1), at_most(MOST_VALUES)]

    goes_out: ClassVar = True

    def decide(self, decision: Decision) -> str | None:
        """Each address once; never what was forwarded for the owner already."""
        me = decision.given.circumstances.me
        marks = {canonical_address(mark) for mark in decision.message.header(FORWARD_MARK)}
        if not marks.isdisjoint(me):
            return "it was forwarded for you once already"
        there = set(map(canonical_address, decision.forward))
        for address in self.to:
            if canonical_address(address) not in there:
                decision.forward.append(address)
                there.add(canonical_address(address))
        return None

    def outdone_by(self, earlier: BaseAction) -> bool:
        """It was sent to all of them."""
        if not isinstance(earlier, ForwardAction):
            return False
        return set(map(canonical_address, self.to)) <= set(map(canonical_address, earlier.to))

    def phrases(self, runs: Sequence[Event] = ("arrival",)) -> list[Phrase]:
        """The order."""
        del runs
        return [Phrase("forward it to "), *listed(strong(self.to), "and")]

    def deed(self) -> str:
        """The deed."""
        return f"forwarded to {joined(self.to)}"


ACTIONS = (
    ActionKind(
        "forward",
        ForwardAction,
        "forward to {to}",
        "Forward it",
        {"to": []},
        needs=("to",),
        input="addresses",
    ),
)
