"""The names that the interpreter knows, and which of them need a capability (RFC 5228, 3.2)."""

__all__ = ["ACTIONS", "CAPABILITIES", "NAMES_VARIABLE", "NEEDS", "TAKES_VALUE", "TESTS"]

#: What may name variables with flags before its other argument (RFC 5232, section 3).
NAMES_VARIABLE = frozenset({"addflag", "hasflag", "removeflag", "setflag"})

#: How many arguments commands have that are no tags.
ACTIONS: dict[str, tuple[int, ...]] = {
    "addflag": (1, 2),
    "discard": (0,),
    "else": (0,),
    "elsif": (0,),
    "fileinto": (1,),
    "if": (0,),
    "keep": (0,),
    "redirect": (1,),
    "removeflag": (1, 2),
    "require": (1,),
    "set": (2,),
    "setflag": (1, 2),
    "stop": (0,),
    "vacation": (1,),
}

#: The same of tests.
TESTS: dict[str, tuple[int, ...]] = {
    "address": (2,),
    "allof": (0,),
    "anyof": (0,),
    "body": (1,),
    "currentdate": (2,),
    "date": (3,),
    "duplicate": (0,),
    "envelope": (2,),
    "exists": (1,),
    "false": (0,),
    "hasflag": (1, 2),
    "header": (2,),
    "mailboxexists": (1,),
    "not": (0,),
    "size": (1,),
    "string": (2,),
    "true": (0,),
}

#: Tags that something follows, and where.
_COMPARING = (
    "address",
    "body",
    "currentdate",
    "date",
    "envelope",
    "hasflag",
    "header",
    "string",
)
TAKES_VALUE: dict[str, tuple[str, ...]] = {
    ":addresses": ("vacation",),
    ":comparator": _COMPARING,
    ":content": ("body",),
    ":count": _COMPARING,
    ":days": ("vacation",),
    ":flags": ("fileinto", "keep"),
    ":from": ("vacation",),
    ":handle": ("duplicate", "vacation"),
    ":header": ("duplicate",),
    ":index": ("address", "date", "header"),
    ":param": ("header",),
    ":seconds": ("duplicate",),
    ":specialuse": ("fileinto",),
    ":subject": ("vacation",),
    ":uniqueid": ("duplicate",),
    ":value": _COMPARING,
    ":zone": ("currentdate", "date"),
}

#: What a name needs.
NEEDS: dict[str, str] = {
    ":copy": "copy",
    ":count": "relational",
    ":create": "mailbox",
    ":detail": "subaddress",
    ":flags": "imap4flags",
    ":index": "index",
    ":mime": "mime",
    ":regex": "regex",
    ":specialuse": "special-use",
    ":user": "subaddress",
    ":value": "relational",
    "addflag": "imap4flags",
    "body": "body",
    "currentdate": "date",
    "date": "date",
    "duplicate": "duplicate",
    "envelope": "envelope",
    "fileinto": "fileinto",
    "hasflag": "imap4flags",
    "mailboxexists": "mailbox",
    "removeflag": "imap4flags",
    "set": "variables",
    "setflag": "imap4flags",
    "string": "variables",
    "vacation": "vacation",
}

#: What may be required, and so what a server with this interpreter says that it can do.
CAPABILITIES = frozenset(
    {
        *NEEDS.values(),
        "comparator-i;ascii-casemap",
        "comparator-i;ascii-numeric",
        "comparator-i;octet",
        "comparator-i;unicode-casemap",
    }
)
