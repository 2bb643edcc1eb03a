"""No message stops a run: damaged mail through rules of every field and action."""

import json
import re
import sysconfig
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from mnemic.core import CompiledRules, parse_message, read_rule, through_rules

ROOT = Path(__file__).parents[3]
DOCS = (ROOT / "docs/rules.md").read_text("utf-8")
CONDITIONS = [json.loads(piece) for piece in re.findall(r'^\| `(\{"field".*?\})` \|', DOCS, re.M)]
ACTIONS = [json.loads(piece) for piece in re.findall(r'^\| `(\{"do".*?\})` \|', DOCS, re.M)]
RULES = [
    read_rule({"name": f"r{n}", "when": condition, "then": [ACTIONS[n % len(ACTIONS)]]})
    for n, condition in enumerate(CONDITIONS)
] + [read_rule({"name": a["do"], "when": {"always": True}, "then": [a]}) for a in ACTIONS]
COMPILED = CompiledRules(RULES)

MESSAGES = sorted((Path(sysconfig.get_path("stdlib")) / "test/test_email/data").glob("*.txt"))
WHOLE = [path.read_bytes() for path in MESSAGES]
DAMAGE = st.sampled_from(
    [b"", b"\r\n", b"\n\n", b"=?utf-8?q?", b"?=", b'"', b"(", b"<", b"\0", b"\xff\xfe", b"boundary=",
     b"\nContent-Type: ", b"\nContent-Transfer-Encoding: base64\n", b";charset=", b"\nReceived: ;",
     b"=?utf-7?q?+2AA-?=", b"\nContent-Transfer-Encoding: x-uuencode\n", b"\nReturn-Path: \xff@x\n"]
)  # fmt: skip
HITS = st.lists(st.tuples(st.floats(0, 1), st.integers(0, 30), DAMAGE), max_size=12)


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(WHOLE), HITS)
def test_damaged_mail_is_sorted_alike_both_ways(
    octets: bytes, hits: list[tuple[float, int, bytes]]
) -> None:
    for where, cut, put in hits:
        at = int(where * len(octets))
        octets = octets[:at] + put + octets[at + cut :]
    plain = through_rules(RULES, parse_message(octets))
    assert COMPILED.decide(parse_message(octets)) == plain._replace(trail=())
