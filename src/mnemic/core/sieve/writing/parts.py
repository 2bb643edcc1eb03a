"""Each rule of a line as what a script is made of: its test, its deeds, and its grade."""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import chain

from mnemic.core.actions import LabelAction, UnlabelAction
from mnemic.core.canonical import canonical_name
from mnemic.core.evaluation.outcome import applies
from mnemic.core.label_keyword import keyword_for
from mnemic.core.rules import Rule
from mnemic.core.sieve.syntax import Test
from mnemic.core.sieve.writing.conditions import said_of_rule
from mnemic.core.sieve.writing.deeds import Deed, Unsaid, deeds_of
from mnemic.core.sieve.writing.grades import Grade
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["Part", "keywords_of", "parts_of"]


@dataclass(frozen=True, slots=True)
class Part:
    """A rule of the line. ``test`` is None where it is not written: it stands as a comment.

    ``why`` says where it differs, or why it is not written.
    """

    position: int
    rule: Rule
    test: Test | None
    deeds: tuple[Deed, ...]
    grade: Grade
    why: tuple[str, ...]

    @property
    def stops(self) -> bool:
        """Whether no later rule is tried."""
        return self.rule.stop

    def of_kind(self, *kinds: str) -> tuple[Deed, ...]:
        """Its deeds of these kinds."""
        return tuple(deed for deed in self.deeds if deed.kind in kinds)


def keywords_of(rules: Iterable[Rule], setting: Setting) -> dict[str, tuple[str, str]]:
    """The name and keyword of each label that rules name, by its folded name.

    No two labels share a keyword, those included that have had one before.
    """
    keywords: dict[str, tuple[str, str]] = {}
    taken = {keyword.lower() for keyword in setting.keywords.values()}
    for rule in rules:
        for action in rule.then:
            if not isinstance(action, LabelAction | UnlabelAction):
                continue
            name = canonical_name(action.label)
            if name in keywords:
                continue
            keyword = setting.keywords.get(name) or keyword_for(action.label, taken)
            taken.add(keyword.lower())
            keywords[name] = action.label, keyword
    return keywords


def parts_of(
    rules: Sequence[Rule], setting: Setting, keywords: Mapping[str, str]
) -> tuple[Part, ...]:
    """Every rule as a part, in the line's order."""
    parts: list[Part] = []
    here = _StayingHere()
    for position, rule in enumerate(rules):
        part = _part(position, rule, setting, keywords)
        if part.test is not None:
            reasons = here.overruling(rule)
            if reasons:
                part = replace(part, grade=max(part.grade, Grade.CLOSE), why=(*part.why, *reasons))
        elif part.grade == Grade.NO and rule.enabled and "arrival" in rule.runs:
            here.add(rule)
        parts.append(part)
    return tuple(parts)


#: Rules that stay here that are named where they may overrule another: a reader wants an idea.
_NAMED = 3


class _StayingHere:
    """Rules that stay here, and may overrule or stop what the server does after them."""

    def __init__(self) -> None:
        self._names: list[str] = []
        self._stopping: list[int] = []
        self._claiming: dict[Hashable, list[int]] = {}

    def add(self, rule: Rule) -> None:
        """One more, behind the others."""
        place = len(self._names)
        self._names.append(rule.name)
        if rule.stop:
            self._stopping.append(place)
            return
        for claim in {action.claim for action in rule.then} - {None}:
            self._claiming.setdefault(claim, []).append(place)

    def overruling(self, rule: Rule) -> list[str]:
        """Which of them come before a rule, the first of them by name."""
        claims = {action.claim for action in rule.then} - {None}
        claiming = [self._claiming.get(claim, [])[: _NAMED + 1] for claim in claims]
        places = sorted({*self._stopping[: _NAMED + 1], *chain.from_iterable(claiming)})
        stopping = set(self._stopping[: _NAMED + 1])
        said = []
        for at in places[:_NAMED]:
            does = "stop" if at in stopping else "overrule"
            said.append(f"“{self._names[at]}” stays here, and would {does} it")
        return [*said, "so would others that stay here"] if len(places) > _NAMED else said


def _part(position: int, rule: Rule, setting: Setting, keywords: Mapping[str, str]) -> Part:
    if not rule.enabled:
        return Part(position, rule, None, (), Grade.SAME, ("it is off",))
    if "arrival" not in rule.runs:
        return Part(position, rule, None, (), Grade.NO, ("a script runs on arrival alone",))
    if not applies(rule, "arrival", setting.account):
        return Part(position, rule, None, (), Grade.SAME, ("it is for another account",))
    said = said_of_rule(rule, setting)
    if said.test is None:
        return Part(position, rule, None, (), Grade.NO, said.why)
    deeds: list[Deed] = []
    why = list(said.why)
    for action in rule.then:
        for deed in deeds_of(action, setting, keywords):
            if not isinstance(deed, Unsaid):
                deeds.append(deed)
            why += [deed.why] if deed.why else []
    if not deeds:
        unsaid = [deed.why for action in rule.then for deed in deeds_of(action, setting, keywords)]
        return Part(position, rule, None, (), Grade.NO, tuple(unsaid))
    others = [event for event in rule.runs if event != "arrival"]
    if others:
        why.append("what it does later than on arrival is done here alone")
    grade = Grade.CLOSE if why else said.grade
    return Part(position, rule, said.test, tuple(deeds), grade, tuple(dict.fromkeys(why)))
