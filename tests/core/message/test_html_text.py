"""HTML to text: two ways that have to agree, and what must neither crash nor hang."""

from hypothesis import example, given
from hypothesis import strategies as st
from selectolax.lexbor import LexborHTMLParser

from mnemic.core.message.html_text import _collected, html_to_text
from mnemic.core.text.folding import fold

PIECES = st.sampled_from(
    ["in", "voice", " ", "\n", "&amp;", "&nbsp;", "<b>", "</b>", "<i>", "</i>", "<p>", "</p>", "<br>",
     "<div>", "</div>", "<td>", "<table>", "<tr>", "</table>", "<img alt=x>", "<wbr>", "<span>",
     "</span>", "<font>", "</font>", "<unknown>", "<ul>", "<li>", "<a href=x>", "</a>", "<noscript>", "</noscript>"]
)  # fmt: skip


@example("in<font></font>voice<b><i></i></b>s")
@given(st.lists(PIECES, max_size=25).map("".join))
def test_the_fast_way_and_the_walk_see_the_same_text(html: str) -> None:
    body = LexborHTMLParser(html).body
    assert body is not None
    assert fold(html_to_text(html)) == fold(_collected(body))


def test_comments_join_and_declarations_are_not_seen() -> None:
    assert html_to_text("<!doctype html><p>in<!-- x -->voice<!-- unclosed") == "invoice"
    assert html_to_text("in<o:p>vo</o:p><x-y>i</x-y><unknown>ce</unknown>") == "invoice"
    assert html_to_text("<STYLE>x</STYLE><p HIDDEN>x</p><b style='Display : none'>x</b>y") == "y"


def test_a_hundred_thousand_tags_are_read() -> None:
    assert html_to_text("<div>" * 100_000 + "deep") == "deep"
    assert fold(html_to_text("<p>a" * 100_000)).count("a") == 100_000
    assert html_to_text("<a" * 100_000) == html_to_text("<!" * 100_000) == ""
    assert fold(html_to_text("<b>a<!---->" * 50_000)).count("a") == 50_000
