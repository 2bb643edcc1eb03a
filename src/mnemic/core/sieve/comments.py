"""What a script of ours says in its comments: names, sentences, and the rules themselves.

The rules stand in it as they are, so that nothing is lost on the way there and back; a digest over
the whole file says whether anybody has changed it since.
"""

import base64
import binascii
import hashlib
import re
from collections.abc import Iterator, Sequence

from mnemic.core.errors import RuleDocumentError
from mnemic.core.rules import Rule
from mnemic.core.rules.reading import read_stored_rule
from mnemic.core.rules.sentence import sentence_of

__all__ = ["SENTENCE", "comments_of", "kept_rules", "plain_line", "with_digest"]

#: What a comment begins with that holds a rule's sentence, not its name.
SENTENCE = ":"

_RULE = " mnemic 1 "
_DIGEST = re.compile(r"^# mnemic ([0-9a-f]{64})\r?\n", re.MULTILINE)
_RULE_LINE = re.compile(rf"^#{_RULE}([A-Za-z0-9_=-]+)\r?$")

#: Characters of a line of comments.
_WIDE = 70

_UNSEEN = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]+")


def plain_line(text: str) -> str:
    """A text that never leaves a comment's line."""
    return " ".join(_UNSEEN.sub(" ", text).split())


def comments_of(rule: Rule, notes: Sequence[str]) -> Iterator[str]:
    """The comments before a rule: a blank line, its name and sentence, and the rule itself."""
    yield ""
    yield f" {plain_line(rule.name)}"
    yield f"{SENTENCE} {plain_line(sentence_of(rule))}"
    for note in notes:
        yield f"{SENTENCE} {plain_line(note)}"
    document = rule.model_dump_json(by_alias=True, exclude_defaults=True)
    encoded = base64.urlsafe_b64encode(document.encode("utf-8")).decode("ascii")
    for begin in range(0, len(encoded), _WIDE):
        yield f"{_RULE}{encoded[begin : begin + _WIDE]}"


def _digest(text: str) -> str:
    """Over the text without the line that holds it; line ends may be changed on the way."""
    rest = _DIGEST.sub("", text, count=1).replace("\r\n", "\n")
    return hashlib.sha256(rest.encode("utf-8")).hexdigest()


def with_digest(text: str, line_end: str) -> str:
    """The text with the digest as its first line."""
    return f"# mnemic {_digest(text)}{line_end}{text}"


def kept_rules(text: str) -> tuple[Rule, ...] | None:
    """The rules that an unchanged script of ours was made from; None for any other."""
    head = _DIGEST.match(text)
    if head is None or head[1] != _digest(text):
        return None
    try:
        return tuple(read_stored_rule(document) for document in _documents(text))
    except (RuleDocumentError, ValueError, binascii.Error):
        return None  # made by something else than us: it is read by its text


def _documents(text: str) -> Iterator[str]:
    """The rules' documents: lines of one rule follow each other."""
    pieces: list[str] = []
    for line in [*text.split("\n"), ""]:
        rule_line = _RULE_LINE.match(line)
        if rule_line:
            pieces.append(rule_line[1])
        elif pieces:
            yield base64.urlsafe_b64decode("".join(pieces)).decode("utf-8")
            pieces = []
