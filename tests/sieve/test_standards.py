"""The examples of the standards, by the interpreter and as rules, against what the texts say.

RFC 5228, 5229, 5230, 5232 and 5233, all from memory. Where a rule can't say an example, it is the
interpreter alone.
"""

import pytest

from mnemic.core.sieve import SieveError, read_script
from mnemic.stand_in.sieve import ScriptRefusedError, checked, run
from tests.sieve.both_ways import NOW, by_core, by_script, delivered

#: RFC 5228, section 9: the message of the examples for a script that sorts by sender and size.
COYOTE = (
    b"From: coyote@desert.example.org\nTo: roadrunner@acme.example.com\n"
    b"Subject: I have a present for you\n\nLook, I'm sorry about the whole anvil thing\n"
)
FROM_ACME = COYOTE.replace(b"coyote@desert.example.org", b"Bob <bob@acme.example.com>")
LARGE = COYOTE + b"x" * (1_100 * 1024)

#: Section 2.7.1 to 2.7.3 and 5: a header field X-Caffeine in three strengths.
CAFFEINE = [
    COYOTE.replace(b"Subject", b"X-Caffeine: %s\nSubject" % cups) for cups in (b"0", b"1", b"2")
]

#: A test, a message, and whether it holds.
TESTS = [
    # RFC 5228, 2.7.1 and 5.7: how the match types compare
    ('header :is "X-Caffeine" "0"', CAFFEINE[0], True),
    ('header :is "X-Caffeine" ["1", "2"]', CAFFEINE[0], False),
    ('header :contains "subject" "PRESENT"', COYOTE, True),
    ('header :is "subject" "present"', COYOTE, False),
    ('header :matches "subject" "*have a ?resent*"', COYOTE, True),
    ('header :matches "subject" "present*"', COYOTE, False),
    ('header :comparator "i;octet" :contains "subject" "PRESENT"', COYOTE, False),
    # 2.4.2.2: of several header fields and several keys one pair is enough
    ('header :contains ["to", "cc"] ["me@example.com", "roadrunner"]', COYOTE, True),
    # 2.7.4: the parts of an address
    ('address :is :all "from" "coyote@desert.example.org"', COYOTE, True),
    ('address :localpart :is "from" "coyote"', COYOTE, True),
    ('address :domain :is "from" "desert.example.org"', COYOTE, True),
    ('address :domain :is "from" "example.org"', COYOTE, False),
    # 5.1: the display name is no part of an address
    ('address :contains "from" "Bob <"', FROM_ACME, False),
    # 5.2, 5.3, 5.8
    ('allof (true, not false, anyof (false, true))', COYOTE, True),
    # 5.5: every one of the named header fields has to be there
    ('exists ["from", "to"]', COYOTE, True),
    ('exists ["from", "date"]', COYOTE, False),
    # 5.9: strictly over, strictly under
    ("size :over 1M", LARGE, True),
    ("size :over 1M", COYOTE, False),
    ("size :under 1M", COYOTE, True),
    # RFC 5228, 2.7.1 with 5.7: an empty key is contained in what is there, and in nothing else
    ('header :contains "x-caffeine" ""', CAFFEINE[0], True),
    ('header :contains "x-caffeine" ""', COYOTE, False),
    # RFC 5233, section 4: ken+sieve@example.org
    ('address :user "to" "ken"', COYOTE.replace(b"roadrunner", b"ken+sieve"), True),
    ('address :detail "to" "sieve"', COYOTE.replace(b"roadrunner", b"ken+sieve"), True),
    ('address :detail :is "to" ""', COYOTE.replace(b"roadrunner", b"ken+"), True),
    ('address :detail :is "to" ""', COYOTE.replace(b"roadrunner", b"ken"), False),
    ('address :detail :matches "to" "*"', COYOTE.replace(b"roadrunner", b"ken"), False),
]  # fmt: skip
ALL = 'require ["fileinto", "subaddress", "imap4flags", "copy", "envelope"];\n'


@pytest.mark.parametrize(("test", "mail", "holds"), TESTS, ids=[test for test, _, _ in TESTS])
def test_a_test_holds_as_the_standard_says(test: str, mail: bytes, *, holds: bool) -> None:
    script = f'{ALL}if {test} {{ fileinto "yes"; }}'
    octets = delivered(mail)
    there = {folder for folder, _ in by_script(script, octets).folders}
    assert there == {"yes" if holds else "INBOX"}
    assert by_core(read_script(script.encode()).rules, octets) == by_script(script, octets)


#: RFC 5228, section 9, the extended example, its domains made ours; and where mail goes by it.
EXTENDED = """\
#
# Example Sieve Filter
# Declare any optional features or extension used by the script
#
require ["fileinto"];

#
# Handle messages from known mailing lists
# Move messages from IETF filter discussion list to filter mailbox
#
if header :is "Sender" "owner-ietf-mta-filters@imc.example"
        {
        fileinto "filter";  # move to "filter" mailbox
        }
#
# Keep all messages to or from people in my company
#
elsif address :DOMAIN :is ["From", "To"] "example.com"
        {
        keep;               # keep in "In" mailbox
        }

#
# Try and catch unsolicited email.  If a message is not to me,
# or it contains a subject known to be spam, file it away.
#
elsif anyof (NOT address :all :contains
               ["To", "Cc", "Bcc"] "me@example.com",
             header :matches "subject"
               ["*make*money*fast*", "*university*dipl*mas*"])
        {
        fileinto "spam";   # move to "spam" mailbox
        }
else
        {
        # Move all other (non-company) mail to "personal"
        # mailbox.
        fileinto "personal";
        }
"""


def letter(**fields: str) -> bytes:
    head = "".join(f"{name.capitalize()}: {value}\n" for name, value in fields.items())
    return f"{head}\nText\n".encode()


@pytest.mark.parametrize(
    ("mail", "folder"),
    [
        (letter(sender="owner-ietf-mta-filters@imc.example", to="me@example.com"), "filter"),
        (letter(**{"from": "boss@EXAMPLE.com"}, to="others@other.example"), "INBOX"),
        (letter(**{"from": "a@b.example"}, to="who@c.example", subject="hello"), "spam"),
        (letter(**{"from": "a@b.example"}, cc="me@example.com", subject="hello"), "personal"),
        (
            letter(**{"from": "a@b.example"}, cc="me@example.com", subject="MAKE money fast!"),
            "spam",
        ),
    ],
)
def test_the_extended_example_of_rfc_5228(mail: bytes, folder: str) -> None:
    octets = delivered(mail)
    came = by_script(EXTENDED, octets)
    assert {name for name, _ in came.folders} == {folder}
    assert by_core(read_script(EXTENDED.encode()).rules, octets) == came


#: RFC 5228, section 3.1: the two examples of if, elsif and else.
CONTROL = [
    ("discard;", "discard;", 'fileinto "INBOX";'),
    (
        'redirect "acm@example.com";',
        'redirect "postmaster@example.com";',
        'redirect "field@example.com";',
    ),
]


@pytest.mark.parametrize("commands", CONTROL, ids=["discard", "redirect"])
@pytest.mark.parametrize("branch", [0, 1, 2], ids=["coyote", "dollars", "neither"])
def test_of_several_branches_the_first_that_holds_is_taken(
    commands: tuple[str, str, str], branch: int
) -> None:
    script = (
        f'require "fileinto"; if header :contains "from" "coyote" {{ {commands[0]} }}'
        f' elsif header :contains ["subject"] ["$$$"] {{ {commands[1]} }}'
        f" else {{ {commands[2]} }}"
    )
    mail = [
        letter(**{"from": "coyote@desert.example.org"}, subject="$$$ I have a present"),
        letter(**{"from": "roadrunner@acme.example.com"}, subject="$$$ for you"),
        letter(**{"from": "roadrunner@acme.example.com"}, subject="Running late"),
    ][branch]
    octets = delivered(mail)
    came = by_script(script, octets)
    alone = by_script(f'require "fileinto"; {commands[branch]}', octets)
    assert came == alone
    core = by_core(read_script(script.encode()).rules, octets)
    kept = frozenset(folder for folder in core.folders if folder[0] != "Mnemic/Held back")
    assert (kept, core.sent_on) == (came.folders, came.sent_on)


#: What scripts do with one message: the folders with their flags, addresses, and the answer.
ACTIONS = [
    # RFC 5228, 2.10.2: the implicit keep; 4.4: discard cancels it; 4.2: redirect does, too
    ("", {"INBOX": []}, []),
    ("discard;", {}, []),
    ("discard; keep;", {"INBOX": []}, []),
    ('redirect "bart@example.com";', {}, ["bart@example.com"]),
    ('fileinto "INBOX.harassment";', {"INBOX.harassment": []}, []),
    # 3.3: stop ends all
    ('if true { fileinto "a"; stop; } fileinto "b";', {"a": []}, []),
    # 2.10.3: one copy for each folder
    ('fileinto "a"; fileinto "a"; fileinto "b";', {"a": [], "b": []}, []),
    # RFC 3894: a copy, and the implicit keep
    ('fileinto :copy "incoming"; redirect :copy "a@b.example";', {"INBOX": [], "incoming": []}, ["a@b.example"]),
    # RFC 5232, 3.1 to 3.3: flags as they are when a place is reached; case does not count
    ('addflag "\\\\Deleted"; removeflag "\\\\deleted"; addflag "Big"; addflag "big";', {"INBOX": ["big"]}, []),
    ('setflag ["\\\\Flagged", "Work"]; setflag "\\\\Seen"; fileinto "INBOX.lists";', {"INBOX.lists": ["\\seen"]}, []),
    ('setflag "\\\\Seen"; fileinto :flags "\\\\Flagged" "a";', {"a": ["\\flagged"]}, []),
    ('addflag "a b"; addflag ["c", "b"];', {"INBOX": ["a", "b", "c"]}, []),
    # RFC 5229, 3: nothing is filled in where variables are not required
    ('fileinto "${x}A"; redirect "${x}@b.example";', {"${x}A": []}, ["${x}@b.example"]),
    # RFC 5232, 3 and 4: flags that wait in a variable, which a test may ask for
    ('require "variables"; setflag "v" "\\\\Seen x"; addflag "v" ["Work", "\\\\seen"]; removeflag "V" "work";'
     ' if hasflag ["u", "v"] "x" { fileinto :flags "${v}" "a"; } keep;', {"a": ["\\seen", "x"], "INBOX": []}, []),
]  # fmt: skip


@pytest.mark.parametrize(
    ("script", "folders", "sent_on"), ACTIONS, ids=[case[0] for case in ACTIONS]
)
def test_an_action_does_what_the_standard_says(
    script: str, folders: dict[str, list[str]], sent_on: list[str]
) -> None:
    octets = delivered(COYOTE)
    came = by_script(ALL + script, octets)
    assert {name: sorted(flags) for name, flags in came.folders} == folders
    assert sorted(came.sent_on) == sent_on
    if "Deleted" in script or ":flags" in script or not script:  # no rule says these
        return
    core = by_core(read_script((ALL + script).encode()).rules, octets)
    kept = {name: sorted(flags) for name, flags in core.folders if name != "Mnemic/Held back"}
    assert (kept, sorted(core.sent_on)) == (folders, sent_on)


#: RFC 5229: variables, which the interpreter has and rules have not. What ${x} is in the end.
VARIABLES = [
    ('set "honorific" "Mr"; set "first" "Wile"; set "x" "${honorific} ${FIRST}";', "Mr Wile"),
    ('set "x" "&%${}!"; ', "&%${}!"),
    ('set "x" "${unknown}${doh!}";', "${doh!}"),
    ('set "a" "juMBlEd lETteRS"; set :length "x" "${a}";', "15"),
    ('set "a" "juMBlEd lETteRS"; set :lower "x" "${a}";', "jumbled letters"),
    ('set "a" "juMBlEd lETteRS"; set :upperfirst :lower "x" "${a}";', "Jumbled letters"),
    ('set :quotewildcard "x" "Rock*";', "Rock\\*"),
    (
        'if header :matches "List-ID" "*<*@*" { set "x" "${1}|${2}|${3}"; }',
        "Sieve |sieve|lists.example>",
    ),
    ('if header :matches "subject" "[*] *" { set "x" "${1}: ${2}"; }', "acme-users: dynamite"),
]


@pytest.mark.parametrize(("script", "value"), VARIABLES, ids=[case[0] for case in VARIABLES])
def test_variables_hold_what_the_standard_says(script: str, value: str) -> None:
    mail = b"Subject: [acme-users] dynamite\nList-ID: Sieve <sieve@lists.example>\n\nx\n"
    text = f'require ["variables", "fileinto"];\n{script}\nfileinto "${{x}}";'
    came = run(checked(text.encode()), mail, now=NOW)
    assert [delivery.folder for delivery in came.delivered] == [value]
    with pytest.raises(SieveError):
        read_script(text.encode())


#: RFC 5230, sections 4.5 and 4.6: who is answered.
ANSWERS = [
    (b"From: a@b.example\nTo: ann@x.example\n", "a@b.example", True),
    (b"From: a@b.example\nTo: other@x.example\n", "a@b.example", False),
    (b"From: a@b.example\nCc: ANN@x.example\n", "a@b.example", True),
    (b"From: a@b.example\nTo: ann@x.example\nAuto-Submitted: auto-replied\n", "a@b.example", False),
    (b"From: a@b.example\nTo: ann@x.example\nAuto-Submitted: no\n", "a@b.example", True),
    (b"From: a@b.example\nTo: ann@x.example\nList-Id: <l.example>\n", "a@b.example", False),
    (b"From: a@b.example\nTo: ann@x.example\nPrecedence: bulk\n", "a@b.example", False),
    (b"From: a@b.example\nTo: ann@x.example\n", "", False),
    (b"From: a@b.example\nTo: ann@x.example\n", "MAILER-DAEMON@b.example", False),
    (b"From: a@b.example\nTo: ann@x.example\n", "owner-list@b.example", False),
]


@pytest.mark.parametrize(("head", "sender", "answered"), ANSWERS)
def test_who_is_answered(head: bytes, sender: str, *, answered: bool) -> None:
    script = 'require "vacation"; vacation :days 7 "I am away.";'
    assert by_script(script, head + b"\nHello\n", sender).answered is answered


@pytest.mark.parametrize(
    "script",
    [
        "keep",
        "keep;}",
        "if true { keep; ",
        'fileinto "a";',
        'require "fileinto"; fileinto :copy "a";',
        'keep; require "fileinto";',
        "foo;",
        "if foo { keep; }",
        'if header "a" { keep; }',
        "else { keep; }",
        'require "no-such-thing";',
        "if " + "not " * 1_000 + "true { keep; }",
        '"',
    ],
)
def test_the_interpreter_refuses_what_the_standard_forbids(script: str) -> None:
    with pytest.raises(ScriptRefusedError, match=r"^line [0-9]+: "):
        checked(script.encode())
