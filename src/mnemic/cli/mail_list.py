"""``mnemic list``: the messages that are here, and where each lies."""

import json
from collections.abc import Iterator
from typing import Any

import click
from sqlmodel import Session

from mnemic.cli.opened import connected_account, opened
from mnemic.jobs.shared.selection import selection_named
from mnemic.store.mail.folders import folder_paths
from mnemic.store.mail.labels import labels_of
from mnemic.store.mail.listing import message_ids, rows_of
from mnemic.store.search.selection import selected_ids
from mnemic.store.server.connections import connections

__all__ = ["list_mail"]


@click.command("list")
@click.option("--account", "name", metavar="NAME", help="The mail of one connected account.")
@click.option("--folder", metavar="PATH", help="The mail of one folder, as Moorings/Permits.")
@click.option("--find", metavar="SEARCH", help="What a search finds, as typed into Find.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def list_mail(*, name: str | None, folder: str | None, find: str | None, as_json: bool) -> None:
    """The messages, the newest first."""
    with opened() as (_, database):
        mailbox_id = None if name is None else connected_account(database, name).mailbox_id
        with database.reading() as session:
            for message in _messages(session, mailbox_id, folder, find):
                if as_json:
                    click.echo(json.dumps(message, ensure_ascii=False))
                else:
                    click.echo(f"{message['id']}\t{message['folder']}\t{message['subject'] or ''}")


def _messages(
    session: Session, mailbox_id: int | None, folder: str | None, find: str | None
) -> Iterator[dict[str, Any]]:
    names = {connection.mailbox_id: connection.account.name for connection in connections(session)}
    paths = folder_paths(session)
    wanted = []
    if folder is not None:
        wanted.append(set(selected_ids(session, selection_named(session, folder=folder))))
    if find is not None:
        wanted.append(set(selected_ids(session, selection_named(session, find=find))))
    for first in _portions(
        [message_id for message_id in message_ids(session) if all(message_id in w for w in wanted)]
    ):
        labels = labels_of(session, first)
        for row in rows_of(session, first):
            if mailbox_id is not None and row.mailbox_id != mailbox_id:
                continue
            yield {
                "id": row.id,
                "account": names.get(row.mailbox_id),
                "folder": paths[row.folder_id],
                "message_id": row.message_id,
                "subject": row.subject,
                "seen": row.seen,
                "flagged": row.flagged,
                "labels": labels.get(row.id or 0, []),
                "colour": row.colour,
                "priority": row.priority,
            }


def _portions(ids: list[int]) -> Iterator[list[int]]:
    for first in range(0, len(ids), 500):
        yield ids[first : first + 500]
