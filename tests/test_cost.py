"""What a message costs grows in step with its size, from its octets to the opened message.

Processor time and a ratio of two sizes, so that a busy machine changes nothing: what takes time
with the square of the size would cost sixteen times as much for four times the size.
"""

import time

import pytest
from benchmarks.hostile_mail import SHAPES

from mnemic.api.safe_html import safe_html
from mnemic.core import Circumstances, CompiledRules, parse_message, read_rule
from mnemic.core.facts import facts_of

#: Four times the size may cost so much more; what is linear costs four.
MOST = 9
SIZE = 120_000

RULES = CompiledRules(
    [
        read_rule({"name": field, "when": {"field": field, "test": test, "values": ["ferry"], **more}, "then": [{"do": "keep"}]})
        for field, more in (("from", {}), ("from", {"part": "domain"}), ("recipient", {"part": "name"}), ("subject", {}), ("body", {}), ("attachment", {}), ("list", {}), ("header", {"name": "X-Tag"}))
        for test in ("contains", "wildcard")
    ]
)  # fmt: skip


def _cost(octets: bytes) -> float:
    """The least processor time of three, in seconds, of all that a rule and a reader look at."""
    shares = []
    for _ in range(3):
        begun = time.process_time()
        message = parse_message(octets)
        RULES.decide(message)
        _ = message.notes, message.plain_text, safe_html(message)
        facts_of(message, Circumstances())
        shares.append(time.process_time() - begun)
    return min(shares)


@pytest.mark.parametrize("shape", SHAPES)
def test_four_times_the_size_costs_about_four_times_as_much(shape: str) -> None:
    make = SHAPES[shape]
    small, large = _cost(make(SIZE // 4)), _cost(make(SIZE))
    assert large < max(small, 0.004) * MOST


def _nested(levels: int, lines: int) -> bytes:
    head = b"".join(
        b"Content-Type: multipart/mixed; boundary=b%d\n\n--b%d\n" % (n, n) for n in range(levels)
    )
    return head + b"Content-Type: text/plain\n\n" + b"a line of the text\n" * lines


def _parts(count: int) -> bytes:
    head = b"Content-Type: multipart/mixed; boundary=b\n\n"
    return head + b"--b\n\nword\n" * count + b"--b--\n"


def _html(text: str) -> bytes:
    return b"Content-Type: text/html\n\n" + text.encode()


#: Within a limit, and just beyond it: the message, and what its notes say.
LIMITS = {
    "levels": (_nested(20, 1), _nested(21, 1), "nested deeper than 20 levels"),
    "parts": (_parts(1_000), _parts(4_000), "it has more than 1,000 parts"),
    "a field": (b"Subject: " + b"a" * 131_000 + b"\n\n", b"Subject: " + b"a" * 131_073 + b"\n\n", "a header field is looked into as far as 131,072 characters"),
    "fields": (b"X: y\n" * 2_000 + b"\n", b"X: y\n" * 2_001 + b"\n", "as far as 2,000 fields"),
    "addresses": (b"To: " + b"a@b," * 5_000 + b"\n\n", b"To: " + b"a@b," * 5_001 + b"\n\n", "as far as 5,000 addresses"),
    "text": (b"\n" + b"a" * 2_000_000, b"\n" + b"a" * 2_000_001, "its text is looked into as far as character 2,000,000"),
    "letters that grow": (b"\n" + "\ufdfa".encode() * 1_000, b"\n" + "\ufdfa".encode() * 1_001, "its text is looked into as far as character 1,000"),
    "html": (_html("a" * 1_000_000), _html("a" * 1_000_001), "its HTML is looked into as far as character 1,000,000"),
    "elements": (_html("<i></i>" * 25_000), _html("<i></i>" * 25_000 + "<i>"), "HTML with more than 50,000 tags"),
    "depth": (_html("<div>" * 200 + "<br>" * 500), _html("<div>" * 201 + "<br>" * 500), "HTML nested deeper than 200 levels"),
    "attributes": (_html(f"<p {'a=b ' * 199}>"), _html(f"<p {'a=b ' * 201}>"), "more than 200 attributes"),
    "repeated": (_html("<p><b>x</p>" * 300), _html("<p><b title='long enough to tell'>x</p>" * 3_000), "HTML with tangled elements"),
}  # fmt: skip


@pytest.mark.parametrize("limit", LIMITS)
def test_what_lies_beyond_a_limit_is_told_and_kept(limit: str) -> None:
    within, beyond, saying = LIMITS[limit]
    assert not any(saying in note for note in parse_message(within).notes)
    message = parse_message(beyond)
    assert any(saying in note for note in message.notes), message.notes
    assert message.octets == beyond


def test_deep_parts_are_read_and_cost_no_more_for_each_level() -> None:
    assert "a line of the text" in parse_message(_nested(150, 3_000)).body
    # Without the limit each level costs as much as the whole text once more.
    assert _cost(_nested(150, 3_000)) < _cost(_nested(15, 3_000)) * 3


#: What hides tags from whoever only looks for angle brackets, half as deep for each of its kind.
HIDING = [
    "<div><!-- </div> -->", "<div><!--></div-->", "<div><title></div></title>", '<div a="</div>">', "<div a==\"x></div>\">", "<div><! </div>",
    "<div><table></div>", "<div><td></div>", "<span><div></span>", "<b><div></b>", "<dd><li>", "<svg><td>", "<svg><td></svg/ ><td>", "<li><ul></li>",
    "<object></div><div>", "<svg><title><div>", "<button><p>", "<a href=x><div>",
]  # fmt: skip


@pytest.mark.parametrize("piece", HIDING)
def test_no_disguise_makes_html_deeper_or_larger_than_it_seems(piece: str) -> None:
    """What is shown comes out of a parser by the standard; its nesting is counted there."""
    message = parse_message(_html(piece * 3_000))
    shown = safe_html(message)
    assert shown is not None
    deepest = depth = 0
    for tag in shown.page.split("<")[1:]:
        depth += -1 if tag.startswith("/") else not tag.startswith(("br", "img", "hr", "!", "meta"))
        deepest = max(deepest, depth)
    assert deepest < 2 * 200 + 10
    assert len(shown.page) < 4_000_000


def test_tangled_html_is_shown_as_its_text_and_runs_nothing() -> None:
    html = (
        "<p>First &amp; <script>x</script>" + "<div>" * 300 + "<br>" * 300 + "<b>&lt;i&gt; last</b>"
    )
    shown = safe_html(parse_message(_html(html)))
    assert shown is not None
    assert "First &amp; \n&lt;i&gt; last<" in shown.page
    assert (shown.remote_pictures, "<script" in shown.page) == ((), False)
