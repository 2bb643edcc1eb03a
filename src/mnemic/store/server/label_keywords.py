"""Labels as keywords of IMAP (RFC 9051, section 2.3.2): which is which."""

import re
import unicodedata

from sqlmodel import Session, select

from mnemic.store.engine.server_tables import LabelKeywordRow
from mnemic.store.mail.labels import list_labels

__all__ = ["keyword_for", "label_keywords"]

#: What an atom can't have (RFC 9051, section 9: ATOM-CHAR), and what begins a flag of the system.
_NO_ATOM = re.compile(r'[^\x21-\x7e]|[(){%*"\\\]]')


def keyword_for(name: str, taken: set[str]) -> str:
    """A keyword for a label's name that can be read; ``taken`` are those of others, folded."""
    plain = unicodedata.normalize("NFKD", name)
    plain = "".join(each for each in plain if not unicodedata.combining(each))
    base = keyword = _NO_ATOM.sub("_", plain) or "_"
    number = 1
    while keyword.lower() in taken:
        number += 1
        keyword = f"{base}-{number}"
    return keyword


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
