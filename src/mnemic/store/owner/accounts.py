"""Accounts: the addresses that are mine."""

from collections.abc import Iterable
from dataclasses import dataclass

from sqlmodel import Session, col, delete, update

from mnemic.core import MnemicError
from mnemic.core.canonical import canonical_address, without_tag
from mnemic.store.engine.driver import driver
from mnemic.store.engine.stamps import Stamped, while_unchanged
from mnemic.store.engine.tables import AccountRow, AliasRow, MessageRow

__all__ = [
    "Account",
    "AddressTakenError",
    "account_for",
    "change_account",
    "delete_account",
    "list_accounts",
    "my_addresses",
]


class AddressTakenError(MnemicError):
    """An address that belongs to another account already."""


@dataclass(frozen=True, slots=True)
class Account:
    """An account with its other addresses."""

    id: int
    name: str
    address: str
    aliases: tuple[str, ...]

    @property
    def addresses(self) -> tuple[str, ...]:
        """Every address of it, its own first."""
        return (self.address, *self.aliases)


def list_accounts(session: Session) -> list[Account]:
    """Every account, in the order in which they were made."""
    tables: tuple[Stamped, ...] = ("account", "alias")
    return list(while_unchanged(session, "accounts", tables, lambda: _read_accounts(session)))


def _read_accounts(session: Session) -> tuple[Account, ...]:
    others: dict[int, list[str]] = {}
    for account_id, address in driver(session).execute(
        "SELECT account_id, address FROM alias ORDER BY id"
    ):
        others.setdefault(account_id, []).append(address)
    rows = driver(session).execute("SELECT id, name, address FROM account ORDER BY id")
    return tuple(
        Account(key, name, address, tuple(others.get(key, ()))) for key, name, address in rows
    )


def my_addresses(accounts: Iterable[Account]) -> dict[str, Account]:
    """The account of each address that is mine, by its canonical form."""
    return {
        canonical_address(address): account for account in accounts for address in account.addresses
    }


def account_for(mine: dict[str, Account], addresses: Iterable[str]) -> Account | None:
    """The account of the first of these canonical addresses that is mine once its +tag is off."""
    for address in addresses:
        account = mine.get(address) or mine.get(without_tag(address))
        if account is not None:
            return account
    return None


def _refuse_taken(session: Session, account: Account) -> None:
    others = [other for other in list_accounts(session) if other.id != account.id]
    taken = my_addresses(others)
    seen: set[str] = set()
    for address in account.addresses:
        key = canonical_address(address)
        if key in taken:
            raise AddressTakenError(
                f"{address} belongs to “{taken[key].name}” already; take it out there first"
            )
        if key in seen:
            raise AddressTakenError(f"{address} is named twice; once is enough")
        seen.add(key)


def change_account(session: Session, account: Account) -> Account:
    """Keep an account as it is given; with id 0 it is made. Returns it with its id.

    Raises AddressTakenError where one of its addresses belongs to another.
    """
    _refuse_taken(session, account)
    row = (session.get(AccountRow, account.id) if account.id else None) or AccountRow(
        name="", address="", canonical=""
    )
    row.name, row.address = account.name, account.address
    row.canonical = canonical_address(account.address)
    session.add(row)
    session.flush()
    session.exec(delete(AliasRow).where(col(AliasRow.account_id) == row.id))
    for alias in account.aliases:
        session.add(
            AliasRow(account_id=row.id or 0, address=alias, canonical=canonical_address(alias))
        )
    session.flush()
    return Account(row.id or 0, account.name, account.address, account.aliases)


def delete_account(session: Session, account_id: int) -> bool:
    """Forget an account; its mail stays. Whether there was such an account."""
    row = session.get(AccountRow, account_id)
    if row is None:
        return False
    session.exec(
        update(MessageRow).where(col(MessageRow.account_id) == account_id).values(account_id=None)
    )
    session.delete(row)
    session.flush()
    return True
