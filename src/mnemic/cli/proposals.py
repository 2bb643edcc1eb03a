"""``mnemic proposals``: rules that would do what the owner does by hand."""

import json
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from mnemic.core.proposals import Proposal
from mnemic.jobs.insights.proposals import proposals_for_owner
from mnemic.settings import Settings
from mnemic.store import Database

__all__ = ["told_proposals"]


def _as_object(proposal: Proposal) -> dict[str, Any]:
    return {
        "sentence": proposal.sentence,
        "rule": proposal.rule.model_dump(mode="json", by_alias=True),
        "did": proposal.counted.did.bit_count(),
        "of": proposal.counted.of.bit_count(),
        "takes": proposal.counted.taken.bit_count(),
        "why": proposal.why,
    }


def _in_words(proposal: Proposal) -> str:
    did, of, takes = (
        f"{messages.bit_count():,}"
        for messages in (proposal.counted.did, proposal.counted.of, proposal.counted.taken)
    )
    evidence = f"you did this with {did} of {of}"
    if proposal.why == "waits":
        evidence = f"you read {did} of {of} within a day"
    return f"{proposal.sentence}\n  {evidence}; it takes {takes}"


def told_proposals(settings: Settings, *, as_json: bool) -> Iterator[str]:
    """Each proposal as a line of JSON, or in words, the surest first."""
    database = Database(settings.database)
    try:
        with database.reading() as session:
            proposals = proposals_for_owner(session, now=datetime.now(UTC))
    finally:
        database.close()
    for proposal in proposals:
        yield json.dumps(_as_object(proposal)) if as_json else _in_words(proposal)
