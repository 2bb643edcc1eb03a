"""Conditions and groups as tests of a script, each with its grade.

A field that is not listed here can't be said: its rules stay with Mnemic.
"""

from collections.abc import Callable, Mapping
from typing import Any, assert_never

from mnemic.core.fields import BaseCondition
from mnemic.core.fields.addressed import AddressedCondition
from mnemic.core.fields.addresses import AddressCondition
from mnemic.core.fields.age import AgeCondition
from mnemic.core.fields.attachments import AttachmentCondition, AttachmentTypeCondition
from mnemic.core.fields.contact import ContactCondition
from mnemic.core.fields.dates import DateCondition
from mnemic.core.fields.flags import FlagCondition
from mnemic.core.fields.header import NamedHeaderCondition
from mnemic.core.fields.kind import KindCondition
from mnemic.core.fields.mailing_list import ListCondition
from mnemic.core.fields.priority import PriorityCondition
from mnemic.core.fields.size import SizeCondition
from mnemic.core.fields.texts import TextCondition
from mnemic.core.fields.whereabouts import WhereaboutsCondition
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest, NotGroup, Rule
from mnemic.core.sieve.building import TRUE, allof, anyof, not_, opened
from mnemic.core.sieve.writing.address_tests import said_of_addresses
from mnemic.core.sieve.writing.content_tests import (
    said_of_attachment,
    said_of_attachment_type,
    said_of_header,
    said_of_list,
    said_of_text_field,
)
from mnemic.core.sieve.writing.grades import Said, joined, no, same
from mnemic.core.sieve.writing.kind_tests import said_of_kind, said_of_priority
from mnemic.core.sieve.writing.measure_tests import said_of_active, said_of_day, said_of_size
from mnemic.core.sieve.writing.owner_tests import (
    said_of_addressed,
    said_of_age,
    said_of_contact,
    said_of_flag,
    said_of_whereabouts,
)
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["WRITERS", "said_of", "said_of_rule"]

#: Says a condition, by its model.
WRITERS: Mapping[type[BaseCondition], Callable[[Any, Setting], Said]] = {
    AddressCondition: said_of_addresses,
    AddressedCondition: said_of_addressed,
    AgeCondition: said_of_age,
    AttachmentCondition: said_of_attachment,
    AttachmentTypeCondition: said_of_attachment_type,
    ContactCondition: said_of_contact,
    DateCondition: said_of_day,
    FlagCondition: said_of_flag,
    KindCondition: said_of_kind,
    ListCondition: said_of_list,
    NamedHeaderCondition: said_of_header,
    PriorityCondition: said_of_priority,
    SizeCondition: said_of_size,
    TextCondition: said_of_text_field,
    WhereaboutsCondition: said_of_whereabouts,
}


def said_of(test: AnyTest, setting: Setting) -> Said:
    """A test of a rule as a script says it."""
    match test:
        case AllGroup():
            return joined([said_of(inner, setting) for inner in test.all], allof)
        case AnyGroup():
            return joined([said_of(inner, setting) for inner in test.any], anyof)
        case NotGroup():
            return _turned(said_of(test.not_, setting))
        case Always():
            return same(TRUE)
        case BaseCondition():
            write = WRITERS.get(type(test))
            if write is None:
                return no(f"scripts have no word for {test.field}")
            return write(test, setting)
        case _:
            assert_never(test)


def _turned(said: Said) -> Said:
    return said if said.test is None else Said(not_(said.test), said.grade, said.why)


def said_of_rule(rule: Rule, setting: Setting) -> Said:
    """The whole condition of a rule: when, unless, and the days that it is for."""
    parts = [said_of(rule.when, setting)]
    if rule.unless is not None:
        parts.append(_turned(said_of(rule.unless, setting)))
    if rule.active is not None:
        parts.append(said_of_active(rule.active, setting))
    several = isinstance(rule.when, AllGroup) and len(rule.when.all) > 1
    return joined(parts, opened if several else allof)
