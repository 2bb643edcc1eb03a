"""Whom a script is for: the owner of the mailbox, and the keywords that labels have."""

from sqlmodel import Session

from mnemic.core.canonical import canonical_address, canonical_name
from mnemic.core.sieve import Setting
from mnemic.store.mail.labels import list_labels
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.owner.contacts import known_addresses
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.server.label_keywords import label_keywords

__all__ = ["script_setting"]


def script_setting(session: Session) -> Setting:
    """The setting of a script for the first account of the mailbox."""
    accounts = list_accounts(session)
    keywords, _ = label_keywords(session)
    mine = [address for account in accounts for address in account.addresses]
    return Setting(
        me=tuple(dict.fromkeys(map(canonical_address, mine))),
        account=accounts[0].address if accounts else None,
        contacts=known_addresses(session),
        timezone=read_preferences(session).zone,
        keywords={canonical_name(label.name): keywords[label.id] for label in list_labels(session)},
    )
