"""What rules depend on beside the message, as the mailbox knows it."""

from collections.abc import Iterator, Mapping
from datetime import datetime

from sqlmodel import Session

from mnemic.core import Circumstances, MessageView
from mnemic.core.message import AddressHeader
from mnemic.store.mail.earlier_senders import EarlierSenders
from mnemic.store.mail.outbox import answered_at
from mnemic.store.owner.accounts import Account, account_for, list_accounts, my_addresses
from mnemic.store.owner.contacts import known_addresses
from mnemic.store.owner.preferences import read_preferences

__all__ = ["MailboxCircumstances"]

_RECIPIENTS: tuple[AddressHeader, ...] = ("delivered_to", "x_original_to", "to", "cc", "bcc")


class _Answered(Mapping[str, datetime]):
    """When senders last had an automatic reply, asked of the store one address at a time."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def __getitem__(self, sender: str) -> datetime:
        return answered_at(self._session, sender)[sender]

    def __iter__(self) -> Iterator[str]:
        return iter(answered_at(self._session))

    def __len__(self) -> int:
        return len(answered_at(self._session))


def _recipients(message: MessageView) -> Iterator[str]:
    """The canonical addresses a message came to, those of its envelope first."""
    yield from (address.canonical for address in message.envelope.addresses)
    for header in _RECIPIENTS:
        yield from (recipient.canonical for recipient in message.addresses.get(header, ()))


class MailboxCircumstances:
    """The owner's addresses, contacts and time zone, read once, and what differs by message."""

    def __init__(self, session: Session, now: datetime) -> None:
        self._session = session
        self.accounts: list[Account] = list_accounts(session)
        self._mine = my_addresses(self.accounts)
        self.zone = read_preferences(session).zone
        self._base = Circumstances(
            now=now,
            timezone=self.zone,
            me=frozenset(self._mine),
            contacts=known_addresses(session),
            answered=_Answered(session),
        )

    @property
    def first_account(self) -> Account | None:
        """The account in whose name Mnemic writes where none is known."""
        return self.accounts[0] if self.accounts else None

    def of(self, received: datetime, message_id: int = 0) -> Circumstances:
        """The circumstances of a message that was received then (0: it is not in the mailbox)."""
        base = self._base  # written out: ``replace`` costs ten times as much, for each message
        return Circumstances(
            base.now,
            base.timezone,
            base.me,
            base.contacts,
            EarlierSenders(self._session, received, message_id),
            base.answered,
        )

    def account_of(self, message: MessageView) -> Account | None:
        """The account a message came to: by its envelope, else its recipients, else the first."""
        if not self._mine:
            return None
        account = account_for(self._mine, _recipients(message))
        return account or self.accounts[0]

    def is_sent(self, message: MessageView) -> bool:
        """Whether the owner wrote it, to others alone."""
        senders = (address.canonical for address in message.addresses.get("from", ()))
        if not self._mine or account_for(self._mine, senders) is None:
            return False
        return account_for(self._mine, _recipients(message)) is None
