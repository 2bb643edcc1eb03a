"""The connection breaks while a script is put there."""

from contextlib import suppress
from dataclasses import replace

import pytest

from mnemic.jobs.server.line_as_script import line_as_script
from mnemic.jobs.server.passing import IN_STEP
from mnemic.post.failures import ServerLostError
from mnemic.post.managesieve import Listed, managing_scripts
from mnemic.store.server.connections import connection_of
from mnemic.store.server.server_scripts import (
    keep_server_script,
    server_script,
)
from tests.jobs.server.cutting_proxy import cutting_proxy
from tests.jobs.server.handing import PERMITS, Handed


def written_now(handed: Handed) -> bytes:
    """The line as it would be put there."""
    with managing_scripts(handed.access) as server, handed.both.database.reading() as session:
        connection = connection_of(session, handed.both.account_id)
        assert connection is not None
        return line_as_script(session, connection, server.extensions).octets


#: Where the connection breaks: after a share of the two copies of the script that are sent (to be
#: checked, and to be put), and after so many octets more: around PUTSCRIPT's answer and SETACTIVE.
CUTS = [(0.1, 200), (0.5, 600), (0.9, 900), *((1, more) for more in range(932, 978, 6))]


@pytest.mark.parametrize(("share", "more"), CUTS)
def test_a_connection_that_breaks_leaves_nothing_half_done(
    handed: Handed, share: float, more: int
) -> None:
    """However far it got, rules run on one side, and on which is found out at the next look."""
    both = handed.both
    both.rule("permit", *PERMITS)
    octets = 2 * len(written_now(handed))
    with cutting_proxy(handed.place.port, int(octets * share) + more) as cut:
        with suppress(ServerLostError):
            handed.hand_over(replace(handed.place, port=cut))
        called = handed.deliver("permit")
    with both.database.writing() as session:
        script = server_script(session, both.account_id)
        if script is not None:
            keep_server_script(session, replace(script, place=handed.place))
    runs_there = handed.there().active == "Mnemic"
    assert both.where_there(called) == ["Permits" if runs_there else "INBOX"]
    handed.passing()
    later = handed.deliver("permit")
    handed.passing()
    for name in (called, later):
        assert both.where_there(name) == ["Permits"]
        assert [entry.event for entry in handed.trail(name)] == [
            "server" if runs_there else "arrival"
        ]
    handed.hand_over()
    assert handed.there() == Listed(("Mnemic",), "Mnemic")


#: The same where a change of the line is put there: ours is got, then checked and put.
CUTS_OF_CHANGES = [
    (0.1, 200),
    (0.5, 500),
    (0.9, 900),
    *((1, more) for more in range(970, 1030, 10)),
]


@pytest.mark.parametrize(("share", "more"), CUTS_OF_CHANGES)
def test_a_change_of_the_line_that_breaks_off_is_no_change_of_somebody_else(
    handed: Handed, share: float, more: int
) -> None:
    both = handed.both
    both.rule("permit", *PERMITS)
    handed.hand_over()
    before = handed.script()
    both.rule("invoice", {"do": "file", "folder": "Invoices"})
    octets = len(before.put or b"") + 2 * len(written_now(handed))
    with cutting_proxy(handed.place.port, int(octets * share) + more) as cut:
        place = replace(handed.place, port=cut)
        both.change(lambda session: keep_server_script(session, replace(before, place=place)))
        handed.passing()
    now = replace(handed.script(), place=handed.place)
    both.change(lambda session: keep_server_script(session, now))
    handed.passing()
    assert (handed.line(), handed.script().asks) == (IN_STEP, False)
    assert [rule.rule.name for rule in handed.script().rules] == ["permit", "invoice"]
    assert both.where_there(handed.deliver("invoice")) == ["Invoices"]
