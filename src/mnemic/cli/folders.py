"""``mnemic folder``: the folders of a mailbox."""

import json
from datetime import UTC, datetime

import click
from sqlmodel import Session

from mnemic.cli.opened import connected_account, opened
from mnemic.jobs.people.folders_and_labels import delete_folder, make_folder, move_folder
from mnemic.store import Database
from mnemic.store.mail.folders import LOCAL, FolderError, ensure_folder, folder_at, list_folders

__all__ = ["folder"]

_account = click.option("--account", "name", metavar="NAME", help="Of one connected account.")


def _now() -> int:
    return int(datetime.now(UTC).timestamp())


def _mailbox(database: Database, name: str | None) -> int:
    """The mailbox that is meant."""
    return LOCAL if name is None else connected_account(database, name).mailbox_id


def _there(session: Session, path: str, mailbox_id: int) -> int:
    folder_id = folder_at(session, path, mailbox_id)
    if folder_id is None:
        raise FolderError(f"there is no folder “{path}”; see mnemic folder list")
    return folder_id


@click.group()
def folder() -> None:
    """Folders: listed, made, renamed, moved and deleted."""


@folder.command("list")
@_account
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def list_(*, name: str | None, as_json: bool) -> None:
    """Every folder, with how many messages it holds."""
    with opened() as (_, database):
        mailbox_id = _mailbox(database, name)
        with database.reading() as session:
            for row in list_folders(session):
                if row.mailbox_id != mailbox_id:
                    continue
                printed = {
                    "account": name,
                    "path": row.path,
                    "role": row.role,
                    "messages": row.total,
                    "unread": row.unread,
                }
                line = f"{row.path}\t{row.total}"
                click.echo(json.dumps(printed, ensure_ascii=False) if as_json else line)


@folder.command("add")
@_account
@click.argument("path")
def add(path: str, *, name: str | None) -> None:
    """Make a folder, with those above it."""
    with opened() as (_, database):
        mailbox_id = _mailbox(database, name)
        with database.writing() as session:
            make_folder(session, path, at=_now(), mailbox_id=mailbox_id)


@folder.command("rename")
@_account
@click.argument("path")
@click.argument("new")
def rename(path: str, new: str, *, name: str | None) -> None:
    """Give a folder another name, where it is."""
    above, _, _ = path.rpartition("/")
    _move(path, new if "/" in new or not above else f"{above}/{new}", name)


@folder.command("move")
@_account
@click.argument("path")
@click.argument("new")
def move(path: str, new: str, *, name: str | None) -> None:
    """Let a folder be at another path; those below it go with it."""
    _move(path, new, name)


def _move(path: str, new: str, name: str | None) -> None:
    with opened() as (_, database):
        mailbox_id = _mailbox(database, name)
        above, _, own = new.strip("/").rpartition("/")
        with database.writing() as session:
            folder_id = _there(session, path, mailbox_id)
            parent = ensure_folder(session, above, mailbox_id) if above else None
            move_folder(session, folder_id, name=own, parent_id=parent, at=_now())


@folder.command("delete")
@_account
@click.argument("path")
def delete(path: str, *, name: str | None) -> None:
    """Delete a folder and those below it; their mail goes to the trash."""
    with opened() as (_, database):
        mailbox_id = _mailbox(database, name)
        with database.writing() as session:
            delete_folder(session, _there(session, path, mailbox_id), at=_now())
