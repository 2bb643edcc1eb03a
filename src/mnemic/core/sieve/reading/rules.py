"""Steps of a script as rules of a line, by what a script means.

In a line the first place wins and what comes later is overruled; in a script a second place is a
second copy. So a later place is a copy where an earlier one was reached. What would take the
message away counts only where nothing keeps it: it comes last, or before what stops.
"""

from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from mnemic.core.bounds import MOST_CONDITIONS, MOST_RULES
from mnemic.core.rules import AllGroup, Always, AnyGroup, AnyTest
from mnemic.core.sieve.reading.deeds import INBOX, Delivery, Done, action_of_flag, done_by
from mnemic.core.sieve.reading.flags import PutFlag, flags_put
from mnemic.core.sieve.reading.refusals import Notes, RefusedError
from mnemic.core.sieve.reading.steps import (
    TOO_MANY,
    Branch,
    Reached,
    Step,
    any_of,
    held_by,
    only_files,
)

__all__ = ["COPY_BY_NAME", "Made", "made_rules", "place_action"]

COPY_BY_NAME = "copies are put into the folder of that name, whichever the server uses for them"


@dataclass
class Made:
    """A rule that was made of a script, before it is checked as a whole."""

    at: int
    comments: tuple[str, ...]
    when: AnyTest
    unless: tuple[AnyTest, ...] = ()
    then: list[dict[str, Any]] = field(default_factory=list)
    stop: bool = False
    why: list[str] = field(default_factory=list)


def made_rules(
    steps: Sequence[Step], labels: Mapping[str, str]
) -> tuple[list[Made], list[RefusedError]]:
    """The rules of a script, and what of it no rule can say."""
    done = done_by(steps)
    if done.refused:
        return [], done.refused
    try:
        flags = list(flags_put(done, steps))
        return list(_Maker(steps, done, flags, labels).rules()), []
    except RefusedError as error:
        return [], [error]


class _Maker:
    def __init__(
        self,
        steps: Sequence[Step],
        done: Done,
        flags: Sequence[PutFlag],
        labels: Mapping[str, str],
    ) -> None:
        self._steps, self._done, self._labels = steps, done, labels
        self._put: dict[int, list[PutFlag]] = {}
        for put in flags:
            self._put.setdefault(put.step.place, []).append(put)
        self._placing: Reached[Step] = Reached()  # steps so far that set a place
        self._waiting: list[Step] = []  # steps so far that take the message away if none does
        self._sets = {put.flag.lower() for put in flags}
        self._filed: dict[int, list[Delivery]] = {}
        for delivery in done.deliveries:
            self._filed.setdefault(delivery.step.place, []).append(delivery)
        filing = {place for place, filed in self._filed.items() if any(not x.copy for x in filed)}
        self._keeping = [step for step in steps if step.stops or step.place in filing]
        self._removed = [change for change in done.flags if change.change == "remove"]

    def rules(self) -> Iterator[Made]:
        """The rules, in order."""
        count = 0
        for step in self._steps:
            for made in self._of_step(step):
                count += 1
                if count > MOST_RULES:
                    at = step.commands[0].at
                    raise RefusedError(at, f"comes to more than {MOST_RULES:,} rules; shorten it")
                yield made
        for step in self._waiting:
            yield self._made(step, [{"do": "erase"}])

    def _of_step(self, step: Step) -> Iterator[Made]:
        then: list[dict[str, Any]] = []
        deliveries = self._filed.get(step.place, [])
        places = [delivery for delivery in deliveries if not delivery.copy]
        before, actions = self._places(step, places)
        yield from before
        then += actions
        then += [self._copied(delivery) for delivery in deliveries if delivery.copy]
        for put in self._put.get(step.place, ()):
            action = action_of_flag(put.flag, self._labels, put=True)
            if put.unless:
                made = self._made(step, [action])
                made.unless = (*made.unless, *put.unless)
                yield made
            else:
                then.append(action)
        then += self._taken_off(step)
        then += self._done.sends.get(step.place, [])
        if step in self._done.cancels and not places:
            self._take_away(step, then)
        if step.stops:
            yield from self._before_stopping(step, sure=bool(places))
            if not then:
                then.append({"do": "keep"})
        if places:
            self._placing.add(step, step)
        if then:
            made = self._made(step, _without_doubles(then))
            made.stop = step.stops
            yield made

    def _made(self, step: Step, then: list[dict[str, Any]], *more: AnyTest) -> Made:
        when, unless = _whole(step.branches, more)
        if len(unless) + len(more) > MOST_CONDITIONS:
            unless = self._without_places(step, more)
        why = [reason for branch in step.branches for reason in branch.why]
        notes = self._done.why.get(step.place)
        why += notes.why if notes is not None else []
        at = step.commands[0].at
        return Made(at, step.comments, when, unless, then, why=list(dict.fromkeys(why)))

    def _without_places(self, step: Step, more: Sequence[AnyTest]) -> tuple[AnyTest, ...]:
        """A long chain that only files: the first place wins in a line, too, without exceptions."""
        *around, last = step.branches
        alone = not around and not more and last.after_places and only_files(step.commands)
        if alone and not self._placing.before(step, step.commands[0].at):
            return ()
        raise RefusedError(step.commands[0].at, TOO_MANY)

    def _places(
        self, step: Step, places: Sequence[Delivery]
    ) -> tuple[list[Made], list[dict[str, Any]]]:
        """Where a step files the message: the first place, and copies; before it another rule
        where an earlier place may have been reached.
        """
        if not places:
            return [], []
        first = next((delivery for delivery in places if delivery.folder == INBOX), places[0])
        others = [self._copied(delivery) for delivery in places if delivery is not first]
        earlier = self._placing.before(step, step.commands[0].at)
        if any(before.is_sure_at(step) for before in earlier):
            return [], [self._copied(first), *others]
        before = []
        if earlier:
            reached = any_of([held_by(before.branches) for before in earlier])
            before.append(self._made(step, [self._copied(first)], reached))
        return before, [place_action(first.folder, first.role), *others]

    def _copied(self, delivery: Delivery) -> dict[str, Any]:
        """A copy in a folder; rules name it, also where the script said what it is used for."""
        if delivery.role in ("archive", "trash"):
            self._done.why.setdefault(delivery.step.place, Notes()).add(COPY_BY_NAME)
        return copy_action(delivery.folder)

    def _taken_off(self, step: Step) -> Iterator[dict[str, Any]]:
        """Flags that are taken away though nothing sets them: no later rule of ours sets them."""
        for change in self._removed:
            if change.step is step:
                for flag in change.flags:
                    if flag.lower() not in self._sets:
                        yield action_of_flag(flag, self._labels, put=False)

    def _take_away(self, step: Step, then: list[dict[str, Any]]) -> None:
        """Erase at once where nothing later may keep the message; else when that is known."""
        if step.stops or not self._may_be_kept(step):
            then.append({"do": "erase"})
            return
        self._waiting.append(step)
        if len(self._waiting) > MOST_CONDITIONS:
            raise RefusedError(step.commands[0].at, TOO_MANY)

    def _may_be_kept(self, step: Step) -> bool:
        """Whether a later step files the message, or ends the script."""
        first = bisect_right(self._keeping, step.place, key=lambda kept: kept.place)
        later = (self._keeping[at] for at in range(first, len(self._keeping)))
        return any(step.leads_to(after) for after in later)

    def _before_stopping(self, step: Step, *, sure: bool) -> Iterator[Made]:
        """What waits for a place comes due where the script ends."""
        if sure:
            return
        for waiting in self._waiting:
            if waiting.leads_to(step):
                yield self._made(step, [{"do": "erase"}], held_by(waiting.branches))


def _whole(
    branches: Sequence[Branch], more: Sequence[AnyTest]
) -> tuple[AnyTest, tuple[AnyTest, ...]]:
    """The condition of a step, and what is excluded."""
    tests: list[AnyTest] = []
    unless: list[AnyTest] = []
    for branch in branches:
        tests += branch.when.all if isinstance(branch.when, AllGroup) else (branch.when,)
        unless += branch.unless
    tests += more
    tests = [test for test in tests if not isinstance(test, Always)]
    if not tests:
        return Always(always=True), tuple(unless)
    alone = len(tests) == 1 and isinstance(tests[0], AnyGroup)
    return tests[0] if alone else AllGroup(all=tuple(tests)), tuple(unless)


def place_action(folder: str, role: str | None) -> dict[str, Any]:
    """The action that sets the place."""
    if folder == INBOX:
        return {"do": "keep"}
    return {"do": role} if role is not None else {"do": "file", "folder": folder}


def copy_action(folder: str) -> dict[str, Any]:
    """The action that puts a copy into a folder."""
    return {"do": "copy", "folder": folder}


def _without_doubles(then: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Each action once, and one forward to all addresses."""
    kept: list[dict[str, Any]] = []
    for action in then:
        forward = next((other for other in kept if other["do"] == action["do"] == "forward"), None)
        if forward is not None:
            forward["to"] = list(dict.fromkeys([*forward["to"], *action["to"]]))
        elif action not in kept:
            kept.append(dict(action))
    return kept
