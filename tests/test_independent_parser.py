"""CPython's own e-mail test messages against postal-mime, an independent parser (npm registry)."""

import json
import subprocess
import sysconfig
from pathlib import Path

from mnemic.core import parse_message
from mnemic.core.text.folding import fold

MESSAGES = sorted(
    (Path(sysconfig.get_path("stdlib")) / "test" / "test_email" / "data").glob("*.txt")
)
WEB = Path(__file__).parents[1] / "web"

ATTACHED = "attached messages are attachments here; postal-mime writes them into the text"
NO_PARTS = "no usable boundary: it is read as it stands here, and dropped by postal-mime"
#: What differs, and why that is right here.
DIFFERENT = {
    "msg_02.txt": {"text": ATTACHED},
    "msg_05.txt": {
        "text": ATTACHED,
        "from": "a From without @ is kept as it stands; postal-mime finds no address",
    },
    "msg_06.txt": {"text": ATTACHED},
    "msg_11.txt": {"text": ATTACHED},
    "msg_14.txt": {
        "text": "Content-Type: text is unreadable, so text/plain (RFC 2045, section 5.2)"
    },
    "msg_17.txt": {"text": NO_PARTS},
    "msg_19.txt": {"text": "prose without header: the first line is text, not a header field"},
    "msg_25.txt": {"text": NO_PARTS},
    "msg_28.txt": {"text": ATTACHED},
    "msg_30.txt": {"text": ATTACHED},
    "msg_31.txt": {"text": NO_PARTS},
    "msg_34.txt": {"text": ATTACHED},
    "msg_35.txt": {
        "text": "a line that is no field ends the header; postal-mime drops what follows"
    },
    "msg_38.txt": {"text": ATTACHED},
    "msg_41.txt": {"text": NO_PARTS},
    "msg_42.txt": {"text": ATTACHED},
    "msg_43.txt": {"from": "a sender <> keeps its display name; postal-mime finds no address"},
    "msg_44.txt": {"text": "text parts with a file name are attachments (rule document)"},
    "msg_46.txt": {"text": ATTACHED},
}


def test_subject_senders_and_text_agree_but_for_written_reasons() -> None:
    assert len(MESSAGES) > 40, "this Python came without its test messages"
    words = ["node", "tools/parse-mail.mjs", *map(str, MESSAGES)]
    done = subprocess.run(words, cwd=WEB, capture_output=True, check=True)
    theirs = json.loads(done.stdout)
    different: dict[str, set[str]] = {}
    for path in MESSAGES:
        message, other = parse_message(path.read_bytes()), theirs[str(path)]
        senders = [address.address for address in message.addresses.get("from", ())]
        differing = set()
        if fold(message.subject or "") != fold(other["subject"] or ""):
            differing.add("subject")
        if (senders[0] if senders else None) != (other["from"] or None):
            differing.add("from")
        if not other["html"] and fold(message.plain_text or "") != fold(other["text"] or ""):
            differing.add("text")
        if differing:
            different[path.name] = differing
    assert different == {name: set(reasons) for name, reasons in DIFFERENT.items()}
