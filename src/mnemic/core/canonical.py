"""Addresses in the form in which they are compared as a whole."""

from mnemic.core.message.addresses import Address, parse_addresses
from mnemic.core.text.folding import fold

__all__ = ["canonical_address", "without_tag"]


def canonical_address(address: Address | str) -> str:
    """An address folded, its domain in the one IDNA form, without display name."""
    if isinstance(address, str):
        addresses = parse_addresses(address)
        if not addresses:
            return fold(address)
        address = addresses[0]
    return address.canonical


def without_tag(canonical: str) -> str:
    """A canonical address without the +tag of its local part (RFC 5233)."""
    local, at, domain = canonical.rpartition("@")
    return f"{local.partition('+')[0]}{at}{domain}" if at else canonical


def canonical_name(name: str) -> str:
    """A label's name, or a folder's, in the form in which two names are the same."""
    return fold(name)


def canonical_path(path: str) -> tuple[str, ...]:
    """A folder's path, level by level, in the form in which two paths are the same."""
    return tuple(map(canonical_name, path.split("/")))
