"""Rules as an office might have them by the thousand, drawn by a seed.

40% sender, 20% domain, 15% recipient, 15% subject, 10% body; one to three conditions, all or any.
The house knows 20,000 senders at 4,000 domains, has 1,000 aliases, and its rules use 20,000 words, so
that a rule speaks mostly of other mail than the message at hand; the senders, aliases and words of
the mail that is measured are among them.
"""

import random
from collections.abc import Callable, Sequence
from typing import Any

from mnemic.core import ParsedMessage, Rule, read_rule

__all__ = ["make_rules"]

_FIELDS = ["sender", "domain", "recipient", "subject", "body"]
_WEIGHTS = [40, 20, 15, 15, 10]
_SENDERS, _DOMAINS, _ALIASES, _WORDS = 20_000, 4_000, 1_000, 20_000
_LETTERS = "abcdefghilmnoprstuvw"


class _Mix:
    def __init__(self, mail: Sequence[ParsedMessage], seed: int) -> None:
        self._random = random.Random(seed)
        senders = {address.address for message in mail for address in message.addresses["from"]}
        recipients = {address.address for message in mail for address in message.addresses["to"]}
        words = {word for message in mail for word in message.body.split()}
        domains = [f"{self._made_up(8)}.example" for _ in range(_DOMAINS)]
        self._senders = self._filled(senders, _SENDERS, lambda: self._address(domains))
        self._recipients = self._filled(recipients, _ALIASES, lambda: self._address(domains))
        self._words = self._filled(words, _WORDS, lambda: self._made_up(7))

    def _filled(self, values: set[str], size: int, make: Callable[[], str]) -> list[str]:
        """What was found in the mail, with made-up ones up to ``size``."""
        return sorted(values) + [make() for _ in range(size - len(values))]

    def _made_up(self, length: int) -> str:
        return "".join(self._random.choices(_LETTERS, k=length))

    def _address(self, domains: list[str]) -> str:
        return f"{self._made_up(6)}@{self._random.choice(domains)}"

    def _phrase(self) -> str:
        return " ".join(self._random.choices(self._words, k=self._random.choice([1, 1, 2])))

    def condition(self) -> dict[str, Any]:
        """One condition of the mix."""
        field = self._random.choices(_FIELDS, _WEIGHTS)[0]
        if field == "sender":
            return {"field": "from", "test": "is", "values": [self._random.choice(self._senders)]}
        if field == "recipient":
            value = self._random.choice(self._recipients)
            return {"field": "recipient", "test": "is", "values": [value]}
        if field == "domain":
            domain = self._random.choice(self._senders).rpartition("@")[2]
            test = self._random.choice(["is", "under"])
            return {"field": "from", "part": "domain", "test": test, "values": [domain]}
        test = self._random.choice(["contains", "words"])
        return {"field": field, "test": test, "values": [self._phrase()]}

    def rule(self, number: int) -> Rule:
        """One rule of the mix."""
        conditions = [self.condition() for _ in range(self._random.randint(1, 3))]
        then = self._random.choice(
            [{"do": "file", "folder": f"F{number}"}, {"do": "label", "label": f"L{number}"}]
        )
        group = self._random.choice(["all", "any"])
        return read_rule({"name": f"r{number}", "when": {group: conditions}, "then": [then]})


def make_rules(mail: Sequence[ParsedMessage], count: int, seed: int = 7) -> list[Rule]:
    """``count`` rules of the mix."""
    mix = _Mix(mail, seed)
    return [mix.rule(number) for number in range(count)]
