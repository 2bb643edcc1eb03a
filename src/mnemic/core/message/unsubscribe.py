"""The way to stop a list: List-Unsubscribe (RFC 2369, section 3.2)."""

import re

from mnemic.core.message.view import MessageView

__all__ = ["unsubscribe_addresses"]

_IN_BRACKETS = re.compile(r"<([^<>]+)>")
_WHITE_SPACE = re.compile(r"\s+")

#: What a browser may open. RFC 2369 allows any scheme; others do harm or nothing.
_SCHEMES = ("https:", "http:", "mailto:")


def unsubscribe_addresses(message: MessageView) -> tuple[str, ...]:
    """The addresses by which the list can be left, in the order of its sender's preference."""
    addresses = [
        _WHITE_SPACE.sub("", address)  # a folded address is joined again (RFC 2369, section 2)
        for value in message.header("list-unsubscribe")
        for address in _IN_BRACKETS.findall(value)
    ]
    return tuple(dict.fromkeys(link for link in addresses if link.lower().startswith(_SCHEMES)))
