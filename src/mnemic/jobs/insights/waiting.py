"""Groups of mail in the inbox: of one list, of one sender, of the machines of one domain."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from datetime import datetime
from functools import cache

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core.canonical import canonical_address
from mnemic.core.proposals import Trait, WaitingGroup
from mnemic.core.proposals.message_set import MessageSet
from mnemic.core.text.folding import fold
from mnemic.jobs.insights.learnt_mail import MailboxMail
from mnemic.store.mail.inbox_reading import InboxMessage, inbox_messages

__all__ = ["waiting_groups"]

_DAY = 86_400

#: Mail is looked at over so many days; unread for so many it waits.
_LATELY, _LATE = 30, 14

#: Later than anybody reads.
_NEVER = 2**62

#: A smaller group can't be one that waits: nothing is asked of the mail for it.
_FEW = 30


_MACHINES = [
    condition
    for condition in [Trait("kind", "", "is", "notification").condition]
    if condition is not None
]


def _groups(messages: Iterable[InboxMessage]) -> dict[Trait, list[int]]:
    """The places of messages among all of them, by what they have in common."""
    groups: dict[Trait, list[int]] = defaultdict(list)
    by_domain: dict[str, list[int]] = defaultdict(list)
    with_others: set[str] = set()
    canonical = cache(canonical_address)
    for place, message in enumerate(messages):
        if message.list_id:
            groups[Trait("list", "", "is", fold(message.list_id))].append(place)
        sender = canonical(message.sender)
        domain = sender.rpartition("@")[2]
        if domain:
            groups[Trait("from", "address", "is", sender)].append(place)
            by_domain[domain].append(place)
            if message.kind != "notification":
                with_others.add(domain)
    for domain, places in by_domain.items():
        if domain not in with_others:
            groups[Trait("from", "domain", "is", domain)] = places
    return groups


def _folder(trait: Trait, newest: InboxMessage) -> str:
    """A name for the group's folder: what its newest message calls it, on one level."""
    name = newest.sender_name
    if trait.field == "list":
        name = trait.value.partition(".")[0]
    elif trait.part == "domain":
        name = trait.value
    name = " ".join((name or trait.value).replace("/", " ").split())[:60].strip()
    return name[:1].upper() + name[1:]


class _Times:
    """When the messages of the inbox came and were read, by their places."""

    def __init__(self, messages: Sequence[InboxMessage], moment: int) -> None:
        received = np.array([message.received_at for message in messages], np.int64)
        read = np.array(
            [_NEVER if message.read_at is None else message.read_at for message in messages],
            np.int64,
        )
        until = received + _LATE * _DAY
        self.lately = received > moment - _LATELY * _DAY
        self.older = until <= moment
        self.late = self.older & (read > until)
        self.soon = read <= received + _DAY


def waiting_groups(session: Session, mail: MailboxMail, now: datetime) -> Iterator[WaitingGroup]:
    """Every group that waits."""
    moment = int(now.timestamp())
    messages = inbox_messages(session, since=moment - _LATELY * _DAY, least=_FEW)
    ids, times = np.array([message.id for message in messages], np.int64), _Times(messages, moment)

    def those(places: NDArray[np.intp], among: NDArray[np.bool_]) -> MessageSet:
        return mail.set_of(ids[places[among[places]]])

    for trait, listed in _groups(messages).items():
        condition = trait.condition if len(listed) >= _FEW else None
        if condition is None:
            continue
        places = np.array(listed)
        group = WaitingGroup(
            condition=condition,
            folder=_folder(trait, messages[listed[-1]]),
            taken=0,
            inbox=mail.set_of(ids[places]),
            lately=those(places, times.lately),
            older=those(places, times.older),
            late=those(places, times.late),
            soon=those(places, times.soon),
        )
        if not group.waits:  # nothing more is asked of the mail
            continue
        taken, machines = mail.holding([condition, *_MACHINES])
        if trait.part != "domain" or taken & ~machines == 0:
            yield replace(group, taken=taken)
