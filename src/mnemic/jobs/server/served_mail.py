"""Mail that its server sorted by our script: what was done, as the core says why, and the rest."""

from collections.abc import Iterable, Iterator, Set
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import TypeVar

from sqlmodel import Session

from mnemic.core import Outcome, ParsedMessage
from mnemic.core.acting import ActionTrail
from mnemic.core.actions import BaseAction, ForwardAction, NotifyAction, ReplyAction
from mnemic.core.actions.effect import CopyTo, Label, MoveTo, SetColumn
from mnemic.core.canonical import canonical_name, canonical_path
from mnemic.core.sieve import HELD_BACK
from mnemic.core.wording import spoken_path
from mnemic.jobs.intake.arrival import Arrival, Coming, Intake, Landed
from mnemic.jobs.shared.destinations import path_of
from mnemic.jobs.shared.rule_effects import RuleEffects, effects_of, trail_rows
from mnemic.store.journal.changes import SlotChange, record_changes, record_copy
from mnemic.store.journal.runs import count_in_run
from mnemic.store.journal.trail import add_rows
from mnemic.store.line.rules import StandingLine, StoredRule, standing_line
from mnemic.store.mail.folders import folder_at, folder_paths, folder_with_role
from mnemic.store.mail.labels import ensure_label
from mnemic.store.server.server_scripts import ServerScript

__all__ = ["SORTED_THERE", "ServedIntake", "ServedLine", "served_line"]

#: What the history says of mail that a server sorted by the rules it was given.
SORTED_THERE = "Sorted by the server as it came in"

#: What scripts say of a message's state; colours and importance are kept here alone.
_SAID_THERE = ("seen", "flagged")


@dataclass(frozen=True, slots=True)
class ServedLine:
    """A line of which some rules run on a server: by their places, and as they were put there."""

    line: StandingLine
    there: frozenset[int]

    def folders(self, session: Session, mailbox_id: int) -> set[int]:
        """The folders into which the server may sort, as far as they are there."""
        paths = [HELD_BACK]
        for position in self.there:
            for action in self.line.rules[position].then:
                effect = action.effect("arrival")
                if isinstance(effect, MoveTo):
                    paths.append(path_of(session, effect))
                elif isinstance(effect, CopyTo):
                    paths.append(effect.path)
        found = (folder_at(session, path, mailbox_id) for path in paths)
        return {folder for folder in found if folder is not None}


def served_line(session: Session, script: ServerScript) -> ServedLine:
    """The line as it stands, but for the rules that run there: those are as they were put."""
    put = {each.id: StoredRule(each.id, each.rule) for each in script.rules}
    stored = []
    for each in standing_line(session).stored:
        as_put = put.pop(each.id, each)
        stored.append(each if as_put == each else as_put)
    stored = [*put.values(), *stored]  # what was deleted since still runs there
    ids = {each.id for each in script.rules}
    there = frozenset(at for at, each in enumerate(stored) if each.id in ids)
    return ServedLine(StandingLine(tuple(stored)), there)


@dataclass(frozen=True, slots=True)
class _Found:
    """How a message was found on its server: its folder's path, its marks and its labels."""

    path: str
    in_inbox: bool
    seen: bool
    flagged: bool
    labels: frozenset[str]

    def lies_in(self, path: str) -> bool:
        """Whether that is its folder."""
        return canonical_path(self.path) == canonical_path(path)

    def otherwise(self, session: Session, action: BaseAction) -> str | None:
        """Why an action was not done there; None where it was, or is not for the server to do."""
        effect = action.effect("arrival")
        match effect:
            case MoveTo(role="erased"):
                if self.lies_in(HELD_BACK):
                    return f"the server holds it back in {spoken_path(HELD_BACK)}"
                return self._lies_elsewhere()
            case MoveTo():
                if not self.lies_in(path_of(session, effect)):
                    return self._lies_elsewhere()
            case SetColumn() if effect.column in _SAID_THERE:
                if getattr(self, effect.column) != effect.value:
                    return "the server did not"
            case Label():
                if (canonical_name(effect.name) in self.labels) != effect.put:
                    return "the server did not"
        return None

    def _lies_elsewhere(self) -> str:
        if self.in_inbox:
            return "the server left it in the inbox"
        return f"the server put it in {spoken_path(self.path)}"


class ServedIntake(Intake):
    """Takes in mail that a server sorted by our script; what it can't say is done here."""

    def __init__(
        self,
        session: Session,
        now: datetime,
        served: ServedLine,
        *,
        runs: dict[tuple[str, date], int],
    ) -> None:
        """Of a line of which some rules ran there."""
        super().__init__(session, now, list(served.line.stored), runs=runs)
        self._there = served.there
        self._here = frozenset(range(len(served.line.stored))) - served.there

    def take_in_served(
        self,
        message: ParsedMessage,
        *,
        received: datetime,
        seen: bool,
        flagged: bool,
        at: datetime,
        landed: Landed,
    ) -> Arrival:
        """Keep one message as it lies there, and note which rule of ours the server followed.

        Rules that ran there don't run again. In the inbox those that stay here run after it.
        """
        session, moment = self._session, int(at.timestamp())
        inbox = folder_with_role(session, "inbox", landed.mailbox_id)
        came = Coming(
            message.received_at(received),
            landed.account,
            "arrival",
            {"folder_id": inbox, "seen": False, "flagged": False},
            landed.mailbox_id,
        )
        lies = replace(
            came,
            unsorted={"folder_id": landed.folder_id, "seen": seen, "flagged": flagged},
            labels=landed.labels,
        )
        found = _Found(
            folder_paths(session)[landed.folder_id],
            landed.folder_id == inbox,
            seen,
            flagged,
            frozenset(map(canonical_name, landed.labels)),
        )
        outcome = self._compared(self._decide(came, received), found)
        there = self._effects(outcome, found, self._there)
        copier = None if there.place else _copier(there, found)
        if copier is not None:
            message_id, _ = self._keep(lies, None, received, moment)
            self._note_copy(message_id, landed.folder_id, copier, moment)
            return Arrival(message_id, ())
        here = self._effects(outcome, found, self._here if found.in_inbox else frozenset())
        here.slots += [slot for slot in there.slots if slot[0] not in _SAID_THERE]
        message_id, values = self._keep(lies, here, received, moment)
        self._note_served(message_id, there, came, lies, moment)
        self._sort(message_id, here, lies, values, moment)
        if found.in_inbox:
            self._send(lies, self._sent_here(outcome), message_id, moment)
        add_rows(session, self._rows(message_id, outcome, there, here, found, moment))
        acted = self._there | self._here if found.in_inbox else self._there
        sounds = [each.sound or "default" for each in _done(outcome, acted, NotifyAction)]
        rules = tuple(frame.name for frame in (*there.frames, *here.frames))
        return Arrival(message_id, rules, tuple(dict.fromkeys(sounds)))

    def _compared(self, outcome: Outcome, found: _Found) -> Outcome:
        """The outcome, in which what rules there have not done is held back."""
        trail = tuple(
            replace(rule, actions=tuple(self._as_found(rule.actions, found)))
            if rule.position in self._there
            else rule
            for rule in outcome.takers
        )
        return outcome._replace(trail=trail)

    def _as_found(self, actions: Iterable[ActionTrail], found: _Found) -> Iterator[ActionTrail]:
        for each in actions:
            if each.overruled_by is each.held_back is None:
                otherwise = found.otherwise(self._session, each.action)
                yield replace(each, held_back=otherwise)
            else:
                yield each

    def _effects(self, outcome: Outcome, found: _Found, acting: Set[int]) -> RuleEffects:
        """What rules at these places have done, or are to do."""
        effects = effects_of(
            self._session, outcome.takers, self._line.ids, "arrival", acting=acting
        )
        if found.lies_in(HELD_BACK):  # where the server puts what it is to erase
            for rule in outcome.takers:
                if rule.position in acting and any(map(_erases, rule.actions)):
                    effects.place = found.path, self._line.ids[rule.position]
        return effects

    def _note_copy(self, message_id: int, folder_id: int, rule_id: int, at: int) -> None:
        """Write down that a message is a copy that a rule has made there."""
        session, run_id = self._session, self._run_of_day(at, SORTED_THERE)
        erased = folder_with_role(session, "erased")
        record_copy(
            session, run_id, message_id, folder_id=folder_id, erased_id=erased, rule_id=rule_id
        )
        count_in_run(session, run_id, 1)

    def _note_served(
        self, message_id: int, there: RuleEffects, came: Coming, lies: Coming, at: int
    ) -> None:
        """Write down what rules did there: it can be undone as what is done here."""
        session, changes = self._session, []
        if there.place is not None:
            places = came.unsorted["folder_id"], lies.unsorted["folder_id"]
            changes.append(SlotChange("folder_id", *places, there.place[1]))
        for slot, value, owner in there.slots:
            if slot in _SAID_THERE:
                changes.append(SlotChange(slot, came.unsorted[slot], value, owner))
        for name, put, owner in there.labels:
            if put:
                changes.append(SlotChange("label", None, ensure_label(session, name), owner))
        changes = [each for each in changes if each.before != each.after]
        if changes:
            run_id = self._run_of_day(at, SORTED_THERE)
            record_changes(session, run_id, message_id, changes)
            count_in_run(session, run_id, 1)

    def _sent_here(self, outcome: Outcome) -> Outcome:
        """The outcome as far as its letters are written here: what leaves there never does."""
        there = {each.to for each in _done(outcome, self._there, ForwardAction)}
        left = {address for addresses in there for address in addresses}
        mine = {
            address
            for each in _done(outcome, self._here, ForwardAction)
            for address in each.to
            if address not in left
        }
        answered = any(True for _ in _done(outcome, self._there, ReplyAction))
        answers = any(True for _ in _done(outcome, self._here, ReplyAction))
        return outcome._replace(
            trail=tuple(rule for rule in outcome.takers if rule.position in self._here),
            forward=tuple(each for each in outcome.forward if each in mine),
            reply=answers and not answered,
        )

    def _rows(
        self,
        message_id: int,
        outcome: Outcome,
        there: RuleEffects,
        here: RuleEffects,
        found: _Found,
        at: int,
    ) -> Iterator[tuple[object, ...]]:
        """The trail: what the server did as which rules say, then what was done here after it."""
        for row in trail_rows(message_id, outcome, there, "arrival", at):
            yield (*row[:3], "server", *row[4:])
        yield from trail_rows(message_id, outcome, here, "arrival", at)
        placed = any(
            isinstance(action.action.effect("arrival"), MoveTo)
            for rule in outcome.takers
            if rule.position in self._there
            for action in rule.actions
            if action.overruled_by is None
        )
        if not placed and not found.in_inbox:  # no rule says so
            yield (message_id, None, "", "server", at, found.path, "[]", "[]", "[]")


_Kind = TypeVar("_Kind", bound=BaseAction)


def _done(outcome: Outcome, acting: Set[int], kind: type[_Kind]) -> Iterator[_Kind]:
    """The actions of a kind that rules at these places do."""
    for rule in outcome.takers:
        if rule.position in acting:
            for each in rule.actions:
                if each.overruled_by is each.held_back is None and isinstance(each.action, kind):
                    yield each.action


def _erases(each: ActionTrail) -> bool:
    return each.overruled_by is None and each.action.effect("arrival") == MoveTo("erased")


def _copier(effects: RuleEffects, found: _Found) -> int | None:
    """The rule that copied the message to where it lies; None where none did."""
    return next((rule for path, rule in effects.copies if found.lies_in(path)), None)
