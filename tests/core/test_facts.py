"""Facts of a message, and the way to stop a list. RFC 2369's examples are from memory."""

import pytest

from mnemic.core import Circumstances, Envelope, Given, parse_message
from mnemic.core.evaluation.matching import try_test
from mnemic.core.facts import facts_of
from mnemic.core.message.unsubscribe import unsubscribe_addresses
from mnemic.demo import DemoMessage


def test_every_fact_of_a_message_takes_the_message_itself(demo_mail: list[DemoMessage]) -> None:
    abouts = set()
    around = Circumstances(contacts=frozenset({"aurelio@heronsrest.example"}))
    for letter in demo_mail[::7]:
        message = parse_message(letter.octets, Envelope(None, letter.recipients))
        for fact in facts_of(message, around):
            abouts.add(fact.about)
            held = try_test(fact.condition, message, Given(circumstances=around)).held
            assert held, (fact, message.subject)
    assert abouts >= {
        "from",
        "domain",
        "came to",
        "kind",
        "list",
        "attachment",
        "sender",
        "subject",
    }


def test_facts_name_the_alias_its_tag_and_whole_words() -> None:
    message = parse_message(
        b"From: Ann <ann@x.example>\nSubject: Re: permit WL-2207 for Heron's Rest\n\nx",
        Envelope(None, ("tamsin+reading@y.example",)),
    )
    facts = [(fact.about, fact.text) for fact in facts_of(message, Circumstances())]
    assert ("came to", "tamsin+reading@y.example") in facts
    assert ("tag", "reading") in facts
    assert ("sender", "not in the contacts") in facts
    words = [text for about, text in facts if about == "subject"]
    assert words == ["Re", "permit", "WL-2207", "for", "Heron's", "Rest"]


@pytest.mark.parametrize(
    ("headers", "about", "called"),
    [
        (b"From: Ann Lee <ann@x.example>", "from", "Ann Lee"),
        (b"From: ann@x.example", "from", ""),
        (b"List-Id: Boaters' list <boaters.x.example>", "list", "Boaters' list"),
        (b'List-Id: "Our list" <boaters.x.example>', "list", "Our list"),
        (b"List-Id: <boaters.x.example>", "list", ""),
        (b"List-Id: =?utf-8?q?Boote_=C3=BC?= <boaters.x.example>", "list", "Boote ü"),
    ],
)
def test_a_fact_knows_what_people_call_a_sender_or_a_list(
    headers: bytes, about: str, called: str
) -> None:
    message = parse_message(headers + b"\n\n")
    names = [fact.called for fact in facts_of(message, Circumstances()) if fact.about == about]
    assert names == [called]


@pytest.mark.parametrize(
    ("value", "addresses"),
    [
        (b"<mailto:list@host.example?subject=help>", ["mailto:list@host.example?subject=help"]),
        (  # several, in the order of preference, with comments between (RFC 2369, section 3.2)
            b"(Use this command) <mailto:list-off@host.example>,\n <https://host.example/off>",
            ["mailto:list-off@host.example", "https://host.example/off"],
        ),
        (b"<https://host.example/\n  long>", ["https://host.example/long"]),
        (b"<javascript:alert(1)>, <data:text/html,x>", []),
        (b"no brackets", []),
    ],
)
def test_the_way_to_leave_a_list(value: bytes, addresses: list[str]) -> None:
    message = parse_message(b"List-Unsubscribe: " + value + b"\n\n")
    assert list(unsubscribe_addresses(message)) == addresses
