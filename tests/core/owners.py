"""Made-up owners: mail of a seed, and somebody who does by hand what a hidden policy says.

One act in twenty is a slip: it is left out, or done as another rule of the policy would have it.
"""

import random
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from mnemic.core.actions import Action
from mnemic.core.fields import BaseCondition
from mnemic.core.message import AddressHeader, Attachment, Envelope, Kind
from mnemic.core.message.addresses import Address
from mnemic.core.proposals import Habit, HandAct, Trait, traits_of
from mnemic.core.proposals.message_set import MessageSet, ids_in, set_of
from mnemic.core.rules.reading import read_rule

ME = frozenset(f"{alias}@trust.example" for alias in ("office", "moorings", "works", "shop"))
_WORDS = (
    "lock permit berth repair rota invoice order gauge level flood timber quote delivery meeting"
    " minutes towpath volunteer survey stoppage licence renewal winter summer boat mooring fence"
    " newsletter regatta history museum budget report weekly monthly final draft reminder question"
).split()
_KINDS = ("personal", "newsletter", "notification", "discussion", "invitation")
_TYPES = ("application/pdf", "text/csv", "image/png")
_SLIPS = 0.05
_FIRST_DAY = date(2026, 1, 5)
#: Messages of a day.
_A_DAY = 25


@dataclass
class MadeMessage:
    """A message as the traits look at it."""

    addresses: dict[AddressHeader, tuple[Address, ...]]
    subject: str
    list_id: str | None
    kind: Kind
    attachments: tuple[Attachment, ...]
    envelope: Envelope = field(default_factory=Envelope)


@dataclass
class MadeSender:
    """Somebody who writes: from where, to whom, about what."""

    address: Address
    to: str
    list_id: str | None
    kind: str
    words: list[str]


def made_senders(rng: random.Random) -> list[MadeSender]:
    senders = []
    for number in range(24):
        domain = f"firm{number}.example"
        topics = rng.sample(_WORDS, 9)
        kind = rng.choice(_KINDS)
        list_id = f"list{number}.example" if kind in ("newsletter", "discussion") else None
        for person in range(rng.choice((1, 1, 2, 4))):
            home = f"mail.{domain}" if person == 3 else domain
            address = Address("", f"p{person}", home)
            senders.append(MadeSender(address, rng.choice(sorted(ME)), list_id, kind, topics))
    return senders


def made_mail(rng: random.Random, senders: Sequence[MadeSender], count: int) -> list[MadeMessage]:
    """Mail of these senders, some of them writing far more often than others."""
    weights = [1 / (1 + at) ** 0.7 for at in range(len(senders))]
    mail = []
    for sender in rng.choices(senders, weights, k=count):
        to = sender.to if rng.random() < 0.8 else rng.choice(sorted(ME))
        words = [rng.choice(sender.words if rng.random() < 0.7 else _WORDS) for _ in range(4)]
        attached: tuple[Attachment, ...] = ()
        if rng.random() < 0.3:
            attached = (
                Attachment(f"{rng.choice(_WORDS)} {rng.randrange(90)}.x", rng.choice(_TYPES), 1),
            )
        local, _, domain = to.partition("@")
        mail.append(
            MadeMessage(
                {"from": (sender.address,), "to": (Address("", local, domain),)},
                " ".join(dict.fromkeys(words)),
                sender.list_id,
                Kind(sender.kind, ""),  # type: ignore[arg-type] # one of the names
                attached,
            )
        )
    return mail


class MadeMail:
    """Mail by its traits: what a condition takes is looked up."""

    def __init__(self, mail: Sequence[MadeMessage]) -> None:
        self._traits = {at: traits_of(message, ME) for at, message in enumerate(mail, 1)}  # type: ignore[arg-type] # as far as traits look
        having: dict[Trait, list[int]] = defaultdict(list)
        for message, traits in self._traits.items():
            for trait in traits:
                having[trait].append(message)
        self._of = {trait.condition: set_of(messages) for trait, messages in having.items()}
        self.all = set_of(self._traits)

    def holding(self, conditions: Sequence[BaseCondition]) -> list[MessageSet]:
        return [self._of.get(condition, 0) for condition in conditions]

    def taken(self, conditions: Sequence[BaseCondition]) -> MessageSet:
        taken = self.all
        for held in self.holding(conditions):
            taken &= held
        return taken

    def since_first_of(self, messages: MessageSet) -> MessageSet:
        first = (messages & -messages).bit_length() - 1
        return self.all >> first << first

    def traits(self, messages: Sequence[int]) -> dict[int, frozenset[Trait]]:
        return {key: self._traits[key] for key in messages}


@dataclass(frozen=True)
class PolicyRule:
    """What the owner has in mind."""

    conditions: tuple[BaseCondition, ...]
    action: Action


def _action(does: dict[str, Any]) -> Action:
    return read_rule({"name": "r", "when": {"always": True}, "then": [does]}).then[0]


def policy_of(rng: random.Random, mail: MadeMail) -> list[PolicyRule]:
    """Five to ten rules, half of them of two conditions, that take apart what they take."""
    messages = sorted(ids_in(mail.all))
    actions = [{"do": "file", "folder": f"F{n}"} for n in range(5)]
    actions += [{"do": "label", "label": f"L{n}"} for n in range(3)]
    actions += [{"do": "flag"}, {"do": "archive"}, {"do": "trash"}, {"do": "read"}]
    rules: list[PolicyRule] = []
    in_policy: MessageSet = 0
    for does in rng.sample(actions, rng.randint(5, 10)):
        count = rng.choice((1, 2))
        for _ in range(2_000):
            message = rng.choice(messages)
            traits = sorted(mail.traits([message])[message])
            conditions = tuple(t.condition for t in rng.sample(traits, count) if t.condition)
            taken = mail.taken(conditions)
            alone = [held.bit_count() for held in mail.holding(conditions)]
            telling = count == 1 or taken.bit_count() < 0.7 * min(alone)
            apart = (taken & in_policy).bit_count() * 20 < taken.bit_count()
            if 24 <= taken.bit_count() <= 300 and telling and apart:
                rules.append(PolicyRule(conditions, _action(does)))
                in_policy |= taken
                break
    return rules


def habits_of(rng: random.Random, mail: MadeMail, policy: Sequence[PolicyRule]) -> list[Habit]:
    """What the owner did, message by message."""
    acts: dict[Action, list[HandAct]] = defaultdict(list)
    for rule in policy:
        taken = mail.taken(rule.conditions)
        for message in range(1, mail.all.bit_length()):
            if not taken >> message & 1:
                continue
            action: Action | None = rule.action
            if rng.random() < _SLIPS:
                action = rng.choice([None, rng.choice(policy).action])
            if action is not None:
                day = _FIRST_DAY + timedelta(days=message // _A_DAY)
                acts[action].append(HandAct((message,), 1, day))
    return [Habit(action, done) for action, done in acts.items()]
