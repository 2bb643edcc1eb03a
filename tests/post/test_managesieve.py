"""Scripts on a server, by the client and the stand-in, and by servers that fail.

The dialogues are those of RFC 5804, from memory.
"""

import smtplib
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat
from cryptography.x509.oid import NameOID

from mnemic.post.access import Access, Secret
from mnemic.post.failures import (
    AccessRefusedError,
    CommandRefusedError,
    NotFollowedError,
    ServerError,
    ServerLostError,
    UnreachableError,
)
from mnemic.post.managesieve import Listed, NoScriptRoomError, managing_scripts
from tests.stand_in.standing_in import PASSWORD, USER, StandIn, standing_in

SCRIPT = b'require "fileinto";\r\n# d\xc3\xa9j\xc3\xa0 vu, "quoted", {3}\r\nfileinto "A";\r\n\r\n'


@pytest.fixture(scope="module")
def there(tmp_path_factory: pytest.TempPathFactory) -> Iterator[StandIn]:
    with standing_in(tmp_path_factory.mktemp("there"), "--script-space", "2000") as running:
        yield running


def access(port: int, **more: object) -> Access:
    secret = Secret("password", str(more.pop("password", PASSWORD)))
    user = str(more.pop("user", USER))
    return Access("127.0.0.1", port, more.pop("security", "none"), user, secret, **more)  # type: ignore[arg-type]


def test_scripts_are_put_listed_read_renamed_and_deleted(there: StandIn) -> None:
    with managing_scripts(access(there.ports["sieve"])) as server:
        assert {"fileinto", "imap4flags", "variables", "vacation"} <= server.extensions
        assert server.scripts() == Listed((), None)
        server.check(SCRIPT)
        server.put('na"me', SCRIPT)
        assert server.get('na"me') == SCRIPT  # octet for octet
        server.activate('na"me')
        assert server.scripts() == Listed(('na"me',), 'na"me')
        server.rename('na"me', "ünï")
        with pytest.raises(CommandRefusedError, match="active"):
            server.delete("ünï")
        server.activate(None)
        server.delete("ünï")
        assert server.scripts() == Listed((), None)
        assert server.get("ünï") is None


def test_what_a_server_refuses_is_told_in_its_words(there: StandIn) -> None:
    with managing_scripts(access(there.ports["sieve"])) as server:
        server.put("kept", b"keep;")
        with pytest.raises(CommandRefusedError, match=r"line 1: no such command: foo"):
            server.check(b"foo;")
        with pytest.raises(CommandRefusedError, match=r"line 1: no such command: foo"):
            server.put("kept", b"foo;")
        with pytest.raises(NoScriptRoomError, match="no room"):
            server.put("large", b"keep;" + b" " * 2_000)
        with pytest.raises(CommandRefusedError, match="no such script"):
            server.activate("missing")
        assert server.get("kept") == b"keep;"
        server.delete("kept")
    for wrong in ({"password": "wrong"}, {"user": "nobody@x.example"}):
        with (
            pytest.raises(AccessRefusedError, match="refused the user name or the password"),
            managing_scripts(access(there.ports["sieve"], **wrong)),
        ):
            pass


def test_the_active_script_sorts_what_comes_in_and_lasts(tmp_path: Path) -> None:
    script = (
        b'require ["fileinto", "mailbox", "imap4flags", "copy", "vacation", "special-use"];\r\n'
        b'if header :contains "subject" "broken" { fileinto "Nowhere"; stop; }\r\n'
        b'addflag ["\\\\Seen", "Permit"]; fileinto :create "Moorings/Permits";\r\n'
        b'fileinto :copy :specialuse "\\\\Archive" "Old"; redirect :copy "c@z.example";\r\n'
        b'vacation :days 2 :subject "Away" "Back soon.";\r\n'
    )

    def send(running: StandIn, subject: str) -> None:
        with smtplib.SMTP("127.0.0.1", running.ports["smtp"]) as client:
            text = f"From: a@y.example\r\nTo: {USER}\r\nSubject: {subject}\r\n\r\nx\r\n"
            client.sendmail("a@y.example", [USER], text)

    with standing_in(tmp_path) as running:
        with managing_scripts(access(running.ports["sieve"])) as server:
            server.put("main", script)
            server.activate("main")
        time.sleep(1)  # it is written twice a second
    with standing_in(tmp_path) as running:
        for subject in ("one", "two", "broken"):
            send(running, subject)
        device = running.device()
        counts = {}
        for folder in ("INBOX", '"Moorings/Permits"', "Archive"):
            counts[folder] = device.select(folder)[1]
        assert counts == {"INBOX": [b"1"], '"Moorings/Permits"': [b"2"], "Archive": [b"2"]}
        flags = device.fetch("1", "(FLAGS)")[1][0]
        assert isinstance(flags, bytes)
        assert b"\\Seen" in flags
        assert b"Permit" in flags
        device.logout()
    sent = [path.read_bytes() for path in sorted((tmp_path / "sent").iterdir())]
    assert sum(b"X-Redirected-To: c@z.example" in called for called in sent) == 2
    assert sum(b"Subject: Away" in called for called in sent) == 1  # once in two days


def certificate(folder: Path) -> Path:
    """A key and its own certificate for this computer, and the certificate alone."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")])
    now = datetime.now(UTC)
    signed = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=2))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(_HERE)]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
        .public_bytes(Encoding.PEM)
    )
    (folder / "signed.pem").write_bytes(signed)
    secret = key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
    both = folder / "both.pem"
    both.write_bytes(secret + signed)
    return both


_HERE = ip_address("127.0.0.1")


def test_it_is_encrypted_before_anybody_logs_in(tmp_path: Path) -> None:
    pem = certificate(tmp_path)
    with standing_in(tmp_path / "there", "--certificate", str(pem)) as running:
        port = running.ports["sieve"]
        trusted = access(port, security="starttls", authorities=str(tmp_path / "signed.pem"))
        with managing_scripts(trusted) as server:
            server.put("main", SCRIPT)
            assert server.scripts().names == ("main",)
        with pytest.raises(UnreachableError, match="can’t be trusted"):  # noqa: SIM117
            with managing_scripts(access(port, security="starttls")):
                pass
        with pytest.raises(UnreachableError, match="no login by PLAIN"):  # noqa: SIM117
            with managing_scripts(access(port)):
                pass


def test_a_token_logs_in(there: StandIn) -> None:
    bearer = Access(
        "127.0.0.1", there.ports["sieve"], "none", USER, Secret("token-command", "echo token")
    )
    with managing_scripts(bearer) as server:
        assert server.scripts() == Listed((), None)


HELLO = b'"SASL" "PLAIN"\r\n"SIEVE" "fileinto"\r\nOK "hello"\r\n'
IN = HELLO + b"OK\r\n" + HELLO


@contextmanager
def answering(octets: bytes) -> Iterator[int]:
    """A server that says this, whatever it is asked, and goes."""
    with socket.create_server(("127.0.0.1", 0)) as listening:

        def answer() -> None:
            connection, _ = listening.accept()
            with connection, suppress(OSError):  # the client has heard enough
                connection.sendall(octets)
                connection.shutdown(socket.SHUT_WR)
                while connection.recv(65_536):
                    pass

        thread = threading.Thread(target=answer)
        thread.start()
        yield listening.getsockname()[1]
        thread.join()


@pytest.mark.parametrize(
    ("octets", "kind", "saying"),
    [
        (b"", ServerLostError, "in the middle of a line"),
        (b"* OK IMAP\r\n", ServerLostError, "in the middle of a line"),
        (b'"SIEVE" "x\r\n', NotFollowedError, "does not speak ManageSieve"),
        (b'BYE "too busy"\r\n', UnreachableError, "too busy"),
        (IN, ServerLostError, "in the middle of a line"),
        (IN + b"{100}\r\nkeep;", ServerLostError, "in the middle of a script"),
        (IN + b"{999999999}\r\n", NotFollowedError, "without end"),
        (IN + b'NO (QUOTA) "full"\r\n', NoScriptRoomError, "full"),
        (IN + b'NO {12}\r\nline 1\r\nbad\r\n', CommandRefusedError, "line 1 bad"),
        (IN + b'BYE "going down"\r\n', ServerLostError, "going down"),
        (IN + b'OK "done"\r\n', NotFollowedError, "gave no script"),
        (b'"a"\r\n' * 700_000, NotFollowedError, "without end"),
    ],
)  # fmt: skip
def test_a_server_that_fails_is_told(octets: bytes, kind: type[ServerError], saying: str) -> None:
    with (
        answering(octets) as port,
        pytest.raises(kind, match=saying),
        managing_scripts(access(port)) as server,
    ):
        server.get("main")


def test_a_connection_that_breaks_in_the_middle_of_a_script_is_told() -> None:
    with (
        answering(IN + b'OK "there is room"\r\n') as port,
        pytest.raises(ServerLostError, match="broke off"),
        managing_scripts(access(port)) as server,
    ):
        server.put("main", SCRIPT)


def test_nothing_answers() -> None:
    with socket.create_server(("127.0.0.1", 0)) as closed:
        port = closed.getsockname()[1]
    with (
        pytest.raises(UnreachableError, match="nothing answers"),
        managing_scripts(access(port)),
    ):
        pass
