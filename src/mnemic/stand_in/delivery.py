"""What comes in is delivered as the account's active script says, else into its inbox."""

import re
import time
from collections.abc import Callable
from email.message import EmailMessage

from mnemic.stand_in.boxes import Account, FolderRefusedError
from mnemic.stand_in.sieve import Delivered, Result, ScriptRefusedError, checked, run

__all__ = ["deliver"]


def deliver(
    account: Account,
    octets: bytes,
    sender: str,
    recipient: str,
    send: Callable[[bytes], None],
) -> None:
    """Put a message where it belongs; what a script sends on goes to ``send``.

    A script that can't be run is as none: nothing is lost (RFC 5228, section 2.10.6).
    """
    result = Result([Delivered("INBOX", ())])
    script = account.scripts.get(account.active)
    if script is not None:
        try:
            known = {key for key, until in account.met.items() if until > time.time()}
            result = run(checked(script), octets, sender, recipient, known=known)
        except (ScriptRefusedError, LookupError, ValueError, RecursionError, re.error):
            result = Result([Delivered("INBOX", ())])
    account.met |= {key: time.time() + seconds for key, seconds in result.tracked.items()}
    for copy in result.delivered:
        _put(account, copy, octets)
    for address in result.redirected:
        send(f"X-Redirected-To: {address}\r\n".encode() + octets)
    for answer in result.answers:
        handle = sender.lower(), str(answer["handle"] or answer["text"])
        due = account.answered.get(handle, 0.0)
        if time.time() >= due:
            account.answered[handle] = time.time() + 86_400 * int(str(answer["days"]))
            send(_answer(answer, sender, recipient))


def _put(account: Account, copy: Delivered, octets: bytes) -> None:
    box = next(
        (special for special in account.boxes.values() if copy.use and special.use == copy.use),
        None,
    )
    box = box or account.box(copy.folder)
    if box is None and copy.create:
        try:
            box = account.create(copy.folder)
        except FolderRefusedError:
            box = None
    box = box or account.boxes["INBOX"]  # an action that fails leaves it in the inbox
    box.add(octets, copy.flags)


def _answer(answer: dict[str, object], sender: str, recipient: str) -> bytes:
    letter = EmailMessage()
    letter["From"], letter["To"] = recipient, sender
    letter["Subject"] = str(answer["subject"] or "Automatic answer")
    letter["Auto-Submitted"] = "auto-replied (vacation)"
    letter.set_content(str(answer["text"]))
    return letter.as_bytes()
