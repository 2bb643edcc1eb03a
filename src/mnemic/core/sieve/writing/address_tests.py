"""Conditions on addresses (RFC 5228, sections 5.1 and 5.4; RFC 5233)."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import idna

from mnemic.core.fields.addresses import AddressCondition
from mnemic.core.sieve.building import anyof, compared
from mnemic.core.sieve.syntax import Tag, Test
from mnemic.core.sieve.writing.grades import Said, close, folded, no, same
from mnemic.core.sieve.writing.keys import Keys, keys_of, normal_pattern
from mnemic.core.sieve.writing.setting import Setting
from mnemic.core.sieve.writing.text_tests import (
    AROUND_ADDRESSES,
    said_of_keys,
    said_of_text,
    words_test,
)
from mnemic.core.text.domains import canonical_domain

__all__ = ["domain_spellings", "said_of_addresses"]

#: The header fields that are looked at.
_HEADERS = {"reply_to": ("reply-to",), "recipient": ("to", "cc", "bcc")}

#: Header fields that a server need not read as addresses (RFC 5228, section 5.1).
_DELIVERED = ("delivered-to", "x-original-to")

_PARTS = {"address": ":all", "domain": ":domain", "local": ":localpart"}

#: What a display name stands between in a header field.
_AROUND_NAMES = (("", " <*"), ('"', '" <*'), ("*, ", " <*"), ("*: ", " <*"), ('*, "', '" <*'))

#: The same for a piece of a name: what may stand around it, up to the address.
_NAME_SHAPES = {
    "contains": (("*", "*<*"),),
    "is": _AROUND_NAMES,
    "begins": (("", "*<*"), ('"', "*<*"), ("*, ", "*<*"), ('*, "', "*<*"), ("*: ", "*<*")),
    "ends": (("*", " <*"), ("*", '" <*')),
}

_BY_HEADER = "the server looks at the whole header field, names and addresses"
_NO_ENVELOPE = "the server is not said to have envelope: mail that names me in Bcc alone is missed"


def said_of_addresses(condition: AddressCondition, setting: Setting) -> Said:
    """A condition on the addresses of a header field, or on every recipient."""
    if condition.test == "regex" and condition.part not in _PARTS:
        return no("a pattern can’t be told of this part of an address")
    if condition.part in ("name", "any"):
        return _names(condition, setting)
    said = _parts(condition, setting)
    if condition.field == "recipient" and not setting.can("envelope"):
        return said.but(_NO_ENVELOPE)
    return said


def _headers(condition: AddressCondition) -> Sequence[str]:
    return _HEADERS.get(condition.field, (condition.field,))


def domain_spellings(domain: str) -> tuple[str, ...]:
    """A domain in Unicode and in ASCII (RFC 5891), where these differ and it is one."""
    canonical = canonical_domain(domain)
    if canonical.isascii():
        return (canonical,)
    try:
        return canonical, idna.encode(canonical).decode("ascii")
    except (idna.IDNAError, UnicodeError):
        return (canonical,)


def _parts(condition: AddressCondition, setting: Setting) -> Said:
    keys = keys_of(condition, setting)
    keys = _with_domains(condition, keys)
    if condition.test == "under":
        return _under(condition, keys, setting)
    if condition.part in ("user", "tag"):
        return _detail(condition, keys, setting)

    def ask(match: str, texts: Iterable[str], comparator: str | None) -> Test:
        return _everywhere(condition, setting, match, tuple(texts), comparator)

    return said_of_keys(condition, keys, setting, ask, AROUND_ADDRESSES)


#: RFC 5891: mail writes such a domain in ASCII mostly, and a piece of that says nothing.
_PIECE_OF_A_DOMAIN = (
    "a piece of a domain with letters beyond ASCII is found only as the mail writes it (xn--)"
)


def _asks_whole_labels(condition: AddressCondition, text: str) -> bool:
    """Whether a value holds no domain, or its last labels whole: those are known in both forms.

    Pieces of labels are not the same in both.
    """
    if condition.test == "ends":
        return text.startswith(".") or "@" in text
    if condition.test == "begins":
        return condition.part != "domain" and "@" not in text
    return condition.test in ("is", "under")


def _with_domains(condition: AddressCondition, keys: Keys) -> Keys:
    """Keys with their domains in both forms."""
    if condition.part == "domain":
        spelt = [spelling for text in keys.texts for spelling in domain_spellings(text)]
    elif condition.part in ("address", "any"):
        spelt = list(_whole(keys.texts))
    else:
        return keys
    whole = all(_asks_whole_labels(condition, text) for text in keys.texts)
    why = keys.why if whole else (*keys.why, _PIECE_OF_A_DOMAIN)
    return replace(keys, texts=tuple(dict.fromkeys(spelt)), why=why)


def _whole(addresses: Iterable[str]) -> Iterable[str]:
    """Addresses in both forms of their domains."""
    for address in addresses:
        local, at, domain = address.rpartition("@")
        for spelt in domain_spellings(domain) if at else (domain,):
            yield f"{local}{at}{spelt}"


def _everywhere(
    condition: AddressCondition,
    setting: Setting,
    match: str,
    keys: Sequence[str],
    comparator: str | None,
) -> Test:
    """The part of each address; of a recipient, also what delivery said of it."""
    part = Tag(_PARTS[condition.part])
    named = compared(
        "address", match, keys, of=_headers(condition), tags=(part,), comparator=comparator
    )
    if condition.field != "recipient":
        return named
    texts = tuple(dict.fromkeys(_in_header(condition.part, match, keys)))
    match_there = ":matches" if condition.part != "address" and match == ":is" else match
    tests = [named]
    if texts:
        tests.append(compared("header", match_there, texts, of=_DELIVERED, comparator=comparator))
    if setting.can("envelope"):
        tests.append(
            compared("envelope", match, keys, of=("to",), tags=(part,), comparator=comparator)
        )
    return anyof(*tests)


def _in_header(part: str, match: str, keys: Sequence[str]) -> Iterable[str]:
    """Keys for a header field that holds one address, maybe in angle brackets."""
    for key in keys:
        if match == ":contains" or match == ":regex":
            yield key  # the parts can't be told from each other there
            continue
        pattern = key if match == ":matches" else _quoted(key) if part != "address" else key
        if part == "domain":
            yield from (f"*@{pattern}", f"*@{pattern}>")
        elif part == "local":
            yield from (f"{pattern}@*", f"<{pattern}@*")
        else:
            yield from (pattern, f"<{pattern}>")


def _quoted(text: str) -> str:
    return Keys((text,), None, ()).patterns(("", ""))[0]


def _under(condition: AddressCondition, keys: Keys, setting: Setting) -> Said:
    headers = _headers(condition)
    domain = (Tag(":domain"),)
    below = keys.patterns(("*.", ""))
    tests = [
        compared("address", ":is", keys.texts, of=headers, tags=domain),
        compared("address", ":matches", below, of=headers, tags=domain),
    ]
    if condition.field == "recipient":
        ends = (("*@", ""), ("*@", ">"), ("*@*.", ""), ("*@*.", ">"))
        tests.append(compared("header", ":matches", keys.patterns(*ends), of=_DELIVERED))
        if setting.can("envelope"):
            tests += [
                compared("envelope", ":is", keys.texts, of=("to",), tags=domain),
                compared("envelope", ":matches", below, of=("to",), tags=domain),
            ]
        return folded(anyof(*tests))
    said = same(anyof(*tests))
    return said if all(text.isascii() for text in keys.texts) else folded(anyof(*tests))


def _detail(condition: AddressCondition, keys: Keys, setting: Setting) -> Said:
    """The part before the first +, or the one behind it (RFC 5233)."""
    recipient = condition.field == "recipient"
    if setting.can("subaddress") and not recipient:
        part = Tag(":user" if condition.part == "user" else ":detail")

        def ask(match: str, texts: Iterable[str], comparator: str | None) -> Test:
            return compared(
                "address", match, texts, of=_headers(condition), tags=(part,), comparator=comparator
            )

        said = said_of_text(condition, setting, ask)
        if said.test is None:
            return said
        return said.but("which sign parts a name from its +tag is for the server to say")
    shapes = _DETAIL_SHAPES.get((condition.part, condition.test))
    if shapes is None:
        return no("this part of an address can’t be asked for in this way")
    if condition.test == "wildcard":
        keys = replace(keys, texts=tuple(map(normal_pattern, keys.texts)))
    patterns = (
        tuple(f"{before}{text}{behind}" for text in keys.texts for before, behind in shapes)
        if condition.test == "wildcard"
        else keys.patterns(*shapes)
    )
    local = (Tag(":localpart"),)
    tests = [compared("address", ":matches", patterns, of=_headers(condition), tags=local)]
    if recipient:
        there = [f"{lead}{pattern}@*" for pattern in patterns for lead in ("", "<")]
        tests.append(compared("header", ":matches", there, of=_DELIVERED))
        if setting.can("envelope"):
            tests.append(compared("envelope", ":matches", patterns, of=("to",), tags=local))
    why = "a second + counts as well" if condition.part == "tag" else "the +tag is looked at, too"
    return keys.told(close(anyof(*tests), why))


#: Patterns of the part before the @ that say something of what stands before or behind the +.
_DETAIL_SHAPES = {
    ("user", "is"): (("", ""), ("", "+*")),
    ("user", "begins"): (("", "*"),),
    ("user", "ends"): (("*", ""), ("*", "+*")),
    ("user", "contains"): (("*", "*"),),
    ("user", "wildcard"): (("", ""), ("", "+*")),
    ("tag", "is"): (("*+", ""),),
    ("tag", "begins"): (("*+", "*"),),
    ("tag", "ends"): (("*+*", ""),),
    ("tag", "contains"): (("*+*", "*"),),
    ("tag", "wildcard"): (("*+", ""),),
}


def _names(condition: AddressCondition, setting: Setting) -> Said:
    """Display names, which no test sees by themselves: the header field is looked at."""
    headers = _headers(condition)
    keys = keys_of(condition, setting)
    if condition.part == "any":
        keys = _with_domains(condition, keys)

    def header(match: str, texts: Iterable[str], comparator: str | None = None) -> Test:
        return compared("header", match, texts, of=headers, comparator=comparator)

    if condition.part == "any" and condition.test == "contains":
        return keys.told(close(header(":contains", keys.texts, keys.comparator), _BY_HEADER))
    shapes = _NAME_SHAPES.get(condition.test)
    if shapes is not None:
        test = header(":matches", keys.patterns(*shapes), keys.comparator)
    elif condition.test == "words":
        test = words_test(keys, header, AROUND_ADDRESSES, "" if condition.part == "any" else "<*")
    else:
        return no("a name can’t be asked for in this way")
    if condition.part == "any" and condition.test in ("is", "begins", "ends"):
        shape = {"is": ("", ""), "begins": ("", "*"), "ends": ("*", "")}[condition.test]
        whole = (Tag(":all"),)
        test = anyof(
            compared(
                "address",
                ":matches",
                keys.patterns(shape),
                of=headers,
                tags=whole,
                comparator=keys.comparator,
            ),
            test,
        )
    return keys.told(close(test, _BY_HEADER))
