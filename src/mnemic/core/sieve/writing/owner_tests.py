"""Conditions on what is known beside the mail: the owner, the address book, the state."""

from collections.abc import Iterable
from datetime import timedelta

from mnemic.core.canonical import canonical_address
from mnemic.core.fields.addressed import AddressedCondition
from mnemic.core.fields.age import AgeCondition, duration
from mnemic.core.fields.contact import ContactCondition
from mnemic.core.fields.flags import FlagCondition
from mnemic.core.fields.whereabouts import WhereaboutsCondition
from mnemic.core.sieve.building import FALSE, TRUE, allof, anyof, compared, if_, not_, string
from mnemic.core.sieve.syntax import Command, Number, Tag, Test
from mnemic.core.sieve.writing.grades import Said, close, folded, joined, no, same
from mnemic.core.sieve.writing.keys import quoted_wildcards
from mnemic.core.sieve.writing.references import reference
from mnemic.core.sieve.writing.setting import Setting
from mnemic.core.text.folding import fold

__all__ = [
    "FIRST",
    "SENDER",
    "first_decided",
    "said_of_addressed",
    "said_of_age",
    "said_of_contact",
    "said_of_flag",
    "said_of_whereabouts",
]

#: The variable that holds the sender’s address, for who writes the first time.
SENDER = "sender"

#: The variable that says whether the sender has not written before, and its value then.
FIRST = "first"
_IS_FIRST = "1"

#: Addresses of an address book that are written into a script.
_MOST_CONTACTS = 1_000


def _constant(answer: bool) -> Said:
    return same(TRUE if answer else FALSE)


def said_of_age(condition: AgeCondition, setting: Setting) -> Said:
    """When it arrives, a message has no age."""
    del setting
    ages = map(duration, condition.values)
    return _constant(condition.test == "under" and any(age > timedelta() for age in ages))


def said_of_flag(condition: FlagCondition, setting: Setting) -> Said:
    """When it arrives, a message is neither read nor flagged."""
    del setting
    return _constant(False in condition.values)


def said_of_whereabouts(condition: WhereaboutsCondition, setting: Setting) -> Said:
    """A message that arrives is in the inbox, and has no labels."""
    if condition.field == "label":
        return _constant(False)
    if condition.field == "folder":
        return _constant(any(fold(value) == "inbox" for value in condition.values))
    mine = setting.account and canonical_address(setting.account)
    return _constant(any(canonical_address(value) == mine for value in condition.values))


def said_of_addressed(condition: AddressedCondition, setting: Setting) -> Said:
    """How I am addressed, with +tags or without."""
    return joined([_way(value, setting) for value in dict.fromkeys(condition.values)], anyof)


def _way(way: str, setting: Setting) -> Said:
    mine = tuple(_mine(setting.me))
    if not mine:
        return _constant(way == "not_me")
    plain = all(address.isascii() for address in setting.me)

    def in_fields(*names: str) -> Test:
        return compared("address", ":matches", mine, of=names)

    if way == "only_me":
        return _only_me(in_fields("to", "cc", "bcc"), setting)
    test = {
        "to_me": in_fields("to"),
        "cc_me": in_fields("cc"),
        "not_me": not_(in_fields("to", "cc", "bcc")),
    }[way]
    return same(test) if plain else folded(test)


def _mine(me: Iterable[str]) -> Iterable[str]:
    for address in me:
        local, _, domain = address.rpartition("@")
        quoted = quoted_wildcards(local), quoted_wildcards(domain)
        yield f"{quoted[0]}@{quoted[1]}"
        if "+" not in local:
            yield f"{quoted[0]}+*@{quoted[1]}"


def _only_me(mine: Test, setting: Setting) -> Said:
    if setting.can("relational") and setting.can("comparator-i;ascii-numeric"):
        count = Test(
            "address",
            (
                Tag(":count"),
                string("eq"),
                Tag(":comparator"),
                string("i;ascii-numeric"),
                *compared("address", ":is", ("1",), of=("to", "cc", "bcc")).arguments[1:],
            ),
        )
        return close(allof(mine, count), "one address in To and Cc counts as two")
    alone = not_(compared("header", ":contains", (",",), of=("to",)))
    others = [not_(Test("exists", (string(name),))) for name in ("cc", "bcc")]
    return close(allof(mine, alone, *others), "a comma in a name counts as a second address")


def said_of_contact(condition: ContactCondition, setting: Setting) -> Said:
    """What the sender is to the owner: the address book as it is now."""
    return joined([_contact(value, setting) for value in dict.fromkeys(condition.values)], anyof)


def _contact(value: str, setting: Setting) -> Said:
    if value == "first":
        return _first(setting)
    if len(setting.contacts) > _MOST_CONTACTS:
        return no(f"the address book has more than {_MOST_CONTACTS:,} addresses")
    known = FALSE
    if setting.contacts:
        known = compared("address", ":is", sorted(setting.contacts), of=("from",))
    return close(known if value == "known" else not_(known), "the address book is as of now")


def _first(setting: Setting) -> Said:
    if not (setting.can("duplicate") and setting.can("variables")):
        return no("who has written before is known here alone")
    why = "senders count from the day on which the script is put there, for a year"
    return close(Test("string", (Tag(":is"), reference(FIRST), string(_IS_FIRST))), why)


def first_decided() -> Command:
    """The command that sets the variable of first senders (RFC 7352), for every message: a sender
    counts as one who has written before, whatever else a rule asks of that mail.
    """
    arguments = (Tag(":uniqueid"), reference(SENDER), Tag(":seconds"), Number(31_536_000))
    known = Test("duplicate", arguments)
    return if_(not_(known), (Command("set", (string(FIRST), string(_IS_FIRST))),))
