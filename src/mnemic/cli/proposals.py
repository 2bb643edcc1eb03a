"""``mnemic proposals``: rules that would do what the owner does by hand."""

import json
from datetime import UTC, datetime
from typing import Any

import click

from mnemic.cli.opened import opened
from mnemic.core.proposals import Proposal
from mnemic.jobs.insights.proposals import proposals_for_owner

__all__ = ["proposals"]


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


@click.command()
@click.option("--json", "as_json", is_flag=True, help="One JSON object a line.")
def proposals(*, as_json: bool) -> None:
    """Propose rules from what you do by hand, the surest first; nothing is made."""
    with opened() as (_, database), database.reading() as session:
        proposed = proposals_for_owner(session, now=datetime.now(UTC))
    for proposal in proposed:
        click.echo(json.dumps(_as_object(proposal)) if as_json else _in_words(proposal))
