"""What a message costs grows in step with its size: twice the size, about twice the time.

Processor time and a ratio of two sizes, so that a busy machine changes nothing: what takes time
with the square of the size would cost sixteen times as much for four times the size.
"""

import time
from collections.abc import Callable

import pytest

from mnemic.core import parse_message

#: Four times the size may cost so much more; what is linear costs four.
MOST = 9

SHAPES: dict[str, tuple[int, Callable[[int], bytes]]] = {
    "a tag that never ends": (40_000, lambda n: _html("<" * 1002 + "<" + "a" * n)),
    "colons after many words": (8_000, lambda n: b"To: " + b"a " * n + b"@" + b":" * n + b"\n\n"),
    "a quoted parameter of semicolons": (40_000, lambda n: b'Content-Type: text/plain; a="' + b";" * n + b"\n\nx"),
    "a boundary behind semicolons": (40_000, lambda n: b'Content-Type: multipart/mixed; a="' + b";" * n + b"\n\nx"),
    "encoded words": (20_000, lambda n: b"Subject: " + b"=?utf-8?q?a?=\n " * n + b"\n\n"),
    "comments in comments": (60_000, lambda n: b"Date: " + b"(" * n + b"\nReceived: x; " + b"()" * n + b"\n\n"),
    "pieces of a parameter": (20_000, lambda n: b"Content-Type: a/b" + b"; name*1=x" * n + b"\n\n"),
    "white space at line ends": (200_000, lambda n: b"Content-Transfer-Encoding: quoted-printable\n\n" + b" " * n + b"x"),
    "white space before colons": (200_000, lambda n: b"a" + b" " * n + b"x: y :\n\n"),
}  # fmt: skip


def _html(text: str) -> bytes:
    return b"Content-Type: text/html\n\n" + text.encode()


def _cost(octets: bytes) -> float:
    """The least processor time of three, in seconds, of all that a rule may look at."""
    found = []
    for _ in range(3):
        begun = time.process_time()
        message = parse_message(octets)
        _ = message.body, message.subject, message.addresses, message.attachments, message.kind
        _ = message.received, message.sent, message.list_id, message.priority
        found.append(time.process_time() - begun)
    return min(found)


@pytest.mark.parametrize("shape", SHAPES)
def test_four_times_the_size_costs_about_four_times_as_much(shape: str) -> None:
    size, make = SHAPES[shape]
    small, large = _cost(make(size // 4)), _cost(make(size))
    assert large < max(small, 0.002) * MOST


def test_parts_in_parts_are_taken_apart_to_a_depth_and_the_rest_is_told() -> None:
    def nested(levels: int, lines: int) -> bytes:
        head = b"".join(
            b"Content-Type: multipart/mixed; boundary=b%d\n\n--b%d\n" % (n, n)
            for n in range(levels)
        )
        return head + b"Content-Type: text/plain\n\n" + b"a line of the text\n" * lines

    assert parse_message(nested(20, 1)).notes[:1] != parse_message(nested(21, 1)).notes[:1]
    deep = parse_message(nested(150, 3_000))
    assert "nested deeper than 20 levels" in deep.notes[0]
    assert "a line of the text" in deep.body  # nothing is lost
    # Without the limit each level costs as much as the whole text once more.
    assert _cost(nested(150, 3_000)) < _cost(nested(15, 3_000)) * 3
