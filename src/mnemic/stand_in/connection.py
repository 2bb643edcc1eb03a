"""One IMAP connection to the stand-in: its arguments, logging in, and what it is told unasked."""

import base64
import re
from collections.abc import Callable, Mapping
from typing import Any

from twisted.mail import imap4

from mnemic.stand_in.boxes import Account, Box, Change, Mail

__all__ = ["Connection", "flag_list"]

_QUOTED = re.compile(rb'"((?:[^"\\]|\\.)*)" ?')
_LITERAL = re.compile(rb"\{(\d+)(\+?)\}$")
_APPENDS = re.compile(rb"(?i)\S+ APPEND .*[ )\"]\{\d+\+?\}$")

#: What there is beyond Twisted's own.
_EXTENSIONS = (
    "LITERAL+ SASL-IR UNSELECT ENABLE ID CHILDREN UIDPLUS MOVE SPECIAL-USE CREATE-SPECIAL-USE"
    " LIST-EXTENDED CONDSTORE QRESYNC"
)

_MECHANISMS = (b"PLAIN", b"XOAUTH2", b"OAUTHBEARER")


def flag_list(flags: set[str]) -> bytes:
    """Flags as a parenthesised list."""
    return b"(" + b" ".join(sorted(flag.encode() for flag in flags)) + b")"


class Connection(imap4.IMAP4Server):
    """Twisted's IMAP server with the arguments and the logging in that it lacks."""

    IDENT = b"stand-in ready"
    #: Twisted's 16 KB drop the line of a long set of UIDs.
    MAX_LENGTH = 1 << 20
    _literalStringLimit = 1 << 20

    account: Account

    def __init__(
        self,
        accounts: Mapping[str, Account],
        tls: Any = None,
        without: frozenset[str] = frozenset(),
    ) -> None:
        """``without``: extensions that are switched off; KEYWORDS: no keywords of one's own."""
        super().__init__(contextFactory=tls)
        self.accounts = accounts
        self.without = without
        self.enabled: set[bytes] = set()
        self.idling = False
        self.later: list[bytes] = []  # an EXPUNGE may not be told between commands
        self._waits_for_go = True
        self._held, self._text, self._need = b"", b"", 0  # a command whose literals still come

    def connectionMade(self) -> None:
        """Say hello. Without delay, else what follows a push waits for the client's delayed ACK."""
        self.transport.setTcpNoDelay(True)
        super().connectionMade()

    def has(self, extension: str) -> bool:
        """Whether an extension is not switched off."""
        return extension not in self.without

    def capabilities(self) -> dict[bytes, list[bytes] | None]:
        """What this server can do."""
        known: dict[bytes, list[bytes] | None] = super().capabilities()
        known[b"AUTH"] = list(_MECHANISMS)
        known |= {name.encode(): None for name in _EXTENSIONS.split()}
        return {name: value for name, value in known.items() if self.has(name.decode())}

    # --- arguments: Twisted reads no backslashes and no literals in the middle of a command

    def arg_astring(self, line: bytes, final: bool = False) -> Any:
        """A word, a quoted string or a literal."""
        line = line.lstrip()
        if line[:1] == b'"':
            quoted = _QUOTED.match(line)
            if not quoted:
                raise imap4.IllegalClientResponse("Unmatched quotes")
            return re.sub(rb"\\(.)", rb"\1", quoted[1]), line[quoted.end() :]
        return super().arg_astring(self._without_plus(line), final)

    def lineReceived(self, line: bytes) -> None:
        """Literals become quoted strings before a command is read; APPEND's go to a file."""
        reads = self.parseState == "command" and self.blocked is None
        literal = _LITERAL.search(line) if reads else None
        if literal and not _APPENDS.match(self._held + line):
            self._held += line[: literal.start()]
            self._need = int(literal[1])
            if not literal[2]:
                self.sendContinuationRequest()
            self.setRawMode()
        else:
            line, self._held = self._held + line, b""
            super().lineReceived(line)

    def rawDataReceived(self, data: bytes) -> None:
        """The octets of a literal."""
        if not self._need:
            super().rawDataReceived(data)
            return
        self._text += data
        if len(self._text) >= self._need:
            text, rest = self._text[: self._need], self._text[self._need :]
            self._held += b'"' + re.sub(rb'(["\\])', rb"\\\1", text) + b'"'
            self._need, self._text = 0, b""
            self.setLineMode(rest)

    def arg_literal(self, line: bytes) -> Any:
        """A literal that goes to a file."""
        return super().arg_literal(self._without_plus(line))

    def _without_plus(self, line: bytes) -> bytes:
        if line[:1] == b"{" and line.endswith(b"+}"):
            self._waits_for_go = False
            return line[:-2] + b"}"
        return line

    def sendContinuationRequest(self, msg: bytes = b"Ready") -> None:
        """Ask for what follows, but where it comes unasked (RFC 7888)."""
        if self._waits_for_go:
            super().sendContinuationRequest(msg)
        self._waits_for_go = True

    def arg_rest(self, line: bytes | None) -> tuple[bytes, bytes]:
        """All that is left of the line."""
        return line or b"", b""

    def named(self, tag: bytes, name: bytes) -> Box | None:
        """The folder of that name; where there is none, that is answered."""
        box = self.account.box(name.decode("imap4-utf-7"))
        if box is None:
            self.sendNegativeResponse(tag, b"[TRYCREATE] No such folder")
        return box

    # --- logging in

    def _enter(self, tag: bytes, account: Account | None) -> None:
        if account is None:
            self.sendNegativeResponse(tag, b"[AUTHENTICATIONFAILED] No")
            return
        self.account, self.state = account, "auth"
        self.setTimeout(self.POSTAUTH_TIMEOUT)
        capabilities = b" ".join(self.listCapabilities())
        self.sendPositiveResponse(tag, b"[CAPABILITY " + capabilities + b"] Welcome")

    def do_LOGIN(self, tag: bytes, user: bytes, password: bytes) -> None:
        """Log in by name and password."""
        if b"LOGINDISABLED" in self.capabilities():
            self.sendNegativeResponse(tag, b"[PRIVACYREQUIRED] TLS first")
            return
        account = self.accounts.get(user.decode())
        good = account is not None and account.password == password.decode()
        self._enter(tag, account if good else None)

    unauth_LOGIN = (do_LOGIN, arg_astring, imap4.IMAP4Server.arg_finalastring)

    def do_AUTHENTICATE(self, tag: bytes, rest: bytes) -> None:
        """Log in by a mechanism of SASL (RFC 4422)."""
        mechanism, _, first = rest.partition(b" ")
        if mechanism.upper() not in _MECHANISMS:
            self.sendNegativeResponse(tag, b"Unknown mechanism")
            return

        def answered(line: bytes) -> None:
            try:
                given = base64.b64decode(line, validate=True).decode()
            except ValueError:
                self.sendBadResponse(tag, b"Not base64")
                return
            self._enter(tag, self._known(mechanism.upper(), given))

        if first:
            answered(b"" if first == b"=" else first)
            return
        self._answered: Callable[[bytes], None] = answered
        self.parseState = "sasl"
        self.sendContinuationRequest(b"")

    def _known(self, mechanism: bytes, given: str) -> Account | None:
        if mechanism == b"PLAIN":
            _, user, password = (*given.split("\0"), "", "", "")[:3]
            account = self.accounts.get(user)
            return account if account is not None and account.password == password else None
        fields = dict(field.split("=", 1) for field in re.split("[\x01,]", given) if "=" in field)
        account = self.accounts.get(fields.get("user") or fields.get("a", ""))
        good = account is not None and fields.get("auth", "") == f"Bearer {account.token}"
        return account if good else None

    def parse_sasl(self, line: bytes) -> None:
        """The answer to what a mechanism asked."""
        self.parseState = "command"
        self._answered(line)

    unauth_AUTHENTICATE = (do_AUTHENTICATE, arg_rest)

    # --- what is told unasked

    def watch(self, change: Change) -> None:
        """Tell of a change that another connection made."""
        if change.by is self:
            return
        if change.kind == "new":
            line = b"%d EXISTS" % change.number
        elif change.kind == "flags":
            line = self.flags_line(change.number, change.mail, with_uid=True)
        elif b"QRESYNC" in self.enabled:
            line = b"VANISHED %d" % change.mail.uid
        else:
            line = b"%d EXPUNGE" % change.number
        if self.idling:
            self.sendUntaggedResponse(line)
        else:
            self.later.append(line)

    def flags_line(self, number: int, mail: Mail, *, with_uid: bool) -> bytes:
        """A FETCH response that tells a message's flags."""
        line = b"%d FETCH (FLAGS %s" % (number, flag_list(mail.flags))
        if with_uid:
            line += b" UID %d" % mail.uid
        if self.enabled:
            line += b" MODSEQ (%d)" % mail.modseq
        return line + b")"

    def flush(self) -> None:
        """Tell what waited for the end of a command."""
        lines, self.later = self.later, []
        for line in lines:
            self.sendUntaggedResponse(line)

    def do_NOOP(self, tag: bytes) -> None:
        """Tell what waits."""
        self.flush()
        self.sendPositiveResponse(tag, b"NOOP done")

    unauth_NOOP = auth_NOOP = select_NOOP = select_CHECK = (do_NOOP,)

    def do_IDLE(self, tag: bytes) -> None:
        """Tell what happens as it does (RFC 2177)."""
        super().do_IDLE(tag)
        self.idling = True
        self.flush()

    def parse_idle(self, *arguments: Any) -> None:
        """The end of IDLE."""
        self.idling = False
        super().parse_idle(*arguments)

    select_IDLE = auth_IDLE = (do_IDLE,)

    def do_ENABLE(self, tag: bytes, rest: bytes) -> None:
        """Switch extensions on (RFC 5161)."""
        asked = [name for name in rest.upper().split() if name in (b"CONDSTORE", b"QRESYNC")]
        new = [name for name in asked if self.has(name.decode())]
        self.enabled.update(new)
        self.sendUntaggedResponse(b"ENABLED " + b" ".join(new))
        self.sendPositiveResponse(tag, b"done")

    auth_ENABLE = select_ENABLE = (do_ENABLE, arg_rest)

    def do_ID(self, tag: bytes, _rest: bytes) -> None:
        """Say who answers (RFC 2971)."""
        self.sendUntaggedResponse(b'ID ("name" "stand-in")')
        self.sendPositiveResponse(tag, b"done")

    unauth_ID = auth_ID = select_ID = (do_ID, arg_rest)
