"""The order check: what logic finds in the line, confirmed on the mailbox, and what mail shows."""

from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.actions.effect import MoveTo, needed_for
from mnemic.core.analysis.order_check import LogicFinding, check_line, takes_apart
from mnemic.core.canonical import canonical_path
from mnemic.core.rules import named_places
from mnemic.core.text.folding import fold
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.misses import Misses
from mnemic.store.line.rule_work import put_back_by_hand
from mnemic.store.line.rules import StoredRule, list_rules
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.labels import label_names
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["Finding", "RemedyKind", "check_order"]

FindingKind: TypeAlias = Literal[
    "takes_nothing", "never_acts", "duplicate", "conflict", "gone", "put_back"
]
RemedyKind: TypeAlias = Literal["move_above", "add_exception", "merge", "switch_off", "make_places"]

#: Places in the line, by message; where no rule is meant, ``_NOBODY``.
Places: TypeAlias = NDArray[np.int32]
_NOBODY = -1

#: Messages shown of a finding.
_SHOWN = 3

#: A rule whose work was put back more often than this in 30 days may be wrong.
_PUT_BACK, _PUT_BACK_DAYS = 2, 30


@dataclass(frozen=True, slots=True)
class Finding:
    """Something about a rule's place in the line.

    ``by`` are the ids of the rules it is about besides, ``messages`` how many of the mailbox are
    concerned, ``newest`` the ids of the newest of them, ``remedies`` what would mend it.
    """

    kind: FindingKind
    rule_id: int
    by: tuple[int, ...]
    saying: str
    messages: int
    newest: tuple[int, ...]
    remedies: tuple[RemedyKind, ...]


def _place(rule: Rule) -> Hashable | None:
    """Where a rule puts mail, so that two that say the same are equal."""
    for action in rule.then:
        effect = action.effect("arrival")
        if isinstance(effect, MoveTo):
            return canonical_path(effect.path) if effect.role is None else effect.role
    return None


class _Mail:
    """Which messages of the mailbox each rule takes: eight to an octet, since rules may be many."""

    def __init__(
        self,
        session: Session,
        line: Sequence[StoredRule],
        now: datetime,
        check: Callable[[], None],
    ) -> None:
        masks = Masks(session, MailboxCircumstances(session, now).of(now), check)
        id_range = IdRange(0, masks.top)
        there, self._size = masks.there(id_range), id_range.size
        self._taken: list[NDArray[np.uint8]] = []
        for stored in line:
            check()
            taken = Misses.within(masks, id_range).takes(stored.rule) & there
            self._taken.append(np.packbits(taken))

    def taken(self, at: int) -> Mask:
        """The messages that the rule at a place of the line takes."""
        return np.unpackbits(self._taken[at], count=self._size).view(np.bool_)

    @staticmethod
    def newest(mask: Mask) -> tuple[int, ...]:
        """The newest by their ids."""
        return tuple((np.flatnonzero(mask)[::-1][:_SHOWN] + 1).tolist())


def check_order(
    session: Session, *, now: datetime, check: Callable[[], None] = lambda: None
) -> list[Finding]:
    """Everything there is to say of the line as it stands, from top to bottom.

    ``check`` is called now and then; what it raises ends the work.
    """
    line = list_rules(session)
    mail = _Mail(session, line, now, check)
    logic = check_line([rule.rule for rule in line])
    findings = [_of_logic(line, mail, finding) for finding in logic]
    told_by_logic = {finding.position for finding in logic}
    findings += _conflicts(line, mail, told_by_logic)
    findings += _gone(session, line)
    findings += _put_back(session, line, now)
    order = {stored.id: at for at, stored in enumerate(line)}
    return sorted(findings, key=lambda finding: order[finding.rule_id])


def _named(rules: Sequence[StoredRule]) -> str:
    return " and ".join(f"“{stored.rule.name}”" for stored in rules)


_REMEDIES: dict[str, tuple[RemedyKind, ...]] = {
    "takes_nothing": ("switch_off",),
    "never_acts": ("move_above", "switch_off"),
    "duplicate": ("merge", "switch_off"),
}


def _of_logic(line: Sequence[StoredRule], mail: _Mail, finding: LogicFinding) -> Finding:
    by = [line[at] for at in finding.by]
    if finding.kind == "takes_nothing":
        saying = "Can never take anything: its conditions contradict each other"
    elif finding.kind == "duplicate":
        saying = f"Says the same as {_named(by)}, above"
    elif all(stored.rule.stop for stored in by):
        saying = f"Never acts: {_named(by)}, above, stops all of its mail"
    else:
        saying = f"Never acts: {_named(by)}, above, always does instead what it would do"
    taken = mail.taken(finding.position)
    return Finding(
        finding.kind,
        line[finding.position].id,
        tuple(stored.id for stored in by),
        saying,
        int(taken.sum()),
        mail.newest(taken),
        _REMEDIES[finding.kind],
    )


def _conflicts(
    line: Sequence[StoredRule], mail: _Mail, told_by_logic: set[int]
) -> Iterator[Finding]:
    """Rules that want mail elsewhere than the rule above that places it first."""
    placed_by: Places | None = None  # for each message, the rule that is the first to place it
    left: Mask | None = None
    for at, stored in enumerate(line):
        rule = stored.rule
        if not rule.enabled or "arrival" not in rule.runs:
            continue
        taken = mail.taken(at)
        if left is None or placed_by is None:
            left, placed_by = np.ones_like(taken), np.full(taken.shape, _NOBODY, np.int32)
        if _place(rule) is not None:
            if at not in told_by_logic:
                yield from _against(line, at, np.flatnonzero(taken), placed_by)
            placed_by[taken & left] = at
            left = left & ~taken
        if rule.stop:
            left = left & ~taken


def _against(
    line: Sequence[StoredRule], at: int, mine: NDArray[np.intp], placed_by: Places
) -> Iterator[Finding]:
    """The rules above that place messages of this one, which are at the places ``mine``."""
    stored, placers = line[at], placed_by[mine]
    for before in np.unique(placers[placers != _NOBODY]).tolist():
        above = line[before]
        if _place(above.rule) == _place(stored.rule) or not _same_accounts(above, stored):
            continue
        if takes_apart(above.rule, stored.rule):
            continue
        both = mine[placers == before]
        count = both.size
        these = "one of its messages" if count == 1 else f"{count:,} of its messages"
        yield Finding(
            "conflict",
            stored.id,
            (above.id,),
            f"{_named([above])}, above, wants {these}, too, and wins",
            count,
            tuple((both[::-1][:_SHOWN] + 1).tolist()),
            ("move_above", "add_exception"),
        )


def _same_accounts(one: StoredRule, other: StoredRule) -> bool:
    mine, theirs = set(one.rule.accounts), set(other.rule.accounts)
    return not mine or not theirs or bool(mine & theirs)


def _put_back(session: Session, line: Sequence[StoredRule], now: datetime) -> Iterator[Finding]:
    since = read_preferences(session).midnights(int(now.timestamp()), _PUT_BACK_DAYS)[0]
    put_back = put_back_by_hand(session, since)
    for stored in line:
        messages = put_back.get(stored.id, [])
        if stored.rule.enabled and len(messages) > _PUT_BACK:
            times = f"{len(messages):,} times in {_PUT_BACK_DAYS} days"
            saying = f"Put back {times}: it may take too much"
            newest = tuple(messages[: 2 * _SHOWN])
            yield Finding("put_back", stored.id, (), saying, len(messages), newest, ("switch_off",))


def _missing(rule: Rule, folders: set[str], labels: set[str]) -> Iterator[str]:
    for action in rule.then:
        needed = needed_for(action.effect("arrival"))
        there = folders if needed is not None and needed.what == "folder" else labels
        if needed is not None and fold(needed.name) not in there:
            yield f"{needed.what} “{needed.name}”"
    for test in (rule.when, rule.unless):
        yield from (f"folder “{n}”" for n in named_places(test, "folder") if fold(n) not in folders)
        yield from (f"label “{n}”" for n in named_places(test, "label") if fold(n) not in labels)


def _gone(session: Session, line: Sequence[StoredRule]) -> Iterator[Finding]:
    folders = set(map(fold, folder_paths(session).values()))
    labels = set(map(fold, label_names(session).values()))
    for stored in line:
        missing = list(dict.fromkeys(_missing(stored.rule, folders, labels)))
        if stored.rule.enabled and missing:
            verb = "is" if len(missing) == 1 else "are"
            saying = f"Its {' and '.join(missing)} {verb} gone"
            remedies: tuple[RemedyKind, ...] = ("make_places", "switch_off")
            yield Finding("gone", stored.id, (), saying, 0, (), remedies)
