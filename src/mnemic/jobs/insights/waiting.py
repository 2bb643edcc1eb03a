"""Groups of mail in the inbox: of one list, of one sender, of the machines of one domain."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from datetime import datetime
from functools import cache

from sqlmodel import Session

from mnemic.core.canonical import canonical_address
from mnemic.core.folding import fold
from mnemic.core.proposals import Trait, WaitingGroup
from mnemic.core.proposals.message_set import MessageSet, set_of
from mnemic.jobs.insights.learnt_mail import MailboxMail
from mnemic.store.mail.inbox_reading import InboxMessage, inbox_messages

__all__ = ["waiting_groups"]

_DAY = 86_400

#: Mail is looked at over so many days; unread for so many it waits.
_LATELY, _LATE = 30, 14

#: A smaller group can't be one that waits: nothing is asked of the mail for it.
_FEW = 30


_MACHINES = [
    condition
    for condition in [Trait("kind", "", "is", "notification").condition]
    if condition is not None
]


def _groups(messages: Iterable[InboxMessage]) -> dict[Trait, list[InboxMessage]]:
    groups: dict[Trait, list[InboxMessage]] = defaultdict(list)
    by_domain: dict[str, list[InboxMessage]] = defaultdict(list)
    canonical = cache(canonical_address)
    for message in messages:
        if message.list_id:
            groups[Trait("list", "", "is", fold(message.list_id))].append(message)
        sender = canonical(message.sender)
        domain = sender.rpartition("@")[2]
        if domain:
            groups[Trait("from", "address", "is", sender)].append(message)
            by_domain[domain].append(message)
    for domain, its in by_domain.items():
        if all(message.kind == "notification" for message in its):
            groups[Trait("from", "domain", "is", domain)] = its
    return groups


def _folder(trait: Trait, messages: list[InboxMessage]) -> str:
    """A name for the group's folder: what its newest message calls it, on one level."""
    name = messages[-1].sender_name
    if trait.field == "list":
        name = trait.value.partition(".")[0]
    elif trait.part == "domain":
        name = trait.value
    name = " ".join((name or trait.value).replace("/", " ").split())[:60].strip()
    return name[:1].upper() + name[1:]


def _set(messages: Iterable[InboxMessage], test: Callable[[InboxMessage], bool]) -> MessageSet:
    return set_of(message.id for message in messages if test(message))


def waiting_groups(session: Session, mail: MailboxMail, now: datetime) -> Iterator[WaitingGroup]:
    """Every group that waits."""
    moment = int(now.timestamp())

    def late(message: InboxMessage) -> bool:
        until = message.received_at + _LATE * _DAY
        return until <= moment and (message.read_at is None or message.read_at > until)

    def soon(message: InboxMessage) -> bool:
        return message.read_at is not None and message.read_at <= message.received_at + _DAY

    messages = inbox_messages(session, since=moment - _LATELY * _DAY, least=_FEW)
    for trait, its in _groups(messages).items():
        condition = trait.condition if len(its) >= _FEW else None
        if condition is None:
            continue
        group = WaitingGroup(
            condition=condition,
            folder=_folder(trait, its),
            taken=0,
            inbox=_set(its, lambda _: True),
            lately=_set(its, lambda each: each.received_at > moment - _LATELY * _DAY),
            older=_set(its, lambda each: each.received_at <= moment - _LATE * _DAY),
            late=_set(its, late),
            soon=_set(its, soon),
        )
        if not group.waits:  # nothing more is asked of the mail
            continue
        taken, machines = mail.holding([condition, *_MACHINES])
        if trait.part != "domain" or taken & ~machines == 0:
            yield replace(group, taken=taken)
