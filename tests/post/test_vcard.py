"""vCard both ways: RFC 6350's examples (from memory), 3.0 files, and vobject as a second reader."""

import pytest
import vobject
from hypothesis import given
from hypothesis import strategies as st

from mnemic.post.vcard import VcardError, addresses_of, card_of, read_cards

# RFC 6350, section 8, example 1 and the groups of section 3.3; from memory.
RFC_6350 = (
    b"BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Simon Perreault\r\nN:Perreault;Simon;;;ing. jr,M.Sc.\r\n"
    b"BDAY:--0203\r\nEMAIL;TYPE=work:simon.perreault@viagenie.example\r\nLANG;PREF=1:fr\r\n"
    b'item1.EMAIL;PREF=1:simon@h\r\n ome.example\r\nTEL;VALUE=uri;TYPE="voice,home":tel:+1-555-555-5555\r\n'
    b"END:VCARD\r\n"
)
RFC_2426 = (
    b"BEGIN:VCARD\nVERSION:3.0\nN:Dawson;Frank\nEMAIL;TYPE=INTERNET,PREF:frank@x.example\n"
    b"NOTE:one\\, two\\nthree\nX-SOMETHING;odd=\nEND:VCARD\n"
)


def test_the_example_of_the_standard_is_read() -> None:
    (card,) = read_cards(RFC_6350)
    assert card.name == "Simon Perreault"
    assert card.addresses == ("simon.perreault@viagenie.example", "simon@home.example")


def test_several_cards_and_older_ones_are_read_alike() -> None:
    cards = read_cards(RFC_6350 + RFC_2426)
    assert [card.name for card in cards] == ["Simon Perreault", "Frank Dawson"]
    assert addresses_of(RFC_2426) == ["frank@x.example"]


def test_what_mnemic_has_no_use_for_stays_in_the_card() -> None:
    (card,) = read_cards(RFC_6350)
    changed = card_of("S. Perreault", ["new@x.example"], card.text)
    assert "TEL;VALUE=uri" in changed
    assert "home.example" not in changed
    (again,) = read_cards(changed.encode())
    assert (again.name, again.addresses) == ("S. Perreault", ("new@x.example",))


def test_vobject_reads_the_same_from_both_kinds_of_card() -> None:
    for octets in (
        RFC_2426.replace(b"X-SOMETHING;odd=\n", b"FN:Frank Dawson\n"),
        card_of("Ann", ["a@x.example"]).encode(),
    ):
        ours = read_cards(octets)[0]
        theirs = vobject.readOne(octets.decode())
        assert theirs.fn.value == ours.name
        assert [content.value for content in theirs.contents["email"]] == list(ours.addresses)


NAMES = st.text(
    st.characters(codec="utf-8", exclude_categories=["Cc", "Cs", "Zl", "Zp"]), min_size=1
)


@given(NAMES.map(str.strip).filter(bool))
def test_any_name_survives_the_way_out_and_in_for_us_and_for_vobject(name: str) -> None:
    written = card_of(name, ["büro@x.example"])
    assert all(len(line.encode()) <= 75 for line in written.split("\r\n"))
    (card,) = read_cards(written.encode())
    assert (card.name, card.addresses) == (name, ("büro@x.example",))
    assert vobject.readOne(written).fn.value.strip() == name


@pytest.mark.parametrize("octets", [b"", b"From: x\n\n", b"BEGIN:VCARD\nFN:x\n"])
def test_what_is_no_vcard_is_told(octets: bytes) -> None:
    with pytest.raises(VcardError, match="no vCard"):
        read_cards(octets)


def test_an_address_that_is_none_is_told() -> None:
    with pytest.raises(VcardError, match="name@domain"):
        card_of("x", ["nowhere"])
