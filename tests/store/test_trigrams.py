"""What the trigram index is asked for: what tells most, as a sample of the mail has it."""

import re
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mnemic.core import parse_message
from mnemic.jobs import take_in
from mnemic.store import Database
from mnemic.store.mail import trigram_shares as shares_module
from mnemic.store.mail.trigram_shares import trigram_shares
from mnemic.store.mail.trigrams import trigram_query

NOW = datetime(2026, 5, 4, 9, tzinfo=UTC)
TEXTS = st.text(alphabet='ab c"', max_size=30)
SHARES = st.dictionaries(st.text(alphabet='ab c"', min_size=3, max_size=3), st.floats(0, 1))


def asked(query: str) -> list[list[str]]:
    """The trigrams of each value that a query asks for."""
    return [
        [piece.replace('""', '"') for piece in re.findall('"((?:[^"]|"")*)"', value)]
        for value in query.split(" OR ")
    ]


@given(st.lists(st.lists(TEXTS, min_size=1, max_size=3), min_size=1, max_size=3), SHARES)
def test_a_text_with_all_pieces_passes_whatever_is_left_out(
    values: list[list[str]], shares: dict[str, float]
) -> None:
    query = trigram_query(values, shares)
    short = [value for value in values if all(len(piece) < 3 for piece in value)]
    assert (query is None) == bool(short)
    if query is None:
        return
    for value, trigrams in zip(values, asked(query), strict=True):
        assert trigrams
        assert all(any(trigram in piece for piece in value) for trigram in trigrams)


@pytest.mark.parametrize(
    ("text", "shares", "wanted"),
    [
        ("the lock", {}, ["the", "he ", "e l", " lo", "loc", "ock"]),
        ("the lock", {"the": 0.9, "he ": 0.9, " lo": 0.3}, ["e l", "loc", "ock"]),
        ("a lock", {" lo": 0.3, "ock": 0.4}, ["a l", "loc", " lo"]),  # three at least, the rarest
        ("the", {"the": 0.9}, ["the"]),
        ("to", {}, None),
        ("zephyrine", {"x": 1}, ["zep", "eph", "phy", "yri", "rin"]),  # five rare ones are enough
        ("zephyr", {"x": 1}, ["zep", "eph", "phy", "hyr"]),
        ("in zephyr", {"in ": 0.2, "n z": 0.3}, [" ze", "zep", "eph", "phy", "hyr"]),
        (
            "abcdefghijklmnopqrstuvwxyz",
            {},
            "abc cde efg ghi ijk klm mno opq qrs stu uvw wxy".split(),
        ),
    ],
)
def test_those_are_asked_for_that_tell_most(
    text: str, shares: dict[str, float], wanted: list[str] | None
) -> None:
    query = trigram_query([[text]], shares)
    assert (query if query is None else asked(query)) == (wanted if wanted is None else [wanted])


def test_a_sample_of_the_mail_tells_what_is_common(
    database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    with database.writing() as session:
        for number in range(8):
            rare = "zebra" if number == 3 else f"w{number}x"
            octets = f"Subject: s{number}\n\nthe {rare}\n".encode()
            take_in(session, parse_message(octets), received=NOW)
        assert trigram_shares(session) == {}
    monkeypatch.setattr(shares_module, "_FEWEST", 9)
    with database.reading() as session:
        assert trigram_shares(session) == {}  # every list is short
    monkeypatch.setattr(shares_module, "_FEWEST", 8)
    monkeypatch.setattr(shares_module, "_SAMPLE", 8)
    with database.reading() as session:
        shares = trigram_shares(session)
    assert (shares["the"], shares["zeb"], shares.get("zoo")) == (1, 1 / 8, None)
