"""A line of rules as one script, with the grade of each rule."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from mnemic.core.rules import Rule
from mnemic.core.sieve.building import if_, one_or_list, string
from mnemic.core.sieve.checking import needed_by
from mnemic.core.sieve.comments import SENTENCE, comments_of, plain_line, with_digest
from mnemic.core.sieve.printing import LINE_END, printed
from mnemic.core.sieve.syntax import Command, Tag, Test, tests_in
from mnemic.core.sieve.writing.forms import commands_of
from mnemic.core.sieve.writing.grades import Grade
from mnemic.core.sieve.writing.kind_tests import KIND, kinds_decided
from mnemic.core.sieve.writing.owner_tests import FIRST, SENDER, first_decided
from mnemic.core.sieve.writing.parts import Part, keywords_of, parts_of
from mnemic.core.sieve.writing.references import reference, references_in, with_dollars
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["RuleGrade", "Script", "sender_decided", "written_script"]


@dataclass(frozen=True, slots=True)
class RuleGrade:
    """How near the script comes to one rule. ``written`` tells that it does more than stand there
    as a comment; ``why`` says where it differs.
    """

    position: int
    name: str
    grade: Grade
    why: tuple[str, ...]
    written: bool

    def __str__(self) -> str:
        return f"{plain_line(self.name)}: {self.grade.word}: {plain_line('; '.join(self.why))}"


@dataclass(frozen=True, slots=True)
class Script:
    """A script: its text, with CRLF at the end of each line, and the grades in the line's order."""

    text: str
    grades: tuple[RuleGrade, ...]
    requires: tuple[str, ...]


def written_script(rules: Sequence[Rule], setting: Setting) -> Script:
    """The rules of a line as one script for a server."""
    labels = keywords_of(rules, setting)
    keywords = {name: keyword for name, (_, keyword) in labels.items()}
    parts = parts_of(rules, setting, keywords)
    written = [part for part in parts if part.test is not None]
    commands = list(commands_of(written, setting))
    tree = _whole(parts, commands, setting)
    needs = tuple(sorted(_needed(tree)))
    head = [_head(labels.values())]
    if needs:
        head.append(Command("require", (one_or_list(needs),)))
    grades = tuple(
        RuleGrade(part.position, part.rule.name, part.grade, part.why, part.test is not None)
        for part in parts
    )
    return Script(with_digest(printed([*head, *tree]), LINE_END), grades, needs)


def _head(labels: Iterable[tuple[str, str]]) -> Command:
    """Comments of the whole script; which label is which keyword."""
    comments = [
        f"{SENTENCE} Rules of Mnemic, as Sieve (RFC 5228). What is changed here is read back."
    ]
    for label, keyword in labels:
        comments.append(f"{SENTENCE} The label “{plain_line(label)}” is the keyword {keyword}.")
    return Command("", comments=tuple(comments))


def _whole(
    parts: Sequence[Part], commands: Sequence[tuple[Part | None, Command]], setting: Setting
) -> list[Command]:
    """All commands with their comments, and before them the variables that they ask."""
    bare = [command for _, command in commands]
    before = _before(bare, setting)
    asked = next(references_in([*before, *bare]), None) is not None
    dollars = asked and any("${" in part.rule.model_dump_json() for part in parts)
    after = with_dollars(bare) if dollars else tuple(bare)
    before += after[: len(after) - len(bare)]
    placed = iter(zip([part for part, _ in commands], after[len(after) - len(bare) :], strict=True))
    return [*before, *_commented(parts, placed)]


def _before(commands: Sequence[Command], setting: Setting) -> list[Command]:
    names = set(references_in(commands))
    before: list[Command] = []
    if KIND in names:
        first, *others = kinds_decided(setting)
        before += [_noted(first, "Which kind of mail it is: the first that fits."), *others]
    if FIRST in names:
        before += [
            _noted(sender_decided(), "Who has sent it."),
            _noted(first_decided(), "Whether that is the first message from there."),
        ]
    return before


def sender_decided() -> Command:
    """The command that sets the variable of the sender's address."""
    address = Test("address", (Tag(":matches"), string("from"), string("*")))
    lower = Command("set", (Tag(":lower"), string(SENDER), reference("1")))
    return if_(address, (lower,))


def _noted(command: Command, note: str) -> Command:
    return replace(command, comments=("", f"{SENTENCE} {note}"))


def _commented(
    parts: Sequence[Part], commands: Iterable[tuple[Part | None, Command]]
) -> Iterator[Command]:
    """Every rule's comments once, in the line's order, before the first command that is its own."""
    waiting = list(parts)
    said: set[int] = set()
    acting = False
    for part, command in commands:
        comments: list[str] = []
        if part is not None:
            while waiting and waiting[0].position <= part.position:
                comments += _comments(waiting[0])
                said.add(waiting.pop(0).position)
            if not comments and command.name == "if":
                comments = ["", f" {plain_line(part.rule.name)}"]
        elif not acting:
            acting = True
            if command.name == "if":
                comments = ["", f"{SENTENCE} What was decided above is done here."]
        yield replace(command, comments=tuple(comments))
    if waiting:
        yield Command("", comments=tuple(line for part in waiting for line in _comments(part)))


def _comments(part: Part) -> Iterator[str]:
    alone = [f"It stands here as a comment alone: {'; '.join(part.why)}."]
    return comments_of(part.rule, alone if part.test is None else ())


def _needed(commands: Iterable[Command]) -> set[str]:
    needed: set[str] = set()
    for command in commands:
        needed |= needed_by(command)
        for test in tests_in(command.tests):
            needed |= needed_by(test)
        needed |= _needed(command.block or ())
    return needed
