"""What a connected account's server could run of the line: looked at, and nothing is changed."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from mnemic.core import Rule
from mnemic.core.sieve import Script, Setting, written_script
from mnemic.post.access import Access
from mnemic.post.failures import CommandRefusedError
from mnemic.post.managesieve import Listed, managing_scripts

__all__ = ["ScriptPreview", "preview_script"]


@dataclass(frozen=True, slots=True)
class ScriptPreview:
    """The line as a script for the server, the scripts that are there, and what the server says of
    ours: None where it would take it.
    """

    script: Script
    there: Listed
    refused: str | None


def preview_script(rules: Sequence[Rule], setting: Setting, access: Access) -> ScriptPreview:
    """Ask a server what it can do, write the line for it, and let it check that.

    Nothing is kept, here or there. Raises ServerError.
    """
    with managing_scripts(access) as server:
        script = written_script(rules, replace(setting, capabilities=server.extensions))
        there, refused = server.scripts(), None
        try:
            server.check(script.text.encode("utf-8"))
        except CommandRefusedError as error:
            refused = str(error)
        return ScriptPreview(script, there, refused)
