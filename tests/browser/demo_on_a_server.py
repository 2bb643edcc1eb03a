"""The demo with its account on a stand-in that was started for a test."""

import shutil
from pathlib import Path

from mnemic.jobs.server.connecting import connect, try_out
from mnemic.post.access import Access, Secret
from mnemic.post.imap.other_device import Elsewhere
from mnemic.server import secret_key
from mnemic.settings import Settings
from mnemic.store import Database
from mnemic.store.owner.accounts import Account, list_accounts
from mnemic.store.server.connections import Reach
from tests.stand_in.standing_in import PASSWORD, USER, StandIn


def demo_on_a_server(demo: Path, folder: Path, stand_in: StandIn) -> Elsewhere:
    """Copy the demo into a folder, and connect its account to the stand-in, acting."""
    shutil.copytree(demo, folder)
    settings, ports = Settings(data=folder), stand_in.ports
    reach = Reach(
        *("127.0.0.1", ports["imap"], "none", USER, "password", PASSWORD),
        submission=("127.0.0.1", ports["submission"], "none"),
    )
    database = Database(settings.database)
    with database.writing() as session:
        (office, *_) = list_accounts(session)
        account = Account(0, office.name, office.address, office.aliases)
        tried = try_out(reach)
        connect(session, account, reach, secret_key(settings), acting=True, tried=tried)
    database.close()
    access = Access("127.0.0.1", ports["imap"], "none", USER, Secret("password", PASSWORD))
    return Elsewhere(access, ("127.0.0.1", ports["smtp"]))
