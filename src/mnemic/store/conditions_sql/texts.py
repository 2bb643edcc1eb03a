"""Answers about texts: a trigram index narrows, ``instr`` and the core decide."""

from collections.abc import Callable, Iterable, Mapping
from functools import lru_cache
from itertools import chain
from typing import Any

from mnemic.core.fields.attachments import AttachmentCondition, AttachmentTypeCondition
from mnemic.core.fields.header import NamedHeaderCondition
from mnemic.core.fields.mailing_list import ListCondition
from mnemic.core.fields.text_condition import TextTestCondition
from mnemic.core.fields.texts import TextCondition
from mnemic.store.conditions_sql.answer import Answer, Asking, Source, named
from mnemic.store.mail.attachment_types import types_unknown
from mnemic.store.mail.trigram_shares import trigram_shares
from mnemic.store.mail.trigrams import trigram_query

__all__ = ["attachment", "attachment_type", "header", "held_in", "mailing_list", "text"]

#: The text as the message has it.
_BODY = "unpacked_text(t.body, t.packed)"


#: A folded text, NULL where the message has none.
_IF_THERE = {
    "subject": "iif(m.subject IS NULL, NULL, f.subject)",
    "body": "f.body",
    "lists": "iif(m.list_id IS NULL, NULL, f.lists)",
    "attachments": "nullif(f.attachments, '')",
}


def text(condition: TextCondition, asking: Asking) -> Answer:
    """Exact for ``contains``; for other tests, messages with its plain pieces are candidates."""
    columns = ("subject", "body") if condition.field == "text" else (condition.field,)
    if condition.is_exact:
        written = {"subject": "m.subject", "body": _BODY}
        return _as_written(condition, asking, {column: written[column] for column in columns})
    return held_in(columns, condition, asking)


def mailing_list(condition: ListCondition, asking: Asking) -> Answer:
    """The same; exact for ``exists``, too."""
    if condition.asks_presence:
        return Answer("m.list_id IS NOT NULL")
    if condition.is_exact:
        return _as_written(condition, asking, {"lists": "m.list_id"})
    return held_in(("lists",), condition, asking, lines=True)


def attachment(condition: AttachmentCondition, asking: Asking) -> Answer:
    """The same; names are kept in folded form alone."""
    if condition.asks_presence:
        return Answer("m.attachments > 0")
    if condition.is_exact:
        narrowing = _narrowing(condition, asking)
        return Answer("m.attachments > 0", narrowing=narrowing, to_parse="octets")
    return held_in(("attachments",), condition, asking, lines=True)


def attachment_type(condition: AttachmentTypeCondition, asking: Asking) -> Answer:
    """The messages with attachments are candidates; their types stand beside them, as written."""
    if types_unknown(asking.session):
        return Answer("m.attachments > 0", to_parse="octets")
    find, form = condition.find, condition.form

    @lru_cache(maxsize=1_024)  # very many messages have the same
    def passes(types: tuple[Any, ...]) -> bool:
        return any(find(form(media_type)) is not None for media_type in types[0].split("\n"))

    return Answer("m.attachments > 0", looks_at=("m.attachment_types",), passes=passes)


def header(condition: NamedHeaderCondition, asking: Asking) -> Answer:
    """Every message is a candidate: header fields stand in no table."""
    del asking
    return Answer("1", to_parse="header", header_field=condition.name.lower())


def _narrowing(condition: TextTestCondition, asking: Asking) -> str | None:
    """What the trigram index is asked for."""
    return trigram_query(condition.plain_pieces, trigram_shares(asking.session))


def held_in(
    columns: tuple[str, ...], condition: TextTestCondition, asking: Asking, *, lines: bool = False
) -> Answer:
    """The texts of folded columns that hold a value; with ``lines``, there is one on each line.

    A text that holds the value, its only piece, is all that ``contains`` asks for.
    """
    held, parameters = _holding_pieces(columns, condition)
    exact = condition.test == "contains"
    # A folded text is empty where there is none; only what holds for an empty one need know.
    empty = not exact and condition.find(condition.form("")) is not None
    seen = (_IF_THERE[column] if empty else f"f.{column}" for column in columns)
    return Answer(
        held,
        source="fm" if empty else "f",
        parameters=parameters,
        narrowing=_narrowing(condition, asking),
        looks_at=() if exact else tuple(seen),
        passes=None if exact else _passes(condition, lines=lines),
    )


def _holding_pieces(
    columns: Iterable[str], condition: TextTestCondition
) -> tuple[str, dict[str, str]]:
    """SQL for the messages of which a folded column holds all plain pieces of a value."""
    pieces = named(dict.fromkeys(chain(*condition.plain_pieces)))
    names = {piece: name for name, piece in pieces.items()}
    held = " OR ".join(
        " AND ".join(f"instr(f.{column}, :{names[piece]}) > 0" for piece in value) or "1"
        for column in columns
        for value in condition.plain_pieces
    )
    return f"({held})", pieces


def _passes(condition: TextTestCondition, *, lines: bool) -> Callable[[tuple[Any, ...]], bool]:
    find = condition.find

    def any_text(texts: tuple[Any, ...]) -> bool:
        return any(text is not None and find(text) is not None for text in texts)

    def any_line(texts: tuple[Any, ...]) -> bool:
        return texts[0] is not None and any_text(texts[0].split("\n"))

    return any_line if lines else any_text


def _as_written(condition: TextTestCondition, asking: Asking, columns: Mapping[str, str]) -> Answer:
    """The texts as the message has them, by folded column; for tests that folding would change.

    A folded text is read in a tenth of the time: it tells which messages may pass.
    """
    find, form = condition.find, condition.form

    def passes(texts: tuple[Any, ...]) -> bool:
        return any(text is not None and find(form(text)) is not None for text in texts)

    with_body, looks_at = "body" in columns, tuple(columns.values())
    if not all(condition.plain_pieces):  # of one value nothing is certain
        source: Source = "t" if with_body else "m"
        return Answer("1", source, looks_at=looks_at, passes=passes)
    held, parameters = _holding_pieces(columns, condition)
    return Answer(
        held,
        source="ft" if with_body else "fm",
        parameters=parameters,
        narrowing=_narrowing(condition, asking),
        looks_at=looks_at,
        passes=passes,
    )
