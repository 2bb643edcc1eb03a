"""How a server of an account is come in to: where it is, as whom, and what it may look like."""

import ipaddress
import socket
import ssl
import subprocess
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from mnemic.post.failures import ServerError, UnreachableError

__all__ = [
    "PATIENCE",
    "Access",
    "Secret",
    "Security",
    "refuse_the_open_net",
    "unreachable",
    "words_of",
]

Security: TypeAlias = Literal["tls", "starttls", "none"]

#: Seconds to wait for one answer.
PATIENCE = 20

#: Seconds that a command may take to print a password.
_COMMAND_PATIENCE = 30


@dataclass(frozen=True, slots=True)
class Secret:
    """A password, or a command whose first line of output is a password or an access token."""

    kind: Literal["password", "password-command", "token-command"]
    value: str

    def read(self) -> str:
        """The password or token. Raises AccessRefusedError where the command gives none."""
        if self.kind == "password":
            return self.value
        try:
            done = subprocess.run(  # noqa: S602 -- it is the owner's own command, for a shell
                self.value,
                shell=True,
                check=True,
                capture_output=True,
                timeout=_COMMAND_PATIENCE,
            )
        except subprocess.TimeoutExpired as error:
            raise ServerError(
                f"the command for the password gave none within {_COMMAND_PATIENCE} seconds; run"
                " it by hand to see what it waits for",
                "password",
            ) from error
        except (OSError, subprocess.CalledProcessError) as error:
            raise ServerError(
                "the command for the password failed; run it by hand to see why", "password"
            ) from error
        first, *_ = done.stdout.decode("utf-8", "replace").splitlines() or [""]
        if not first:
            raise ServerError("the command for the password printed nothing", "password")
        return first


@dataclass(frozen=True, slots=True)
class Access:
    """Where a mailbox is on a server, and how to come in.

    ``authorities`` is a PEM file of certificates that are trusted, too.
    """

    host: str
    port: int
    security: Security
    user: str
    secret: Secret
    authorities: str | None = None

    @property
    def address(self) -> str:
        """The server and its port, as people write them."""
        return f"{self.host}:{self.port}"

    def trust(self) -> ssl.SSLContext:
        """What TLS has to be like: TLS 1.2 at least, and a certificate that can be checked."""
        try:
            context = ssl.create_default_context(cafile=self.authorities)
        except (OSError, ssl.SSLError) as error:
            raise ServerError(
                f"the file of authorities {self.authorities} can’t be read; name a PEM file", "ca"
            ) from error
        if self.authorities is not None:
            context.load_default_certs()
        context.minimum_version = ssl.TLSVersion.TLSv1_2
        return context


def refuse_the_open_net(access: Access) -> None:
    """Raise UnreachableError where a password would go over the net without TLS."""
    try:
        addresses = socket.getaddrinfo(access.host, access.port, type=socket.SOCK_STREAM)
    except OSError as error:
        raise unreachable(access, error) from error
    for *_, address in addresses:
        if not ipaddress.ip_address(str(address[0]).partition("%")[0]).is_loopback:
            raise UnreachableError(
                f"{access.host} is another computer: without TLS anybody on the way could read"
                " the password; choose tls or starttls",
                "security",
            )


def unreachable(access: Access, error: BaseException) -> UnreachableError:
    """Why a server could not be reached, in words."""
    where = access.address
    if isinstance(error, socket.gaierror):
        saying = f"there is no server {access.host}; look at how it is written"
    elif isinstance(error, ssl.SSLCertVerificationError):
        saying = (
            f"the certificate of {where} can’t be trusted ({error.verify_message}); if it is"
            " your own, name the file of its authority"
        )
    elif isinstance(error, ssl.SSLError):
        saying = f"{where} does not speak TLS so ({error.reason}); try another security or port"
        return UnreachableError(saying, "security")
    elif isinstance(error, ConnectionRefusedError):
        saying = f"nothing answers at {where}; look at the port"
    elif isinstance(error, TimeoutError):
        saying = f"{where} does not answer within {PATIENCE} seconds"
    else:
        saying = f"{where} can’t be reached: {words_of(error)}"
    return UnreachableError(saying)


def words_of(error: Any) -> str:
    """What a server said, in one line that is not too long."""
    said = error.args[0] if getattr(error, "args", None) else str(error)
    text = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
    return " ".join(text.split())[:200] or type(error).__name__
