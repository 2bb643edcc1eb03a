"""Labels as keywords of IMAP (RFC 9051, section 2.3.2): which is which."""

from sqlmodel import Session, select

from mnemic.core.label_keyword import keyword_for
from mnemic.store.engine.server_tables import LabelKeywordRow
from mnemic.store.engine.sql import execute, fetch
from mnemic.store.mail.labels import label_names

__all__ = [
    "deleted_label_keywords",
    "forget_keywords_nobody_bears",
    "keywords_of_others",
    "label_keywords",
]

#: Keywords from elsewhere that are offered.
_OFFERED = 50


def label_keywords(session: Session, *, keep: bool = False) -> tuple[dict[int, str], list[int]]:
    """The keyword of every label, by its id; and the labels that have had none till now.

    Those are given one, which lasts where the session writes (``keep``).
    """
    known = {row.label_id: row.keyword for row in session.exec(select(LabelKeywordRow))}
    new = []
    for label_id, name in label_names(session).items():
        if label_id not in known:
            keyword = keyword_for(name, {keyword.lower() for keyword in known.values()})
            if keep:
                session.add(LabelKeywordRow(label_id=label_id, keyword=keyword))
            known[label_id] = keyword
            new.append(label_id)
    if keep:
        session.flush()
    return known, new


def deleted_label_keywords(session: Session) -> list[str]:
    """The keywords of labels that are deleted here, and may still be borne on a server."""
    return [keyword for (keyword,) in fetch(session, "SELECT keyword FROM deleted_label_keyword")]


def forget_keywords_nobody_bears(session: Session) -> None:
    """Forget those that no message bears any more, as far as servers are known."""
    if deleted_label_keywords(session):
        execute(
            session,
            "DELETE FROM deleted_label_keyword WHERE lower(keyword) NOT IN"
            " (SELECT k.value FROM server_message AS s, json_each(s.keywords) AS k"
            " WHERE s.keywords <> '[]')",
        )


def keywords_of_others(session: Session) -> list[tuple[str, int]]:
    """Keywords on servers that are no labels here, in small letters, the most borne first.

    Each with how many messages bear it. Those of the IANA registry begin with ``$`` and have a
    meaning of their own (RFC 5788): they are left out, as flags of the system are.
    """
    rows = fetch(
        session,
        "SELECT k.value, count(*) FROM server_message AS s, json_each(s.keywords) AS k"
        " WHERE s.keywords <> '[]' AND substr(k.value, 1, 1) NOT IN ('$', char(92))"
        " AND k.value NOT IN (SELECT lower(keyword) FROM label_keyword)"
        " AND k.value NOT IN (SELECT lower(keyword) FROM deleted_label_keyword)"
        " GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT :most",
        most=_OFFERED,
    )
    return [(keyword, int(messages)) for keyword, messages in rows]
