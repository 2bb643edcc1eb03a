"""What a catch-up would do, counted on arrays: told beforehand, and nothing happens.

Messages that the same rules take are counted together: what rules do depends on nothing else, and
whether it changes a message on where it is and what it bears. The same as the catch-up then does,
message by message (``jobs.catch_up.passing``); a property test holds the two equal.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray
from sqlmodel import Session

from mnemic.core import Rule
from mnemic.core.evaluation.outcome import acted_rules
from mnemic.jobs.catch_up.passing import CatchUpReport
from mnemic.jobs.catch_up.planning import CatchUpPlan, PassedLine, asked_about, passed_line
from mnemic.jobs.shared.circumstances import MailboxCircumstances
from mnemic.jobs.shared.large_moves import LargeMove, question_about
from mnemic.jobs.shared.misses import Misses, taken_by_rule
from mnemic.jobs.shared.rule_effects import RuleEffects, effects_of
from mnemic.store.conditions_sql.ids import Ids, spans
from mnemic.store.line.rule_work import left_to_hands
from mnemic.store.mail.folders import (
    Role,
    folders_at,
    folders_with_role,
    mailboxes_of_folders,
)
from mnemic.store.mail.labels import label_called
from mnemic.store.mail.listing import count_messages
from mnemic.store.search.masks import IdRange, Mask, Masks

__all__ = ["preview_catch_up", "question_before"]

#: The messages of a range that each rule takes, in the order of the line.
_Taken: TypeAlias = NDArray[np.bool_]

#: The id of a folder or label that is still to be made.
_NONE_YET = 0


def preview_catch_up(
    session: Session,
    plan: CatchUpPlan,
    *,
    now: datetime,
    check: Callable[[], None] = lambda: None,
) -> tuple[int, CatchUpReport]:
    """How many messages are asked about, and exactly what would happen; nothing happens.

    ``check`` is called now and then; what it raises ends the work. Raises NothingToDoError where
    none of the rules is there.
    """
    line = passed_line(session, plan)
    masks = Masks(session, MailboxCircumstances(session, now).of(now), check)
    asked = asked_about(session, plan, masks)
    preview = _Preview(session, line, masks, respects=plan.respects)
    for id_range in spans(masks.top):
        check()
        preview.add(id_range, asked[id_range.low : id_range.high])
    return int(asked.sum()), preview.report


def passing(taken: _Taken, rules: Sequence[Rule]) -> _Taken:
    """The messages that rules take by themselves and that no rule above has stopped."""
    passed = taken.copy()
    left = np.ones(taken.shape[1], np.bool_)
    for at, rule in enumerate(rules):
        passed[at] &= left
        if rule.stop:
            left &= ~passed[at]
    return passed


def _alike(taken: _Taken) -> Iterator[tuple[tuple[int, ...], NDArray[np.intp]]]:
    """The messages that some rule takes, together with those that the very same rules take."""
    some = np.flatnonzero(taken.any(axis=0))
    if not some.size:
        return
    packed = np.ascontiguousarray(np.packbits(taken[:, some], axis=0).T)
    whole = packed.view(np.dtype((np.void, packed.shape[1]))).ravel()
    _, first, group = np.unique(whole, return_index=True, return_inverse=True)
    order = np.argsort(group, kind="stable")
    ends = np.cumsum(np.bincount(group))
    for number, members in enumerate(np.split(order, ends[:-1])):
        rules = np.flatnonzero(taken[:, some[first[number]]])
        yield tuple(rules.tolist()), some[members]


@dataclass(frozen=True, slots=True)
class _Changing:
    """Which messages of a range change, and how."""

    moved: Mask
    labelled: Mask
    marked: Mask
    copied: Mask

    @property
    def changed(self) -> Mask:
        return self.moved | self.labelled | self.marked | self.copied


class _Preview:
    """Counts, range by range, what rules would do."""

    def __init__(self, session: Session, line: PassedLine, masks: Masks, *, respects: bool) -> None:
        self._session, self._masks = session, masks
        self._rules = [stored.rule for stored in line.rules]
        self._ids = dict(enumerate(stored.id for stored in line.rules))
        self._acting = frozenset(at for at, key in self._ids.items() if key in line.chosen)
        self._guarded = self._left_to_hands() if respects else {}
        self._inboxes = folders_with_role(session, "inbox")
        self._mailboxes = mailboxes_of_folders(session)
        self._effects: dict[tuple[int, ...], RuleEffects] = {}
        self._bearers: dict[str, Mask] = {}
        self.report = CatchUpReport()

    def _left_to_hands(self) -> dict[int, Mask]:
        """The messages that each acting rule leaves alone, by the rule's place."""
        places = {self._ids[at]: at for at in self._acting}
        masks: dict[int, Mask] = {}
        for rule_id, messages in left_to_hands(self._session, places).items():
            mask = masks[places[rule_id]] = np.zeros(self._masks.top + 1, np.bool_)
            mask[messages] = True
        return masks

    def add(self, id_range: IdRange, asked: Mask) -> None:
        """Count the messages of a range that are asked about."""
        taken = np.stack([self._taken(rule, id_range) & asked for rule in self._rules])
        for_some = taken[sorted(self._acting)].any(axis=0)
        taken &= for_some  # of other mail nothing is told
        passed = passing(taken, self._rules)
        if self._guarded:
            for at, by_hand in self._guarded.items():
                taken[at] &= ~by_hand[id_range.low + 1 : id_range.high + 1]
            self.report.respected += int((passed & ~taken).any(axis=0).sum())
            passed = passing(taken, self._rules)
        stopped = self._stopped(taken, passed)
        for rules, members in _alike(passed):
            self._count(rules, members + id_range.low + 1, stopped[members])

    def _taken(self, rule: Rule, id_range: IdRange) -> Mask:
        misses = Misses.within(self._masks, id_range)  # for each rule alone: it remembers all
        return taken_by_rule(self._session, self._masks, misses, rule, id_range)

    def _stopped(self, taken: _Taken, passed: _Taken) -> Mask:
        """The messages that a rule which does not act keeps from one below which does."""
        stopped = np.zeros(taken.shape[1], np.bool_)
        stoppers = [at for at, rule in enumerate(self._rules) if rule.stop]
        if self._acting.issuperset(stoppers):
            return stopped
        acting = sorted(self._acting)
        alone = passing(taken[acting], [self._rules[at] for at in acting])
        for at in stoppers:
            below = [row for row, place in enumerate(acting) if place > at]
            if at not in self._acting and below:
                stopped |= passed[at] & alone[below].any(axis=0)
        return stopped

    def _effects_of(self, rules: tuple[int, ...]) -> RuleEffects:
        effects = self._effects.get(rules)
        if effects is None:
            acted = acted_rules([(at, self._rules[at]) for at in rules])
            effects = effects_of(self._session, acted, self._ids, "hand", self._acting)
            self._effects[rules] = effects
        return effects

    def _count(self, rules: tuple[int, ...], ids: Ids, stopped: Mask) -> None:
        """Count messages that the same rules take."""
        report, effects = self.report, self._effects_of(rules)
        self._leave(rules, effects, ids.size, int(stopped.sum()))
        if not effects.frames:
            return
        report.taken += ids.size
        report.count_takers(effects, ids.size)
        changing = self._changing(effects, ids)
        changed = changing.changed
        report.changed += int(changed.sum())
        report.moved += int(changing.moved.sum())
        report.labelled += int(changing.labelled.sum())
        report.marked += int(changing.marked.sum())
        if not effects.left:
            report.unchanged += int((~changed & ~stopped).sum())
        if effects.place is not None and changing.moved.any():
            from_inbox = changing.moved & np.isin(self._masks.folder_of[ids], self._inboxes)
            report.out_of_inbox += int(from_inbox.sum())
            folders, counts = np.unique(
                self._masks.folder_of[ids][changing.moved], return_counts=True
            )
            for folder, count in zip(folders.tolist(), counts.tolist(), strict=True):
                report.count_moved(self._mailboxes[folder], effects.place[0], count)

    def _leave(
        self, rules: tuple[int, ...], effects: RuleEffects, messages: int, stopped: int
    ) -> None:
        left = dict.fromkeys(effects.left, messages)
        if stopped:
            left.setdefault(self._ids[rules[-1]], stopped)
        for rule_id, count in left.items():
            self.report.left[rule_id] = self.report.left.get(rule_id, 0) + count

    def _changing(self, effects: RuleEffects, ids: Ids) -> _Changing:
        masks, everything = self._masks, IdRange(0, self._masks.top)
        moved, labelled, marked, copied = np.zeros((4, ids.size), np.bool_)
        if effects.place is not None:
            there = folders_at(self._session, effects.place[0])
            moved |= ~np.isin(masks.folder_of[ids], there)
        for column, value, _ in effects.slots:
            marked |= ~masks.with_value(column, value, everything)[ids - 1]
        for name, put, _ in effects.labels:
            labelled |= self._bearing(name)[ids - 1] != put
        for path, _ in effects.copies:
            there = folders_at(self._session, path)
            copied |= ~masks.copied_to(there, everything)[ids - 1]
        return _Changing(moved, labelled, marked, copied)

    def _bearing(self, name: str) -> Mask:
        """The messages, of all, that bear a label; asked for once with each group of rules."""
        mask = self._bearers.get(name)
        if mask is None:
            label = label_called(self._session, name) or _NONE_YET
            mask = self._masks.labelled(label, IdRange(0, self._masks.top))
            self._bearers[name] = mask
        return mask


def question_before(session: Session, report: CatchUpReport) -> str | None:
    """What is asked before a catch-up that would do this; None where it moves little."""

    def going_to(role: Role) -> int:
        special = set(folders_with_role(session, role))
        return sum(
            n for path, n in report.places.items() if special & set(folders_at(session, path))
        )

    move = LargeMove(
        to_trash=going_to("trash"),
        erased=going_to("erased"),
        out_of_inbox=report.out_of_inbox,
        all_mail=count_messages(session),
    )
    return question_about(move)
