"""How far mail is looked into: just that far without a word, and one step more with a note."""

from collections.abc import Callable

import pytest

from mnemic.core import parse_message
from mnemic.core.bounds import (
    MOST_ATTRIBUTES,
    MOST_FIELD,
    MOST_FIELDS,
    MOST_HEADER_LINES,
    MOST_HTML,
    MOST_HTML_DEEP,
    MOST_TAGS,
)
from mnemic.core.message.html_bounds import bounded_html
from mnemic.core.message.html_text import text_without_tags

PICTURE = "data:image/png;base64," + "A" * 1_000
FEW = 500  # below so many tags what they do to each other isn't looked at

TAGS_AWAY = "is read with its tags taken away"
TANGLED = f"HTML with tangled elements {TAGS_AWAY}"
DEEP = f"HTML nested deeper than {MOST_HTML_DEEP} levels {TAGS_AWAY}"


@pytest.mark.parametrize(
    ("html", "note"),
    [
        ("x" * MOST_HTML, ""),
        ("x" * (MOST_HTML + 1), f"its HTML is looked into as far as character {MOST_HTML:,}"),
        (f'<img src="{PICTURE}">' * 3 + "x" * (MOST_HTML - 3 * 12), ""),  # pictures don't count
        (
            f'<img src="{PICTURE}">' * 3 + "x" * (MOST_HTML - 3 * 12 + 1),
            f"its HTML is looked into as far as character {MOST_HTML + 3 * len(PICTURE):,}",
        ),
        ("<br>" * MOST_TAGS, ""),
        ("<br>" * (MOST_TAGS + 1), f"HTML with more than {MOST_TAGS:,} tags {TAGS_AWAY}"),
        ("<p" + " a=1" * MOST_ATTRIBUTES + ">", ""),
        (
            "<p" + " a=1" * (MOST_ATTRIBUTES + 1) + ">",
            f"HTML with more than {MOST_ATTRIBUTES} attributes of one element {TAGS_AWAY}",
        ),
        ("<br>" * FEW + "<div>" * MOST_HTML_DEEP, ""),
        ("<br>" * FEW + "<div>" * (MOST_HTML_DEEP + 1), DEEP),
        ("<div>" * (MOST_HTML_DEEP + 1), ""),  # so few that no parser takes long
        ("<div></DIV>" * MOST_HTML_DEEP * 2, ""),
        ("<div><span></div>" * MOST_HTML_DEEP, ""),  # a block's end closes what is open inside
        ("<br>" * FEW + "<li><ul></li>" * (MOST_HTML_DEEP // 2 + 1), DEEP),  # but none reaches out of a list
        ("<p>" * FEW * 2, ""),  # one ends the other
        ("<tr><td>x" * FEW, ""),
        ("<ul><li>" * 99 + "</ul>" * 99 + "<br>" * FEW, ""),
        ("<ul>" + "<li>x</li>" * FEW + "</ul>", ""),
        ("<svg>" + "<p>" * FEW + "</svg>", DEEP),  # inside of a drawing nothing ends another
        ("<svg></svg><![CDATA[x]]>" + "<br>" * FEW, TANGLED),
        ("<script>" + "<div>" * FEW + "</script>", ""),  # what looks like a tag there is text
        ("<!--" + "<div>" * FEW + "-->", ""),
        # Each block ends inside formatting that begins anew in the next one.
        ("<div>" + f'<b class="{"x" * 90}">' * 60 + "</div>" + "<p>x</p>" * 600, TANGLED),
        ("<div>" + f'<b class="{"x" * 90}">' * 60 + "</b>" * 60 + "</div>" + "<p>x</p>" * 600, ""),
        # What is closed outside is forgotten there, and begins no more.
        ("<div>" + f'<b class="{"x" * 90}">' * 60 + "</div>" + "</b>" * 60 + "<p>x</p>" * 600, ""),
        ("<table><tr><td>" + "<b>" * 9 + "</div>" * 9 + "</table>" + "<br>" * FEW, ""),
    ],
    ids=lambda value: value[:20],
)  # fmt: skip
def test_html_is_looked_into_so_far(html: str, note: str) -> None:
    bounded = bounded_html(html)
    assert bounded.note == note
    assert bounded.tangled == note.endswith(TAGS_AWAY)
    assert html.startswith(bounded.html)


def test_where_tags_are_taken_away_blocks_stand_apart() -> None:
    html = "<P>one</P><b>tw</b>o<script>x</script>"
    assert text_without_tags(html) == "one\ntwo"


LONG = "looked into as far as"


@pytest.mark.parametrize(
    ("header", "notes"),
    [
        (lambda extra: "X: y\n" * (MOST_FIELDS + extra), "fields"),
        (lambda extra: "X: y\n" + " z\n" * (MOST_HEADER_LINES - 1 + extra), "lines"),
        (lambda extra: "X: " + "y" * (MOST_FIELD - 1 + extra) + "\n", "characters"),
        (
            lambda extra: ("X:" + "y" * 4_094 + "\n") * 256 + "X:" * extra + "\n" * extra,
            "characters",
        ),
    ],
)
def test_a_header_is_looked_into_so_far(header: Callable[[int], str], notes: str) -> None:
    def told(extra: int) -> list[str]:
        message = parse_message(header(extra).encode() + b"\nhello")
        assert message.body == "hello"
        return [note for note in message.notes if notes in note and LONG in note]

    assert [len(told(0)), len(told(1))] == [0, 1]


@pytest.mark.parametrize("bare", ["\n", "\r\n"])
@pytest.mark.parametrize(
    ("encoded", "size"),
    [("QUJD", 3), ("QUI=", 2), ("QQ==", 1), ("QUJDQUJD", 6), ("QUJD QUI=", 5), ("", 0)],
)
def test_an_attachment_has_the_size_of_what_it_holds(encoded: str, size: int, bare: str) -> None:
    lines = [
        "Content-Type: application/octet-stream; name=a",
        "Content-Transfer-Encoding: base64",
        "",
        encoded[:4],
        encoded[4:],
    ]
    (attachment,) = parse_message(bare.join(lines).encode()).attachments
    assert attachment.size == size


def test_an_attached_message_has_the_size_of_what_it_is() -> None:
    inner = b"Subject: berth\n\nhello\n"
    head = b"Content-Type: message/rfc822\nContent-Disposition: attachment; filename=a.eml\n\n"
    (attachment,) = parse_message(head + inner).attachments
    assert attachment.size == len(inner)


@pytest.mark.parametrize(
    ("html", "text"),
    [
        (b'<meta charset="iso-8859-2"><p>\xb1', "ą"),
        (b'<meta http-equiv=Content-Type content="text/html; charset=ISO-8859-2"><p>\xb1', "ą"),
        ("<p>ą".encode(), "ą"),
    ],
)
def test_html_that_names_its_charset_is_read_by_it(html: bytes, text: str) -> None:
    assert parse_message(b"Content-Type: text/html\n\n" + html).body == text


def test_a_date_in_an_unknown_zone_is_taken_for_utc_and_a_colon_behind_the_at_is_kept() -> None:
    """RFC 5322, section 3.3: -0000 says that the zone is not known (from memory)."""
    message = parse_message(b"Date: Mon, 4 May 2026 09:00:00 -0000\nTo: x@y:80\n\n")
    assert message.sent is not None
    assert message.sent.isoformat() == "2026-05-04T09:00:00+00:00"
    assert message.addresses["to"][0].address == "x@y:80"
