"""Tests on texts, against other engines where their meanings agree."""

import fnmatch
import sqlite3
from email.headerregistry import Address as LibraryAddress
from email.utils import formataddr

import idna
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mnemic.core.canonical import canonical_address
from mnemic.core.message.addresses import parse_addresses
from mnemic.core.text.domains import canonical_domain, is_public_suffix
from mnemic.core.text.text_tests import finder

# No brackets nor backslashes: there fnmatch and GLOB mean something else.
LETTERS = st.text("ab. é", max_size=12)
PATTERNS = st.text("ab. é*?", max_size=8)


@given(PATTERNS, LETTERS)
def test_wildcards_agree_with_fnmatch_and_glob(pattern: str, text: str) -> None:
    holds = finder("wildcard", (pattern,), case=True)(text) is not None
    assert holds == fnmatch.fnmatchcase(text, pattern)
    with sqlite3.connect(":memory:") as connection:
        (glob,) = connection.execute("SELECT ? GLOB ?", (text, pattern)).fetchone()
    connection.close()
    assert holds == bool(glob)


@given(LETTERS)
def test_a_quoted_text_stands_for_itself(text: str) -> None:
    quoted = "".join(f"\\{character}" for character in text)
    assert finder("wildcard", (quoted,), case=True)(text) == (0, len(text))


def test_a_pattern_that_is_exponential_elsewhere_answers() -> None:
    # A backtracking engine takes 2^n steps: 30 letters are minutes, these are more than an age.
    find = finder("regex", ("(a+)+$",), case=True)
    assert find("a" * 100_000 + "b") is None
    assert find("b" + "a" * 100_000) == (1, 100_001)


@given(
    st.lists(
        st.sampled_from(["bücher", "faß", "日本", "example", "xn--bcher-kva", "Ärger"]),
        min_size=1,
        max_size=3,
    )
)
def test_domains_have_one_form_whichever_way_they_are_written(labels: list[str]) -> None:
    domain = ".".join(labels)
    encoded = idna.encode(domain, uts46=True).decode("ascii")
    assert canonical_domain(domain) == canonical_domain(encoded) == canonical_domain(f"{encoded}.")


@pytest.mark.parametrize(
    ("domain", "public"),
    [("co.uk", True), ("x.co.uk", False), ("xn--55qx5d.cn", True), ("a.公司.cn", False)],
)
def test_domains_of_registries_are_known_in_both_forms(domain: str, public: bool) -> None:
    """From the Public Suffix List."""
    assert is_public_suffix(canonical_domain(domain)) is public


@given(
    st.text("aé,;<>()\"\\ .@", min_size=1, max_size=10).map(str.strip).filter(bool),
    st.text("ab.+'=", min_size=1, max_size=8).filter(lambda s: not s.startswith(".") and not s.endswith(".") and ".." not in s),
)  # fmt: skip
def test_addresses_written_by_the_standard_library_are_read_back(name: str, local: str) -> None:
    (address,) = parse_addresses(formataddr((name, f"{local}@x.example")))
    assert (address.name, address.address) == (name, f"{local}@x.example")
    spec = LibraryAddress(username=f"{local} {local}", domain="x.example").addr_spec
    (quoted,) = parse_addresses(f"Name <{spec}>")
    assert (quoted.local, quoted.domain) == (f"{local} {local}", "x.example")


def test_addresses_of_an_internationalised_envelope_are_read() -> None:  # RFC 6531
    (address,) = parse_addresses("büro@bücher.example")
    assert (address.local, address.domain) == ("büro", "bücher.example")
    assert canonical_address("Büro@xn--bcher-kva.example") == canonical_address(address)


def test_twenty_thousand_recipients_are_read() -> None:
    listed = ", ".join(f'"Name, {n}" <user{n}@x.example>' for n in range(20_000))
    addresses = parse_addresses(listed)
    assert (len(addresses), addresses[-1].address) == (20_000, "user19999@x.example")
    assert len(parse_addresses("(" * 50_000)) == 0
    assert len(parse_addresses('"' * 50_001)) <= 1
