"""Rules as Sieve: writing a line beside reading its document, reading a script beside its tokens."""

from collections.abc import Iterator, Sequence
from datetime import UTC, datetime

from benchmarks.measuring import Result, side_by_side
from mnemic.core import Rule, RuleDocument, read_rule_document
from mnemic.core.sieve import Setting, read_script, written_script
from mnemic.core.sieve.tokens import tokens_of

__all__ = ["scripting"]

_SETTING = Setting(me=("me@trust.example",), account="me@trust.example")

#: Rules of a long line, and of one a tenth as long.
_LONG, _SHORT = 1_000, 100


def scripting(rules: Sequence[Rule]) -> Iterator[Result]:
    """B16 and B17. A script that was changed is read by its text, one that was not by its comments.

    Scripts of more than a megabyte are refused: a line of 10,000 rules is written, and not read.
    """
    lines = {size: tuple(rules[:size]) for size in (_SHORT, _LONG, 10 * _LONG)}
    document = RuleDocument(format="mnemic-rules", version=1, rules=lines[_LONG])
    text = document.model_dump_json(by_alias=True)
    scripts = {size: written_script(lines[size], _SETTING).text for size in (_SHORT, _LONG)}
    changed = {size: f"{script}# changed\r\n".encode() for size, script in scripts.items()}
    t = side_by_side(
        {
            "document": lambda: read_rule_document(text),
            "write": lambda: written_script(lines[_LONG], _SETTING),
            "write a tenth": lambda: written_script(lines[_SHORT], _SETTING),
            "write ten times": lambda: written_script(lines[10 * _LONG], _SETTING),
            "tokens": lambda: list(tokens_of(scripts[_LONG])),
            "own": lambda: read_script(scripts[_LONG].encode()),
            "changed": lambda: read_script(changed[_LONG]),
            "changed, a tenth": lambda: read_script(changed[_SHORT]),
        },
        rounds=3,
    )
    yield Result(
        "B16 Sieve", "writing 1,000 rules / reading their document", t["write"] / t["document"], 1
    )
    yield Result("B16 Sieve", "writing 1,000 / 100 rules", t["write"] / t["write a tenth"], 12)
    yield Result("B16 Sieve", "writing 10,000 / 1,000 rules", t["write ten times"] / t["write"], 12)
    yield Result(
        "B17 Sieve", "a changed script of 1,000 rules / its tokens", t["changed"] / t["tokens"], 10
    )
    yield Result("B17 Sieve", "an unchanged one / its tokens", t["own"] / t["tokens"], 10)
    yield Result("B17 Sieve", "reading 1,000 / 100 rules", t["changed"] / t["changed, a tenth"], 12)


if __name__ == "__main__":
    from benchmarks.rule_mix import make_rules
    from mnemic.core import parse_message
    from mnemic.demo import generate

    demo = generate(datetime(2026, 5, 4, 9, tzinfo=UTC))[:300]
    for result in scripting(
        make_rules([parse_message(message.octets) for message in demo], 10 * _LONG)
    ):
        print(result.row())
