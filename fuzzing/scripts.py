"""Sieve scripts of odd pieces: read or refused with a place, and as the stand-in has them."""

from collections.abc import Callable

from hypothesis import given, note
from hypothesis import strategies as st
from tests.sieve import scripts
from tests.sieve.both_ways import by_core, by_script, delivered

from mnemic.core.sieve import SieveError, read_script
from mnemic.core.sieve.reading.deeds import TRIMMED
from mnemic.core.sieve.reading.rules import COPY_BY_NAME
from mnemic.stand_in.sieve import checked

__all__ = ["scripts_are_read"]

_ODD = st.sampled_from(
    [
        *'{}[](),;:"\\#*?$',
        " text:\r\n..x\r\n.\r\n",
        "/* x */",
        "${x}",
        ":copy",
        ":is",
        "not",
        "\x00",
        "\u2028",
        "é",
        "9999999999G",
        '"" ',
        "elsif true { stop; }",
        'set "a" "b";',
        "\r",
        "\n",
    ]
)


def scripts_are_read(counted: Callable[[], None]) -> Callable[[], None]:
    """A script, bent here and there, is refused with lines and columns, or means the same twice."""

    @given(
        scripts.scripts, st.lists(st.tuples(st.integers(0, 400), _ODD), max_size=3), scripts.mail
    )
    def check(script: str, changes: list[tuple[int, str]], mail: bytes) -> None:
        counted()
        for at, odd in changes:
            script = script[:at] + odd + script[at:]
        octets = (scripts.REQUIRE + script).encode()
        note(f"the script: {octets!r}, the mail: {mail!r}")
        try:
            read = read_script(octets)
        except SieveError as error:
            assert error.problems
            assert all(
                problem.line > 0 and problem.column > 0 and problem.reason
                for problem in error.problems
            )
            return
        checked(octets)  # what is taken here, the stand-in takes, too
        message = delivered(mail)
        if any({COPY_BY_NAME, TRIMMED} & set(grade.why) for grade in read.grades):
            return  # told: the stand-in has them in another folder
        core, server = by_core(read.rules, message), by_script(octets, message)
        kept = frozenset(folder for folder in core.folders if folder[0] != "Mnemic/Held back")
        assert (kept, core.sent_on) == (server.folders, server.sent_on)

    return check
