"""Kinds of mail and its importance, as scripts tell them (rule document, "Kinds")."""

from collections.abc import Iterator, Mapping
from itertools import product
from typing import get_args

from mnemic.core.fields.kind import KindCondition
from mnemic.core.fields.priority import PriorityCondition
from mnemic.core.message import KindName
from mnemic.core.sieve.building import allof, anyof, compared, if_, not_, string
from mnemic.core.sieve.syntax import Command, Strings, Tag, Test
from mnemic.core.sieve.writing.grades import Said, close
from mnemic.core.sieve.writing.references import reference
from mnemic.core.sieve.writing.setting import Setting

__all__ = [
    "KIND",
    "kind_settings",
    "kind_tests",
    "kinds_decided",
    "said_of_kind",
    "said_of_priority",
]

#: The variable that holds the kind.
KIND = "kind"

_COMMENTS = "comments in a header field are not taken out"
_CALENDAR = "whether it is an invitation is told by its calendar part alone"

#: Kinds that an invitation is decided before.
_AFTER_INVITATION = frozenset(
    {"invitation", "notification", "discussion", "newsletter", "personal"}
)

_NO_REPLY = ("noreply", "no-reply", "no_reply", "no.reply", "donotreply", "do-not-reply")
_NO_ANSWERS = (
    "notification",
    "notifications",
    "notify",
    "alert",
    "alerts",
    "mailer",
    "mailer-daemon",
    "automailer",
    "auto-confirm",
    "autoconfirm",
)


def _field(name: str, *patterns: str) -> Test:
    return compared("header", ":matches", patterns, of=(name,))


def _exists(name: str) -> Test:
    return Test("exists", (string(name),))


def _tests(setting: Setting) -> Mapping[str, Test]:
    """The test of each kind, in the order in which kinds are tried; notification comes twice."""
    replied = _field("auto-submitted", "auto-replied*")
    persons = _field("auto-submitted", "no", "no;*", "no *")
    if setting.can("envelope"):
        null_path = compared("envelope", ":is", ("",), of=("from",))
    else:
        null_path = compared("header", ":is", ("<>",), of=("return-path",))
    report = allof(
        _field("content-type", "multipart/report*"),
        _field("content-type", "*report-type=*delivery-status*"),
    )
    practice = anyof(
        _exists("x-autoreply"),
        _exists("x-autorespond"),
        compared("header", ":is", ("auto_reply",), of=("precedence",)),
    )
    tests = {
        "bounce": anyof(report, allof(null_path, not_(replied))),
        "auto_reply": anyof(replied, allof(not_(persons), practice)),
        "invitation": _calendar(setting),
        "notification": _field("auto-submitted", "auto-generated*"),
        "discussion": _field("list-post", "*<*mailto:?*>*"),
        "newsletter": anyof(_exists("list-unsubscribe"), _exists("list-id")),
        "notification again": allof(not_(persons), _takes_no_answers()),
    }
    return {name: test for name, test in tests.items() if test is not None}


def _calendar(setting: Setting) -> Test | None:
    if setting.can("mime"):
        method = (Tag(":mime"), Tag(":anychild"), Tag(":param"), string("method"))
        return compared("header", ":matches", ("?*",), of=("content-type",), tags=method)
    if setting.can("body"):
        tags = (Tag(":content"), string("text/calendar"))
        return compared("body", ":contains", ("METHOD:",), tags=tags)
    return None


def _takes_no_answers() -> Test:
    edges = (("", "-*"), ("", ".*"), ("", "_*"), ("", "+*"), ("*-", ""), ("*.", ""), ("*_", ""))
    names = [*_NO_REPLY, *_NO_ANSWERS]
    patterns = [f"{before}{name}{behind}" for name in _NO_REPLY for before, behind in edges]
    patterns += [f"{name}+*" for name in _NO_ANSWERS]
    return compared(
        "address", ":matches", [*names, *patterns], of=("from",), tags=(Tag(":localpart"),)
    )


def kind_settings() -> Iterator[Setting]:
    """A setting for each way in which kinds are written."""
    for envelope, calendar in product(("envelope", ""), ("mime", "body", "")):
        yield Setting(capabilities=frozenset({envelope, calendar}))


def kind_tests(setting: Setting) -> Mapping[str, Test]:
    """That one kind is the first that fits, for every kind."""
    tests = _tests(setting)
    return {kind: _one(kind, tests) for kind in get_args(KindName)}


def kinds_decided(setting: Setting) -> tuple[Command, ...]:
    """The commands that set the variable once, as one chain."""
    commands: list[Command] = []
    for name, test in _tests(setting).items():
        kind = Command("set", (string(KIND), string(name.partition(" ")[0])))
        commands.append(if_(test, (kind,), "elsif" if commands else "if"))
    last = Command("set", (string(KIND), string("personal")))
    commands.append(Command("else", (), (), (last,)))
    return tuple(commands)


def said_of_kind(condition: KindCondition, setting: Setting) -> Said:
    """A condition on the kind: by the variable, or else by all that comes before it."""
    why = [_COMMENTS]
    if _AFTER_INVITATION & set(condition.values):
        why.append(_CALENDAR)
    if setting.can("variables"):
        keys = Strings(tuple(condition.values), listed=len(condition.values) > 1)
        return close(Test("string", (Tag(":is"), reference(KIND), keys)), *why)
    tests = [kind_tests(setting)[kind] for kind in dict.fromkeys(condition.values)]
    return close(anyof(*tests), *why)


def _one(kind: str, tests: Mapping[str, Test]) -> Test:
    """That one kind is the first that fits."""
    before: list[Test] = []
    fits: list[Test] = []
    for name, test in tests.items():
        if name.partition(" ")[0] == kind:
            fits.append(allof(test, not_(anyof(*before))) if before else test)
        before.append(test)
    return anyof(*fits) if fits else not_(anyof(*before))


def said_of_priority(condition: PriorityCondition, setting: Setting) -> Said:
    """A condition on the importance: the first readable one of three header fields."""
    del setting
    tests = [_level(value) for value in dict.fromkeys(condition.values)]
    return close(anyof(*tests), _COMMENTS)


_LEVELS = {"high": ("high", "urgent", ("1*", "2*")), "low": ("low", "non-urgent", ("4*", "5*"))}


def _level(level: str) -> Test:
    if level == "normal":
        return not_(anyof(_level("high"), _level("low")))
    importance, priority, x_priority = _LEVELS[level]

    def readable(name: str, *words: str) -> Test:
        return compared("header", ":is", words, of=(name,))

    return anyof(
        readable("importance", importance),
        allof(
            not_(readable("importance", "high", "normal", "low")),
            anyof(
                readable("priority", priority),
                allof(
                    not_(readable("priority", "urgent", "normal", "non-urgent")),
                    _field("x-priority", *x_priority),
                ),
            ),
        ),
    )
