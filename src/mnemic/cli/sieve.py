"""``mnemic sieve``: rules as a script for a server, and scripts as rules (RFC 5228)."""

import sys
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import NoReturn
from zoneinfo import ZoneInfo

import click

from mnemic.cli.opened import opened
from mnemic.cli.owner import contacts_of, timezone
from mnemic.cli.paths import PathArgument
from mnemic.core import Rule, RuleDocument, RuleDocumentError, read_rule_document
from mnemic.core.canonical import canonical_address
from mnemic.core.sieve import (
    MOST_OCTETS,
    Grade,
    RuleGrade,
    Setting,
    SieveError,
    read_script,
    written_script,
)
from mnemic.jobs.line.rule_documents import document_of
from mnemic.jobs.server.script_setting import script_setting

__all__ = ["sieve"]

#: What is wrong with what was given.
_USAGE_STATUS = 2


@click.group()
def sieve() -> None:
    """Rules as Sieve (RFC 5228), from and to scripts."""


@sieve.command("export")
@click.option(
    "--rules", "rules_file", type=PathArgument, metavar="RULES.json", help="Else: the line."
)
@click.option("--me", multiple=True, metavar="ADDRESS", help="An address of yours; repeatable.")
@click.option("--contacts", type=PathArgument, metavar="FILE.vcf", help="Your address book.")
@click.option("--timezone", "zone", callback=timezone, default=None, metavar="ZONE")
@click.option(
    "--for",
    "capabilities",
    multiple=True,
    metavar="CAPABILITY",
    help="What the server can do; repeatable. Else: what most can.",
)
@click.option("-o", "target", type=PathArgument, metavar="FILE", help="Else: standard output.")
def export(
    rules_file: Path | None,
    me: tuple[str, ...],
    contacts: Path | None,
    zone: ZoneInfo | None,
    capabilities: tuple[str, ...],
    target: Path | None,
) -> None:
    """Write rules as one script, with CRLF at the end of each line.

    What is not said in the same way, and what stays here, is told on standard error.
    """
    try:
        rules, setting = _line() if rules_file is None else _document(rules_file)
        if me:
            setting = replace(setting, me=tuple(map(canonical_address, me)), account=me[0])
        if contacts is not None:
            setting = replace(setting, contacts=contacts_of(contacts))
    except OSError as error:
        _end(f"{error.filename}: {error.strerror}")
    except RuleDocumentError as error:
        _end(f"{rules_file} can’t be used:\n{error}")
    if zone is not None:
        setting = replace(setting, timezone=zone)
    if capabilities:
        setting = replace(setting, capabilities=frozenset(capabilities))
    script = written_script(rules, setting)
    _tell(script.grades)
    _write(script.text.encode("utf-8"), target)


def _write(octets: bytes, target: Path | None) -> None:
    if len(octets) >= MOST_OCTETS:
        click.echo(
            f"the script has {len(octets):,} octets; import takes less than {MOST_OCTETS:,}, and"
            " so do many servers",
            err=True,
        )
    if target is None:
        sys.stdout.buffer.write(octets)
        return
    try:
        target.write_bytes(octets)
    except OSError as error:
        _end(f"{target}: {error.strerror}")


def _end(message: str) -> NoReturn:
    click.echo(message, err=True)
    sys.exit(_USAGE_STATUS)


def _document(file: Path) -> tuple[tuple[Rule, ...], Setting]:
    return read_rule_document(file.read_bytes()).rules, Setting()


def _line() -> tuple[tuple[Rule, ...], Setting]:
    """The line of the mailbox, with its owner."""
    with opened() as (_, database), database.reading() as session:
        return document_of(session).rules, script_setting(session)


def _tell(grades: Iterable[RuleGrade]) -> None:
    for grade in grades:
        if grade.grade != Grade.SAME:
            click.echo(str(grade), err=True)


@sieve.command("import")
@click.argument("script", type=PathArgument, metavar="SCRIPT")
@click.option("--timezone", "zone", callback=timezone, default="UTC", show_default=True)
def import_(script: Path, zone: ZoneInfo) -> None:
    """Write the rules that say what a script says, as a rule document on standard output."""
    try:
        read = read_script(script.read_bytes(), zone)
    except OSError as error:
        _end(f"{script}: {error.strerror}")
    except SieveError as error:
        _end("\n".join(f"{script}: {line}" for line in str(error).splitlines()))
    _tell(read.grades)
    document = RuleDocument(format="mnemic-rules", version=1, rules=read.rules)
    click.echo(document.model_dump_json(indent=2, by_alias=True, exclude_defaults=True))
