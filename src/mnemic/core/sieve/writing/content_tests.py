"""Conditions on what a message holds: texts, header fields, lists, attachments."""

from collections.abc import Iterable, Sequence

from mnemic.core.fields.attachments import AttachmentCondition, AttachmentTypeCondition
from mnemic.core.fields.header import NamedHeaderCondition
from mnemic.core.fields.mailing_list import ListCondition
from mnemic.core.fields.texts import TextCondition
from mnemic.core.sieve.building import anyof, compared, string
from mnemic.core.sieve.syntax import Number, Tag, Test
from mnemic.core.sieve.writing.grades import Said, close, joined, no, same
from mnemic.core.sieve.writing.keys import keys_of, normal_pattern, quoted_wildcards
from mnemic.core.sieve.writing.setting import Setting
from mnemic.core.sieve.writing.text_tests import LINE_ENDS, Ask, said_of_text

__all__ = [
    "said_of_attachment",
    "said_of_attachment_type",
    "said_of_header",
    "said_of_list",
    "said_of_text_field",
]


def _header(*names: str, tags: Sequence[Tag | Number] = ()) -> Ask:
    def ask(match: str, keys: Iterable[str], comparator: str | None) -> Test:
        return compared("header", match, keys, of=names, tags=tags, comparator=comparator)

    return ask


def _body(match: str, keys: Iterable[str], comparator: str | None) -> Test:
    return compared("body", match, keys, tags=(Tag(":text"),), comparator=comparator)


_BODY = "of the text the server may see less or more than a reader does"
_NO_BODY = "the server is not said to have body: it can’t look into the text"


def said_of_text_field(condition: TextCondition, setting: Setting) -> Said:
    """The subject, the text, or either."""
    looks = []
    if condition.field in ("subject", "text"):
        first = (Tag(":index"), Number(1)) if setting.can("index") else ()
        looks.append(said_of_text(condition, setting, _header("subject", tags=first)))
    if condition.field in ("body", "text"):
        if not setting.can("body"):
            return no(_NO_BODY)
        said = said_of_text(condition, setting, _body, LINE_ENDS)
        looks.append(said if said.test is None else said.but(_BODY))
    return joined(looks, anyof)


def said_of_header(condition: NamedHeaderCondition, setting: Setting) -> Said:
    """Every occurrence of a header field."""
    if condition.asks_presence:
        return same(Test("exists", (string(condition.name),)))
    return said_of_text(condition, setting, _header(condition.name))


_LIST_SHAPES = {
    "is": ("*<", ">*"),
    "contains": ("*<*", "*>*"),
    "begins": ("*<", "*>*"),
    "ends": ("*<*", ">*"),
    "wildcard": ("*<", ">*"),
}
_COMMENTS = "comments in a header field are not taken out"


def said_of_list(condition: ListCondition, setting: Setting) -> Said:
    """The list's identifier, between the angle brackets of List-Id (RFC 2919)."""
    ask = _header("list-id")
    if condition.asks_presence:
        return close(ask(":matches", ("*<?*>*",), None), _COMMENTS)
    if condition.test in ("words", "regex"):
        said = said_of_text(condition, setting, ask)
        return said if said.test is None else said.but("its description is looked at, too")
    keys = keys_of(condition, setting)
    before, behind = _LIST_SHAPES[condition.test]
    quote = normal_pattern if condition.test == "wildcard" else quoted_wildcards
    patterns = [f"{before}{quote(text)}{behind}" for text in keys.texts]
    return keys.told(close(ask(":matches", patterns, keys.comparator), _COMMENTS))


_BY_DISPOSITION = "what counts as an attachment is told by its header fields alone"
_BY_TYPE = "an attachment is told by the message’s type alone"
_BY_RAW_TEXT = "its name is looked for anywhere in the undecoded message"


def said_of_attachment(condition: AttachmentCondition, setting: Setting) -> Said:
    """That there is one, or its name (RFC 2183)."""
    if condition.asks_presence:
        return _has_attachment(setting)
    if setting.can("mime"):

        def ask(match: str, keys: Iterable[str], comparator: str | None) -> Test:
            keys = tuple(keys)
            return anyof(
                *(
                    compared(
                        "header",
                        match,
                        keys,
                        of=(field,),
                        tags=(Tag(":mime"), Tag(":anychild"), Tag(":param"), string(parameter)),
                        comparator=comparator,
                    )
                    for field, parameter in _NAMES
                )
            )

        said = said_of_text(condition, setting, ask)
        return said if said.test is None else said.but(_BY_DISPOSITION)
    ascii_only = all(value.isascii() for value in condition.values or ())
    if condition.test in ("wildcard", "regex") or not ascii_only or not setting.can("body"):
        return no("names of attachments can’t be asked for in this way without mime")
    keys = keys_of(condition, setting)
    raw = compared("body", ":contains", keys.texts, tags=(Tag(":raw"),), comparator=keys.comparator)
    return close(raw, _BY_RAW_TEXT)


_NAMES = (("content-disposition", "filename"), ("content-type", "name"))


def _has_attachment(setting: Setting) -> Said:
    if not setting.can("mime"):
        test = compared("header", ":contains", ("multipart/mixed",), of=("content-type",))
        return close(test, _BY_TYPE)
    any_part = (Tag(":mime"), Tag(":anychild"))
    field = ("content-disposition",)
    named = (*any_part, Tag(":param"), string("filename"))
    return close(
        anyof(
            compared("header", ":contains", ("attachment",), of=field, tags=any_part),
            compared("header", ":matches", ("?*",), of=field, tags=named),
        ),
        _BY_DISPOSITION,
    )


def said_of_attachment_type(condition: AttachmentTypeCondition, setting: Setting) -> Said:
    """The media type of an attachment."""
    if setting.can("mime"):

        def ask(match: str, keys: Iterable[str], comparator: str | None) -> Test:
            tags = (Tag(":mime"), Tag(":anychild"), Tag(":contenttype"))
            return compared(
                "header", match, keys, of=("content-type",), tags=tags, comparator=comparator
            )

        said = said_of_text(condition, setting, ask)
        return said if said.test is None else said.but(_BY_DISPOSITION)
    types = [_content_type(condition.test, value) for value in condition.values or ()]
    if not setting.can("body") or None in types:
        return no("types of attachments can’t be asked for in this way without mime")
    tests = [
        compared("body", ":contains", ("",), tags=(Tag(":content"), string(name)))
        for name in types
        if name is not None
    ]
    return close(anyof(*tests), "any part of that type counts")


def _content_type(test: str, value: str) -> str | None:
    """The type as RFC 5173, section 5.2, names it: whole, or what stands before its slash."""
    value = value.lower()
    if test == "is" and value.count("/") == 1:
        return value
    main = {"begins": "/", "wildcard": "/*"}.get(test)
    if main and value.endswith(main) and value.count("/") == 1:
        return value.partition("/")[0]
    return None
