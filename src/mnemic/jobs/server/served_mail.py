"""Mail that its server sorted by our script: what was done, as the core says why, and the rest."""

from collections.abc import Iterable, Iterator, Set
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import NamedTuple, TypeVar

from sqlmodel import Session

from mnemic.core import Outcome, ParsedMessage, Rule
from mnemic.core.actions import BaseAction, ForwardAction, NotifyAction, ReplyAction
from mnemic.core.actions.effect import CopyTo, Label, MoveTo, SetColumn
from mnemic.core.canonical import canonical_name, canonical_path
from mnemic.core.evaluation.acting import ActionTrail
from mnemic.core.evaluation.compiled import CompiledRules
from mnemic.core.evaluation.outcome import RuleTrail
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

    def as_there(self) -> CompiledRules | None:
        """The line as it runs there, without the others; None where no other runs on arrival."""
        rules = self.line.rules
        if all(at in self.there or not _arrives(rule) for at, rule in enumerate(rules)):
            return None
        off = {"enabled": False}
        alone = [
            rule if at in self.there else rule.model_copy(update=off)
            for at, rule in enumerate(rules)
        ]
        return CompiledRules(alone, "arrival")

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
        ids = (folder_at(session, path, mailbox_id) for path in paths)
        return {folder for folder in ids if folder is not None}


def _arrives(rule: Rule) -> bool:
    return rule.enabled and "arrival" in rule.runs


def served_line(session: Session, script: ServerScript) -> ServedLine:
    """The line as it stands, but for the rules that run there: those are as they were put."""
    put = {rule.id: StoredRule(rule.id, rule.rule) for rule in script.rules}
    stored = []
    for rule in standing_line(session).stored:
        as_put = put.pop(rule.id, rule)
        stored.append(rule if as_put == rule else as_put)
    stored = [*put.values(), *stored]  # what was deleted since still runs there
    ids = {rule.id for rule in script.rules}
    there = frozenset(at for at, rule in enumerate(stored) if rule.id in ids)
    return ServedLine(StandingLine(tuple(stored)), there)


@dataclass(frozen=True, slots=True)
class _PlaceThere:
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


class _Says(NamedTuple):
    """What the rules that ran there say, as far as it was done, and what the whole line says."""

    there: Outcome
    whole: Outcome


#: Why a rule did not act on a message that the server took from the inbox.
_RUNS_HERE = "it runs here, on what the server leaves in the inbox"


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
        """The intake for a line of which some rules ran there."""
        stored = served.line.stored
        super().__init__(session, now, list(stored), runs=runs)
        self._here = frozenset(range(len(stored))) - served.there
        self._there = served.there
        self._script = served.as_there()

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
        """Keep one message as it lies there, and note which rules of ours the server followed.

        Rules that ran there don't run again. In the inbox those that stay here run after it.
        """
        inbox = folder_with_role(self._session, "inbox", landed.mailbox_id)
        came = Coming(
            message.received_at(received),
            landed.account,
            "arrival",
            {"folder_id": inbox, "seen": False, "flagged": False},
            landed.mailbox_id,
        )
        marks = {"folder_id": landed.folder_id, "seen": seen, "flagged": flagged}
        lies = replace(came, unsorted=marks, labels=landed.labels)
        place = _PlaceThere(
            folder_paths(self._session)[landed.folder_id],
            landed.folder_id == inbox,
            seen,
            flagged,
            frozenset(map(canonical_name, landed.labels)),
        )
        return self._take(came, lies, place, received, int(at.timestamp()))

    def _take(
        self, came: Coming, lies: Coming, place: _PlaceThere, received: datetime, at: int
    ) -> Arrival:
        says = self._says(came, place, received)
        there = self._done_there(says, place)
        copier = None if there.place else _copier(there, place)
        if copier is not None:
            message_id, _ = self._keep(lies, None, received, at)
            self._note_copy(message_id, lies.unsorted["folder_id"], copier, at)
            return Arrival(message_id, ())
        here = self._to_do_here(says, there, place)
        message_id, values = self._keep(lies, here, received, at)
        self._note_served(message_id, there, came, lies, at)
        self._sort(message_id, here, lies, values, at)
        if place.in_inbox:
            self._send(lies, self._sent_here(says), message_id, at)
        add_rows(self._session, self._rows(message_id, says, there, place, at))
        heard = _done(says.whole if place.in_inbox else says.there, NotifyAction)
        sounds = dict.fromkeys(notice.sound or "default" for notice in heard)
        rules = tuple(frame.name for frame in (*there.frames, *here.frames))
        return Arrival(message_id, rules, tuple(sounds))

    def _says(self, came: Coming, place: _PlaceThere, received: datetime) -> _Says:
        whole = there = self._decide(came, received)
        if self._script is not None:
            there = self._script.explain(came.message, self._given(came, received))
        trail = tuple(
            replace(rule, actions=tuple(self._as_found(rule.actions, place)))
            for rule in there.takers
        )
        return _Says(there._replace(trail=trail), whole)

    def _as_found(
        self, actions: Iterable[ActionTrail], place: _PlaceThere
    ) -> Iterator[ActionTrail]:
        """What the server has not done is held back."""
        for action in actions:
            if action.overruled_by is action.held_back is None:
                yield replace(action, held_back=place.otherwise(self._session, action.action))
            else:
                yield action

    def _effects(self, outcome: Outcome, acting: Set[int] | None = None) -> RuleEffects:
        return effects_of(self._session, outcome.takers, self._line.ids, "arrival", acting)

    def _done_there(self, says: _Says, place: _PlaceThere) -> RuleEffects:
        """What the server has done, as our rules say."""
        effects = self._effects(says.there)
        if place.lies_in(HELD_BACK):  # where it puts what it is to erase
            erasing = (rule for rule in says.there.takers if any(map(_erases, rule.actions)))
            for rule in erasing:
                effects.place = place.path, self._line.ids[rule.position]
        return effects

    def _to_do_here(self, says: _Says, there: RuleEffects, place: _PlaceThere) -> RuleEffects:
        """What the rules that stay here do in the inbox; colours and importance anywhere."""
        effects, kept_here = RuleEffects(), there
        if place.in_inbox:
            effects = self._effects(says.whole, self._here)
            kept_here = self._effects(says.whole, self._there)
        effects.slots += [slot for slot in kept_here.slots if slot[0] not in _SAID_THERE]
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
        changes = [change for change in changes if change.before != change.after]
        if changes:
            run_id = self._run_of_day(at, SORTED_THERE)
            record_changes(session, run_id, message_id, changes)
            count_in_run(session, run_id, 1)

    def _sent_here(self, says: _Says) -> Outcome:
        """The outcome as far as its letters are written here: what leaves there never does."""
        mine = tuple(rule for rule in says.whole.takers if rule.position in self._here)
        whole = says.whole._replace(trail=mine)
        left = {to for forward in _done(says.there, ForwardAction) for to in forward.to}
        wanted = {to for forward in _done(whole, ForwardAction) for to in forward.to}
        answered = any(True for _ in _done(says.there, ReplyAction))
        return whole._replace(
            forward=tuple(to for to in whole.forward if to in wanted - left),
            reply=any(True for _ in _done(whole, ReplyAction)) and not answered,
        )

    def _rows(
        self, message_id: int, says: _Says, there: RuleEffects, place: _PlaceThere, at: int
    ) -> Iterator[tuple[object, ...]]:
        """The trail: what the server did as which rules say, then what those do that stay here."""
        for row in trail_rows(message_id, says.there, there, "arrival", at):
            yield (*row[:3], "server", *row[4:])
        whole = says.whole if place.in_inbox else _held_back(says.whole, _RUNS_HERE)
        here = self._effects(whole, self._here)
        yield from trail_rows(message_id, whole, here, "arrival", at)
        if not place.in_inbox and not any(map(_places, says.there.takers)):  # no rule says so
            yield (message_id, None, "", "server", at, place.path, "[]", "[]", "[]")


_Kind = TypeVar("_Kind", bound=BaseAction)


def _done(outcome: Outcome, kind: type[_Kind]) -> Iterator[_Kind]:
    """The actions of a kind that are done."""
    for rule in outcome.takers:
        for action in rule.actions:
            if action.overruled_by is action.held_back is None and isinstance(action.action, kind):
                yield action.action


def _held_back(outcome: Outcome, why: str) -> Outcome:
    """The outcome, of which nothing is done."""
    trail = tuple(
        replace(rule, actions=tuple(replace(action, held_back=why) for action in rule.actions))
        for rule in outcome.takers
    )
    return outcome._replace(trail=trail)


def _places(rule: RuleTrail) -> bool:
    """Whether a rule says where the message goes."""
    effects = (
        action.action.effect("arrival") for action in rule.actions if not action.overruled_by
    )
    return any(isinstance(effect, MoveTo) for effect in effects)


def _erases(trail: ActionTrail) -> bool:
    return trail.overruled_by is None and trail.action.effect("arrival") == MoveTo("erased")


def _copier(effects: RuleEffects, place: _PlaceThere) -> int | None:
    """The rule that copied the message to where it lies; None where none did."""
    return next((rule for path, rule in effects.copies if place.lies_in(path)), None)
