"""What several messages have in common: conditions that take all of them."""

import re
from collections.abc import Iterator, Sequence

from mnemic.core.facts import Fact, fact, facts_of
from mnemic.core.message import Circumstances, MessageView
from mnemic.core.rules.reading import read_test
from mnemic.core.text.folding import fold

__all__ = ["facts_in_common"]

#: Senders that are still offered as a list: more are told better by something else.
_SENDERS = 5

#: Words of a subject that are looked at: each is held against each of the others.
_WORDS = 200

#: A piece of a subject: a word, or what stands between two.
_WORD = re.compile(r"\w+")


def _alike(fact: Fact) -> tuple[str, str]:
    return fact.about, fold(fact.text)


def _senders(messages: Sequence[MessageView]) -> Iterator[Fact]:
    """Senders that differ: the domain they are all below, or all of them by name."""
    first = [next(iter(message.addresses.get("from", ())), None) for message in messages]
    senders = [sender for sender in first if sender is not None and sender.domain]
    if len(senders) < len(messages):
        return
    labels = [fold(sender.domain).split(".")[::-1] for sender in senders]
    common = []
    for level in zip(*labels, strict=False):
        if len(set(level)) > 1:
            break
        common.append(level[0])
    domains = {fold(sender.domain) for sender in senders}
    if len(domains) > 1 and len(common) > 1:
        domain = ".".join(reversed(common))
        yield from fact(
            "domain", f"below {domain}", field="from", part="domain", test="under", values=[domain]
        )
    addresses = list(dict.fromkeys(sender.address for sender in senders))
    if 1 < len({fold(address) for address in addresses}) <= _SENDERS:
        yield from fact("from", " or ".join(addresses), field="from", test="is", values=addresses)


def _phrase(one: list[str], other: list[str]) -> list[str]:
    """The longest run of words that stands in both, the first one of several."""
    best: list[str] = []
    lengths = [0] * (len(other) + 1)
    for at, word in enumerate(one):
        row = [0] * (len(other) + 1)
        for there, other_word in enumerate(other):
            if other_word == word:
                row[there + 1] = lengths[there] + 1
                if row[there + 1] > len(best):
                    best = one[at + 1 - row[there + 1] : at + 1]
        lengths = row
    return best


def _subjects(messages: Sequence[MessageView]) -> Iterator[Fact]:
    """A phrase of two words or more that stands in every subject."""
    subjects = [_WORD.findall(fold(message.subject or ""))[:_WORDS] for message in messages]
    phrase = subjects[0]
    for words in subjects[1:]:
        phrase = _phrase(phrase, words)
    text = " ".join(phrase)
    # Between its words other characters than a space may stand.
    if len(phrase) > 1 and all(text in fold(message.subject or "") for message in messages):
        yield from fact("subject", text, field="subject", test="words", values=[text])


def _attachments(messages: Sequence[MessageView]) -> Iterator[Fact]:
    if not all(message.attachments for message in messages):
        return
    names = [[fold(a.name) for a in message.attachments if a.name] for message in messages]
    endings = [
        {f".{name.rpartition('.')[2]}" for name in listed if "." in name} for listed in names
    ]
    for ending in sorted(set.intersection(*endings)):
        yield from fact(
            "attachment", f"ends with {ending}", field="attachment", test="ends", values=[ending]
        )
    yield Fact("attachment", "there is one", read_test({"field": "attachment", "test": "exists"}))


def facts_in_common(
    messages: Sequence[MessageView], circumstances: Sequence[Circumstances]
) -> tuple[Fact, ...]:
    """Facts whose conditions take every one of the messages, each with its circumstances."""
    each_has = [
        {_alike(fact): fact for fact in facts_of(message, around)}
        for message, around in zip(messages, circumstances, strict=True)
    ]
    shared = [fact for key, fact in each_has[0].items() if all(key in one for one in each_has)]
    more = (*_senders(messages), *_subjects(messages), *_attachments(messages))
    known = {_alike(fact) for fact in shared}
    return (*shared, *(fact for fact in more if _alike(fact) not in known))
