"""The SMTP listener, spoken to by the standard library's client."""

import smtplib
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest

from mnemic.post import SIZE_LIMIT, Delivery, SmtpListener, listening_socket


@contextmanager
def listening(deliver: Callable[[Delivery], None]) -> Iterator[SmtpListener]:
    listener = SmtpListener(listening_socket("127.0.0.1", 0, setting="X"), deliver)
    listener.start()
    yield listener
    listener.stop()


def test_octets_and_envelope_come_through_as_they_were_sent() -> None:
    taken: list[Delivery] = []
    octets = b"Subject: s\xc3\xa4\r\n\r\n.leading dot\r\n\xff raw\r\n"
    with listening(taken.append) as listener:
        with smtplib.SMTP("127.0.0.1", listener.port, timeout=60) as client:
            client.ehlo()
            assert {"8bitmime", "smtputf8", "size"} <= set(client.esmtp_features)
            client.sendmail("", ["one+tag@x.example", "büro@x.example"], octets, ["SMTPUTF8"])
        assert taken[0].octets == octets
        assert taken[0].envelope.sender == ""
        assert taken[0].envelope.recipients == ("one+tag@x.example", "büro@x.example")


def test_a_message_that_could_not_be_stored_is_left_to_its_sender() -> None:
    def refuse(_: Delivery) -> None:
        raise OSError("disk full")

    with (
        listening(refuse) as listener,
        smtplib.SMTP("127.0.0.1", listener.port, timeout=60) as client,
        pytest.raises(smtplib.SMTPDataError) as raised,
    ):
        client.sendmail("a@x.example", ["b@x.example"], b"Subject: x\r\n\r\n")
    assert raised.value.smtp_code == 451


def test_a_message_of_25_mb_and_one_with_endless_lines_come_through() -> None:
    taken: list[Delivery] = []
    line = b"x" * 76 + b"\r\n"
    large = b"Subject: large\r\n\r\n" + line * (25 * 1024 * 1024 // len(line))
    endless = b"Subject: endless\r\n\r\n" + b"<p>" * 500_000 + b"\r\n"
    with (
        listening(taken.append) as listener,
        smtplib.SMTP("127.0.0.1", listener.port, timeout=60) as client,
    ):
        client.ehlo()
        assert int(client.esmtp_features["size"]) == SIZE_LIMIT
        for octets in (large, endless):
            client.sendmail("a@x.example", ["b@x.example"], octets)
        with pytest.raises(smtplib.SMTPSenderRefused) as refused:
            client.sendmail("a@x.example", ["b@x.example"], b"x" * (SIZE_LIMIT + 1))
    assert refused.value.smtp_code == 552
    assert [
        message.octets == octets for message, octets in zip(taken, (large, endless), strict=True)
    ] == [
        True,
        True,
    ]
