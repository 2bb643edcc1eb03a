"""What several messages share takes every one of them, and is as narrow as it looks."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mnemic.core import Circumstances, Given, parse_message
from mnemic.core.common_facts import facts_in_common
from mnemic.core.evaluation.matching import try_test
from tests.core import strategies


def mail(sender: str, subject: str, extra: str = "") -> bytes:
    return f"From: {sender}\nTo: works@x.example\nSubject: {subject}\n{extra}\nhello".encode()


PDF = 'Content-Type: multipart/mixed; boundary=b\n\n--b\nContent-Disposition: attachment; filename="{}"\n\nx\n--b--\n'

CASES = [
    (
        [mail("a@eu.shop.example", "Your order 12 of May"), mail("b@us.shop.example", "Re: your order 14")],
        {("domain", "below shop.example"), ("from", "a@eu.shop.example or b@us.shop.example"), ("subject", "your order"),
         ("subject", "order"), ("came to", "works@x.example"), ("kind", "personal"), ("sender", "not in the contacts")},
    ),
    (
        [mail("a@x.example", "One"), mail("A@X.example", "Two"), mail("a@x.example", "Three")],
        {("from", "a@x.example"), ("domain", "x.example"), ("came to", "works@x.example"), ("kind", "personal"), ("sender", "not in the contacts")},
    ),
    (
        [mail("a@x.example", "1", PDF.format("b.PDF")), mail("a@y.example", "2", PDF.format("c.pdf"))],
        {("attachment", "ends with .pdf"), ("attachment", "there is one")},
    ),
]  # fmt: skip


@pytest.mark.parametrize(("octets", "shared"), CASES)
def test_what_they_share_is_found(octets: list[bytes], shared: set[tuple[str, str]]) -> None:
    messages = [parse_message(written) for written in octets]
    facts = facts_in_common(messages, [Circumstances()] * len(messages))
    said = {(fact.about, fact.text) for fact in facts}
    assert shared <= {(about, text.lower() if about == "subject" else text) for about, text in said}


@settings(max_examples=100, deadline=None)
@given(st.lists(strategies.mail, min_size=2, max_size=4))
def test_every_shared_fact_takes_every_message(octets: list[bytes]) -> None:
    messages = [parse_message(written) for written in octets]
    for fact in facts_in_common(messages, [Circumstances()] * len(messages)):
        assert all(try_test(fact.condition, message, Given()).held for message in messages), fact
