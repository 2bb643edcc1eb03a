"""The commands and tests that are known, how each is written, and what it has to ``require``.

From RFC 5228 and the extensions that are named beside them (from memory).
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, TypeAlias

__all__ = [
    "CAPABILITIES",
    "COMMANDS",
    "COMPARATORS",
    "MATCH_TYPES",
    "NOT_FOR_RULES",
    "TESTS",
    "Form",
    "TagForm",
]

#: What stands after a tag, or in a place of its own.
Kind: TypeAlias = Literal["string", "strings", "number"]


@dataclass(frozen=True, slots=True)
class TagForm:
    """A tagged argument: what follows it, what it needs, and what it can't stand beside.

    Of the tags of one ``group`` one may be there; ``needs`` is a capability.
    """

    follows: Kind | None = None
    needs: str | None = None
    group: str = ""


@dataclass(frozen=True, slots=True)
class Form:
    """How a command or a test is written.

    ``arguments`` stand after all tags; the first may be missing where it is ``optional``, and names
    variables where it is not (RFC 5232, section 3).
    ``tests`` and ``block`` say whether these stand behind them. ``one_of`` names a group of tags
    of which one has to be there.
    """

    arguments: tuple[Kind, ...] = ()
    tags: Mapping[str, TagForm] = field(default_factory=dict)
    needs: str | None = None
    optional: bool = False
    tests: Literal["none", "one", "several"] = "none"
    block: bool = False
    one_of: str = ""


#: RFC 5228, section 2.7.3; RFC 5051; RFC 4790.
COMPARATORS: Mapping[str, str | None] = {
    "i;octet": None,
    "i;ascii-casemap": None,
    "i;unicode-casemap": "comparator-i;unicode-casemap",
    "i;ascii-numeric": "comparator-i;ascii-numeric",
}

#: RFC 5228, section 2.7.1; RFC 5231; draft-ietf-sieve-regex; RFC 6134.
MATCH_TYPES: Mapping[str, TagForm] = {
    ":is": TagForm(group="match"),
    ":contains": TagForm(group="match"),
    ":matches": TagForm(group="match"),
    ":regex": TagForm(needs="regex", group="match"),
    ":count": TagForm("string", "relational", "match"),
    ":value": TagForm("string", "relational", "match"),
    ":list": TagForm(needs="extlists", group="match"),
}

_COMPARED = {**MATCH_TYPES, ":comparator": TagForm("string")}

#: RFC 5228, section 2.7.4; RFC 5233.
_PARTS = {
    ":all": TagForm(group="part"),
    ":localpart": TagForm(group="part"),
    ":domain": TagForm(group="part"),
    ":user": TagForm(needs="subaddress", group="part"),
    ":detail": TagForm(needs="subaddress", group="part"),
}

#: RFC 5703, section 4; RFC 5260, section 6.
_MIME = {
    ":mime": TagForm(needs="mime"),
    ":anychild": TagForm(needs="mime"),
}
_INDEX = {":index": TagForm("number", "index"), ":last": TagForm(needs="index")}
_MIME_OF_HEADER = {
    **_MIME,
    ":type": TagForm(needs="mime", group="mime"),
    ":subtype": TagForm(needs="mime", group="mime"),
    ":contenttype": TagForm(needs="mime", group="mime"),
    ":param": TagForm("strings", "mime", "mime"),
}
_ZONE = {":zone": TagForm("string", group="zone")}

TESTS: Mapping[str, Form] = {
    # RFC 5228, section 5
    "address": Form(("strings", "strings"), {**_COMPARED, **_PARTS, **_INDEX, **_MIME}),
    "allof": Form(tests="several"),
    "anyof": Form(tests="several"),
    "envelope": Form(("strings", "strings"), {**_COMPARED, **_PARTS}, "envelope"),
    "exists": Form(("strings",), _MIME),
    "false": Form(),
    "header": Form(("strings", "strings"), {**_COMPARED, **_INDEX, **_MIME_OF_HEADER}),
    "not": Form(tests="one"),
    "size": Form(
        ("number",),
        {":over": TagForm(group="size"), ":under": TagForm(group="size")},
        one_of="size",
    ),
    "true": Form(),
    # RFC 5173
    "body": Form(
        ("strings",),
        {
            **_COMPARED,
            ":raw": TagForm(group="transform"),
            ":content": TagForm("strings", group="transform"),
            ":text": TagForm(group="transform"),
        },
        "body",
    ),
    # RFC 5260
    "date": Form(
        ("string", "string", "strings"),
        {**_COMPARED, **_ZONE, **_INDEX, ":originalzone": TagForm(group="zone")},
        "date",
    ),
    "currentdate": Form(("string", "strings"), {**_COMPARED, **_ZONE}, "date"),
    # RFC 5229, section 5
    "string": Form(("strings", "strings"), _COMPARED, "variables"),
    # RFC 5232, section 4
    "hasflag": Form(("strings", "strings"), _COMPARED, "imap4flags", optional=True),
    # RFC 5490, section 3.1; RFC 8579, section 4
    "mailboxexists": Form(("strings",), {}, "mailbox"),
    # RFC 7352
    "duplicate": Form(
        (),
        {
            ":handle": TagForm("string"),
            ":header": TagForm("string", group="unique"),
            ":uniqueid": TagForm("string", group="unique"),
            ":seconds": TagForm("number"),
            ":last": TagForm(),
        },
        "duplicate",
    ),
}

_FLAGS = {":flags": TagForm("strings", "imap4flags")}
_COPY = {":copy": TagForm(needs="copy")}

#: RFC 5229, section 4.1.
_MODIFIERS = {
    ":lower": TagForm(group="40"),
    ":upper": TagForm(group="40"),
    ":lowerfirst": TagForm(group="30"),
    ":upperfirst": TagForm(group="30"),
    ":quotewildcard": TagForm(group="20"),
    ":length": TagForm(group="10"),
}

COMMANDS: Mapping[str, Form] = {
    # RFC 5228, sections 3 and 4
    "require": Form(("strings",)),
    "if": Form(tests="one", block=True),
    "elsif": Form(tests="one", block=True),
    "else": Form(block=True),
    "stop": Form(),
    "keep": Form((), _FLAGS),
    "discard": Form(),
    "redirect": Form(("string",), _COPY),
    "fileinto": Form(
        ("string",),
        {
            **_COPY,
            **_FLAGS,
            ":create": TagForm(needs="mailbox"),
            ":specialuse": TagForm("string", "special-use"),
        },
        "fileinto",
    ),
    # RFC 5232, section 3
    "setflag": Form(("string", "strings"), {}, "imap4flags", optional=True),
    "addflag": Form(("string", "strings"), {}, "imap4flags", optional=True),
    "removeflag": Form(("string", "strings"), {}, "imap4flags", optional=True),
    # RFC 5229, section 4
    "set": Form(("string", "string"), _MODIFIERS, "variables"),
    # RFC 5230
    "vacation": Form(
        ("string",),
        {
            ":days": TagForm("number"),
            ":subject": TagForm("string"),
            ":from": TagForm("string"),
            ":addresses": TagForm("strings"),
            ":mime": TagForm(),
            ":handle": TagForm("string"),
        },
        "vacation",
    ),
}

#: Commands and tests of other standards that no rule can say: what each does.
NOT_FOR_RULES: Mapping[str, str] = {
    "reject": "turning mail away at the server (RFC 5429)",
    "ereject": "turning mail away at the server (RFC 5429)",
    "include": "taking in another script (RFC 6609)",
    "return": "going back from a script that was taken in (RFC 6609)",
    "global": "sharing variables between scripts (RFC 6609)",
    "foreverypart": "going through the parts of a message (RFC 5703)",
    "break": "going through the parts of a message (RFC 5703)",
    "extracttext": "taking text out of a part (RFC 5703)",
    "replace": "changing parts of a message (RFC 5703)",
    "enclose": "putting a message into another (RFC 5703)",
    "addheader": "changing the header of a message (RFC 5293)",
    "deleteheader": "changing the header of a message (RFC 5293)",
    "notify": "sending a notice (RFC 5435)",
    "environment": "asking about the server (RFC 5183)",
    "ihave": "asking what the server can do (RFC 5463)",
    "metadata": "asking for annotations of a mailbox (RFC 5490)",
    "metadataexists": "asking for annotations of a mailbox (RFC 5490)",
    "servermetadata": "asking for annotations of the server (RFC 5490)",
    "servermetadataexists": "asking for annotations of the server (RFC 5490)",
    "specialuse_exists": "asking for folders of the server (RFC 8579)",
    "valid_notify_method": "sending a notice (RFC 5435)",
    "notify_method_capability": "sending a notice (RFC 5435)",
    "valid_ext_list": "asking for lists that the server keeps (RFC 6134)",
    "spamtest": "asking for the server’s opinion of spam (RFC 5235)",
    "virustest": "asking for the server’s opinion of viruses (RFC 5235)",
}

#: What may be required (RFC 5228, section 3.2), whether or not a rule can say it.
CAPABILITIES = frozenset(
    {
        "comparator-i;ascii-casemap",
        "comparator-i;ascii-numeric",
        "comparator-i;octet",
        "comparator-i;unicode-casemap",
        *(form.needs for form in (*COMMANDS.values(), *TESTS.values()) if form.needs),
        *(
            tag.needs
            for form in (*COMMANDS.values(), *TESTS.values())
            for tag in form.tags.values()
            if tag.needs
        ),
    }
)
