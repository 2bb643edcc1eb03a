"""The key that passwords are encrypted with: it lies outside the database."""

import base64
import os
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from mnemic.core import MnemicError

__all__ = ["SecretKey", "WrongKeyError"]

#: Characters of a key that somebody gives, at least.
_LEAST = 32

_NONCE = 12  # octets, as AES-GCM wants them (NIST SP 800-38D)


class WrongKeyError(MnemicError):
    """A secret that this key does not open, or a key that can't be used."""


class SecretKey:
    """Encrypts secrets, each bound to what it is of (AES-GCM with associated data)."""

    def __init__(self, key: bytes) -> None:
        """``key`` is any text; it is stretched to the length that the cipher takes."""
        derived = HKDF(hashes.SHA256(), 32, salt=None, info=b"mnemic secrets").derive(key)
        self._cipher = AESGCM(derived)

    @classmethod
    def of(cls, file: Path, given: str | None) -> "SecretKey":
        """The key that is given, else the one in the file, which is made where it is missing.

        Only its owner can read the file. Raises WrongKeyError where the given one is too short.
        """
        if given is not None:
            if len(given) < _LEAST:
                raise WrongKeyError(
                    f"MNEMIC_SECRET_KEY has {len(given)} characters; give it {_LEAST} or more"
                )
            return cls(given.encode())
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            with os.fdopen(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as new:
                new.write(base64.b64encode(os.urandom(32)))
        except FileExistsError:
            pass
        return cls(file.read_bytes())

    def sealed(self, secret: str, of: str) -> bytes:
        """A secret, encrypted."""
        nonce = os.urandom(_NONCE)
        return nonce + self._cipher.encrypt(nonce, secret.encode(), of.encode())

    def opened(self, sealed: bytes, of: str) -> str:
        """A secret again. Raises WrongKeyError where it was encrypted with another key."""
        try:
            opened = self._cipher.decrypt(sealed[:_NONCE], sealed[_NONCE:], of.encode())
        except (InvalidTag, ValueError) as error:
            raise WrongKeyError(
                "the password can’t be read with this key; bring back the key that it was kept"
                " with (secret.key, or MNEMIC_SECRET_KEY), or give the password again"
            ) from error
        return opened.decode()
