"""Whom a script is for: the owner, the account, its folders, and the keywords that labels have."""

from collections.abc import Iterable

from sqlmodel import Session

from mnemic.core.canonical import canonical_address, canonical_name, canonical_path
from mnemic.core.sieve import USUAL, Setting
from mnemic.store.mail.folders import list_folders
from mnemic.store.mail.labels import label_names
from mnemic.store.owner.accounts import list_accounts
from mnemic.store.owner.contacts import known_addresses
from mnemic.store.owner.preferences import read_preferences
from mnemic.store.server.connections import Connection
from mnemic.store.server.label_keywords import label_keywords
from mnemic.store.server.server_folders import ServerFolder, server_folders

__all__ = ["script_setting"]


def script_setting(
    session: Session,
    connection: Connection | None = None,
    capabilities: frozenset[str] = USUAL,
) -> Setting:
    """The setting of a script: for a connected account, else for the first of the mailbox."""
    accounts = list_accounts(session)
    keywords, _ = label_keywords(session)
    mine = [address for account in accounts for address in account.addresses]
    account = connection.account if connection is not None else next(iter(accounts), None)
    folders: dict[str, str] = {}
    names: dict[tuple[str, ...], str] = {}
    separator, prefix = "/", ""
    if connection is not None:
        there = server_folders(session, connection.mailbox_id)
        roles = {folder.id: folder.role for folder in list_folders(session)}
        folders = {role: row.name for key, row in there.items() if (role := roles.get(key))}
        names = {canonical_path(row.path): row.name for row in there.values()}
        separator, prefix = _naming(there.values())
    return Setting(
        me=tuple(dict.fromkeys(map(canonical_address, mine))),
        account=None if account is None else account.address,
        contacts=known_addresses(session),
        timezone=read_preferences(session).zone,
        keywords={canonical_name(n): keywords[key] for key, n in label_names(session).items()},
        capabilities=capabilities,
        folders=folders,
        names=names,
        separator=separator,
        prefix=prefix,
    )


def _naming(folders: Iterable[ServerFolder]) -> tuple[str, str]:
    """What stands between the levels of a folder's name there, and before them all."""
    prefixed = None
    for folder in folders:
        levels = folder.path.split("/")
        separator = folder.name[-len(levels[-1]) - 1 : -len(levels[-1])]
        name = separator.join(levels)
        if not separator or not folder.name.endswith(name):
            continue
        prefix = folder.name.removesuffix(name)
        if len(levels) > 1:
            return separator, prefix
        prefixed = prefixed or (separator, prefix)
    return prefixed or ("/", "")
