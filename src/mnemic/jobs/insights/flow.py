"""Where mail went: from what it came to, past the rules that took it, to where it lies."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core.search import quoted
from mnemic.jobs.insights.period import MailOfPeriod
from mnemic.store.line.rules import list_rules
from mnemic.store.line.rules_that_took import rules_that_took
from mnemic.store.mail.folders import folder_paths, folders_with_role, list_folders
from mnemic.store.mail.lists import lists_of_mail
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.search.masks import Mask

__all__ = ["Band", "End", "Flow", "flow_of"]

#: So many ends are drawn on a side; the others are gathered.
_MOST = 9

#: An end with a smaller share of the mail is gathered, too.
_THIN = 0.015

#: Rules that are named of a band.
_NAMED = 3


@dataclass(frozen=True, slots=True)
class End:
    """What mail came to, or where it lies: how it is called, and what to type into Find for it."""

    name: str
    search: str
    messages: int


@dataclass(frozen=True, slots=True)
class Band:
    """The mail between two ends, and the rules that took most of it, with how much each took."""

    source: int
    place: int
    messages: int
    search: str
    rules: tuple[tuple[str, int], ...]


@dataclass(frozen=True, slots=True)
class Flow:
    """The picture: its ends on both sides, and the bands between them.

    ``taken`` is how many of all ``messages`` a rule took.
    """

    messages: int
    taken: int
    sources: tuple[End, ...]
    places: tuple[End, ...]
    bands: tuple[Band, ...]


@dataclass(frozen=True)
class _Part:
    """An end with its messages."""

    name: str
    search: str
    mask: Mask

    @property
    def size(self) -> int:
        return int(self.mask.sum())


_KINDS = (
    ("notification", "by machine"),
    ("newsletter", "newsletters"),
    ("invitation", "invitations"),
    ("bounce", "undelivered"),
    ("auto_reply", "automatic answers"),
)


class _Ends:
    """The ends of one side: those that are large enough, and what gathers the rest."""

    def __init__(self, mail: MailOfPeriod) -> None:
        self._mail = mail
        self._least = max(1.0, _THIN * float(mail.all.sum()))
        self.parts: list[_Part] = []

    def _one_by_one(self, named: Sequence[tuple[str, str]], lead: str, apart: bool) -> list[_Part]:
        """Each end; where they are not ``apart``, without what an earlier one has."""
        parts, before = [], lead
        for name, search in named:
            own = search if apart else f"{before} {search}".strip()
            parts.append(_Part(name, own, self._mail.found(own) & self._mail.all))
            before = f"{before} -{search}".strip()
        return parts

    def add(
        self, named: Sequence[tuple[str, str]], rest: str, *, lead: str, apart: bool = False
    ) -> None:
        """Ends by one word of a search each; the rest is of the ``lead`` and of none of them.

        ``apart``: no message is of two of them, and all are of the lead.
        """
        parts = self._one_by_one(named, lead, apart)
        least = max(self._least, *sorted(part.size for part in parts)[-_MOST:][:1], 0)
        kept = [own for own, part in zip(named, parts, strict=True) if part.size >= least]
        self.parts += self._one_by_one(kept, lead, apart)
        others = " ".join(filter(None, [lead, *(f"-{search}" for _, search in kept)]))
        gathered = _Part(rest, others, self._mail.found(others) & self._mail.all)
        self.parts += [gathered] if gathered.size else []


def _sources(session: Session, mail: MailOfPeriod) -> list[_Part]:
    ends = _Ends(mail)
    kinds = [(name, f"kind:{kind}") for kind, name in _KINDS]
    ends.add(kinds, "other kinds", lead="-kind:personal -kind:discussion", apart=True)
    lists = [
        (f"{list_id.partition('.')[0]} list", f"list:{quoted(list_id)}")
        for list_id in lists_of_mail(session)
    ]
    ends.add(lists, "discussions", lead="kind:discussion")
    aliases = [
        (f"came to {alias.partition('@')[0]}@", f"to:{alias}")
        for account in list_accounts(session)
        for alias in account.aliases
    ]
    ends.add(aliases, "people, to you", lead="kind:personal")
    return ends.parts


def _places(session: Session, mail: MailOfPeriod) -> list[_Part]:
    counted = Counter(mail.masks.folder_of[np.flatnonzero(mail.all) + 1].tolist())
    folders = [folder for folder in list_folders(session) if counted[folder.id]]
    folders.sort(key=lambda folder: -counted[folder.id])
    inboxes = folders_with_role(session, "inbox")
    ends, inbox = _Ends(mail), f"folder:{quoted(folder_paths(session)[inboxes[0]])}"
    paths = dict.fromkeys(folder.path for folder in folders if folder.role != "inbox")
    named = [(path.replace("/", " / "), f"folder:{quoted(path)}") for path in paths]
    ends.add(named, "other folders", lead=f"-{inbox}", apart=True)
    ends.add([("Inbox, read", "state:read")], "Inbox, unread", lead=inbox)
    return ends.parts


def flow_of(session: Session, mail: MailOfPeriod) -> Flow:
    """The flow of the mail of a period."""
    sources, places = _sources(session, mail), _places(session, mail)
    took = _Took(session, mail)
    bands = tuple(_bands(mail, sources, places, took))
    return Flow(
        messages=int(mail.all.sum()),
        taken=took.messages,
        sources=tuple(_end(mail, part) for part in sources),
        places=tuple(_end(mail, part) for part in places),
        bands=bands,
    )


def _end(mail: MailOfPeriod, part: _Part) -> End:
    return End(part.name, f"{mail.search} {part.search}", part.size)


def _bands(
    mail: MailOfPeriod, sources: Sequence[_Part], places: Sequence[_Part], took: "_Took"
) -> Iterator[Band]:
    for one, source in enumerate(sources):
        for other, place in enumerate(places):
            both = source.mask & place.mask
            messages = int(both.sum())
            if messages:
                search = f"{mail.search} {source.search} {place.search}"
                yield Band(one, other, messages, search, took.most_of(both))


class _Took:
    """Which rules took which messages of the period."""

    def __init__(self, session: Session, mail: MailOfPeriod) -> None:
        self._names = {stored.id: stored.rule.name for stored in list_rules(session)}
        pairs = rules_that_took(session)
        self._messages: NDArray[np.int64] = pairs[:, 0]
        self._rules: NDArray[np.int64] = pairs[:, 1]
        known = np.zeros(mail.range.size + 1, np.bool_)
        known[self._messages[self._messages <= mail.range.size]] = True
        self.messages = int((known[1:] & mail.all).sum())

    def most_of(self, mask: Mask) -> tuple[tuple[str, int], ...]:
        """The rules that took most of some messages."""
        there = np.concatenate([np.zeros(1, np.bool_), mask])
        inside = self._messages < there.size
        rules = self._rules[inside][there[self._messages[inside]]]
        counted = Counter(rules.tolist()).most_common()
        named = ((self._names[rule], count) for rule, count in counted if rule in self._names)
        return tuple(named)[:_NAMED]
