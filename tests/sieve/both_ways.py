"""One message by the core's rules and by the stand-in's interpreter, as what both come to."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from email.utils import format_datetime

from mnemic.core import (
    Circumstances,
    Given,
    MessageState,
    Outcome,
    Rule,
    parse_message,
    through_rules,
)
from mnemic.core.canonical import canonical_address
from mnemic.core.label_keyword import keyword_for
from mnemic.core.sieve import Setting
from mnemic.core.sieve.writing.deeds import HELD_BACK
from mnemic.stand_in.sieve import Result, checked, run

ME = ("ann@x.example", "moorings@x.example")
NOW = datetime(2026, 5, 1, 22, 30, tzinfo=UTC)
SETTING = Setting(me=ME, account=ME[0], contacts=frozenset({"bob@x.example"}))

_BY_USE = {"\\Archive": "Archive", "\\Trash": "Trash"}
_PLACES = {"inbox": "INBOX", "archive": "Archive", "trash": "Trash", "erased": HELD_BACK}


@dataclass(frozen=True)
class Comes:
    """What a message comes to: each folder with its flags, addresses, and whether it is answered."""

    folders: frozenset[tuple[str, frozenset[str]]]
    sent_on: frozenset[str]
    answered: bool


def delivered(octets: bytes, sender: str = "ann@z.example", recipient: str = ME[0]) -> bytes:
    """A message with what the server puts before it when it comes in now."""
    head = (
        f"Return-Path: <{sender}>\r\nDelivered-To: {recipient}\r\n"
        f"Received: by x.example; {format_datetime(NOW)}\r\n"
    )
    return head.encode() + octets.replace(b"\r\n", b"\n").replace(b"\n", b"\r\n")


def by_core(rules: Sequence[Rule], octets: bytes, zone: tzinfo = UTC) -> Comes:
    """What the line does with a message that arrives now."""
    message = parse_message(octets)
    circumstances = Circumstances(
        now=NOW, timezone=zone, me=frozenset(ME), contacts=SETTING.contacts
    )
    outcome = through_rules(rules, message, "arrival", Given(MessageState(ME[0]), circumstances))
    return _of_outcome(outcome)


def _of_outcome(outcome: Outcome) -> Comes:
    flags = {keyword_for(label, set()).lower() for label in outcome.labels}
    flags |= {"\\seen"} if outcome.seen else set()
    flags |= {"\\flagged"} if outcome.flagged else set()
    place = outcome.folder if outcome.place == "folder" else _PLACES[str(outcome.place)]
    folders = {str(place), *outcome.copies}
    folders = {"INBOX" if folder.lower() == "inbox" else folder for folder in folders}
    return Comes(
        frozenset((folder, frozenset(flags)) for folder in folders),
        frozenset(map(canonical_address, outcome.forward)),
        outcome.reply,
    )


def by_script(script: str | bytes, octets: bytes, sender: str = "ann@z.example") -> Comes:
    """What the stand-in does with the same message."""
    written = script.encode() if isinstance(script, str) else script
    return _of_result(run(checked(written), octets, sender, ME[0], NOW))


def _of_result(result: Result) -> Comes:
    return Comes(
        frozenset(
            (
                _BY_USE.get(delivery.use, delivery.folder),
                frozenset(flag.lower() for flag in delivery.flags),
            )
            for delivery in result.delivered
        ),
        frozenset(map(canonical_address, result.redirected)),
        bool(result.answers),
    )
