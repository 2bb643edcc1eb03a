"""What the owner has turned away: not told again until there is twice the evidence for it."""

from sqlmodel import Session

from mnemic.store.engine.sql import execute, fetch

__all__ = ["is_turned_away", "turn_away", "turned_away"]


def turn_away(session: Session, what: str, evidence: int) -> None:
    """Keep something away; ``evidence`` is how much spoke for it."""
    execute(
        session,
        "INSERT INTO turned_away (what, evidence) VALUES (:what, :evidence)"
        " ON CONFLICT (what) DO UPDATE SET evidence = excluded.evidence",
        what=what,
        evidence=evidence,
    )


def turned_away(session: Session) -> dict[str, int]:
    """What was turned away, with the evidence that spoke for it then."""
    rows = fetch(session, "SELECT what, evidence FROM turned_away")
    return {str(what): int(evidence) for what, evidence in rows}


def is_turned_away(before: dict[str, int], what: str, evidence: int) -> bool:
    """Whether something is still kept away, with as much evidence as there is now."""
    return what in before and evidence < 2 * max(1, before[what])
