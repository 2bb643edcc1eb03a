"""Labels as keywords of IMAP (RFC 9051, section 2.3.2): which is which."""

from sqlmodel import Session, select

from mnemic.core.label_keyword import keyword_for
from mnemic.store.engine.server_tables import LabelKeywordRow
from mnemic.store.mail.labels import list_labels

__all__ = ["label_keywords"]


def label_keywords(session: Session, *, keep: bool = False) -> tuple[dict[int, str], list[int]]:
    """The keyword of every label, by its id; and the labels that have had none till now.

    Those are given one, which lasts where the session writes (``keep``).
    """
    known = {row.label_id: row.keyword for row in session.exec(select(LabelKeywordRow))}
    new = []
    for label in list_labels(session):
        if label.id not in known:
            keyword = keyword_for(label.name, {each.lower() for each in known.values()})
            if keep:
                session.add(LabelKeywordRow(label_id=label.id, keyword=keyword))
            known[label.id] = keyword
            new.append(label.id)
    if keep:
        session.flush()
    return known, new
