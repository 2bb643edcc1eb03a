"""Conditions on what has few values in all the mail: each value is looked at once."""

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple, TypeAlias

from sqlmodel import Session

from mnemic.core import Given
from mnemic.core.fields import BaseCondition
from mnemic.core.fields.attachments import AttachmentTypeCondition
from mnemic.core.fields.kind import KindCondition
from mnemic.core.fields.mailing_list import ListCondition
from mnemic.core.message import Kind
from mnemic.store.conditions_sql.ids import Ids
from mnemic.store.mail.by_value import messages_by_attachment_types, messages_by_list
from mnemic.store.mail.message_kinds import messages_of_kinds

__all__ = ["FewValues"]

#: The messages that have a value, by value; None where that is not known.
_ByValue: TypeAlias = Mapping[str, Ids] | None


class _Fact(NamedTuple):
    """Where the messages of each value are told, and what a condition reads of one of them."""

    by_value: Callable[[Session], _ByValue]
    reading: Callable[[Any, Any], Any]


_FACTS: Mapping[type[BaseCondition], _Fact] = {
    ListCondition: _Fact(messages_by_list, lambda condition, value: (condition.form(value),)),
    KindCondition: _Fact(messages_of_kinds, lambda _, name: Kind(name, "")),
    AttachmentTypeCondition: _Fact(
        messages_by_attachment_types,
        lambda condition, value: tuple(map(condition.form, value.split("\n"))),
    ),
}


class FewValues:
    """Which messages conditions on lists, kinds and types of attachments hold for."""

    def __init__(self, session: Session, given: Given) -> None:
        self._session, self._given = session, given
        self._known: dict[_Fact, _ByValue] = {}

    def messages(self, condition: BaseCondition) -> list[Ids] | None:
        """The messages for which it holds, by value; None where that is to be asked otherwise."""
        fact = _FACTS.get(type(condition))
        by_value = None if fact is None else self._by_value(fact)
        if fact is None or by_value is None:
            return None
        return [
            ids
            for value, ids in by_value.items()
            if condition.holds_of(fact.reading(condition, value), self._given)
        ]

    def _by_value(self, fact: _Fact) -> _ByValue:
        if fact not in self._known:
            self._known[fact] = fact.by_value(self._session)
        return self._known[fact]
