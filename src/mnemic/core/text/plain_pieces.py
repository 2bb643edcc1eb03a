"""The plain pieces of a value: what every text that passes holds in its folded form.

An index of folded texts narrows by them, also where a pattern, a wildcard or a text in exactly this
case decides. They claim no more than what is certain: of what is as it is written ASCII alone, and
no letter at its end that folds together with a combining character behind it.
"""

import re

__all__ = ["as_folded", "pieces_of_pattern", "pieces_of_wildcard"]

_WILDCARD = re.compile(r"\\(.)|([*?]+)|(.)", re.DOTALL)

#: A pattern's pieces in RE2's syntax, as far as they tell plain characters from others.
_PATTERN = re.compile(
    r"""(?P<quoted>\\[!-/:-@\[-`{-~])  # a mark that stands for itself
      | (?P<known>\\[dDsSwWbBAzC])     # a class, or a place
      | (?P<unknown>\\.?)              # \x41, \pL, \Q..\E and the like
      | (?P<set>\[\^?\]?(?:\\.|\[:\^?\w+:\]|[^\]\\])*\])
      | (?P<none>[*?]|\{\d+(?:,\d*)?\})  # how often; perhaps never
      | (?P<more>\+)
      | (?P<open>\() | (?P<close>\)) | (?P<either>\|)
      | (?P<any>[.^$])
      | (?P<plain>.)""",
    re.VERBOSE | re.DOTALL,
)


#: Pieces of a value that are told: the longest tell most, and whoever asks asks for each of them.
_MOST_PIECES = 8


def _longest(pieces: list[str]) -> tuple[str, ...]:
    """The longest pieces, in their order."""
    places = sorted(range(len(pieces)), key=lambda place: -len(pieces[place]))[:_MOST_PIECES]
    return tuple(pieces[place] for place in sorted(places) if pieces[place])


def pieces_of_wildcard(value: str) -> tuple[str, ...]:
    """The runs of plain characters of a wildcard (RFC 5228, section 2.7.1, ``:matches``)."""
    pieces = [""]
    for quoted, wild, plain in _WILDCARD.findall(value):
        if wild:
            pieces.append("")
        else:
            pieces[-1] += quoted or plain
    return _longest(pieces)


def pieces_of_pattern(pattern: str) -> tuple[str, ...]:
    """Runs of plain characters that a text has to hold for an RE2 pattern to match somewhere.

    Nothing where it has alternatives, or what could mean whatever; groups are left out.
    """
    pieces, depth = [""], 0
    for token in _PATTERN.finditer(pattern):
        kind, text = token.lastgroup, token.group()
        if kind == "unknown" or (kind == "either" and not depth):
            return ()
        depth += (kind == "open") - (kind == "close")
        if depth or kind == "close":
            pieces.append("")
        elif kind in ("quoted", "plain"):
            pieces[-1] += text[-1]
        else:
            if kind == "none":
                pieces[-1] = pieces[-1][:-1]
            pieces.append("")
    return _longest(pieces)


_ASCII = re.compile(r"[ -~]+")

#: Letters that a mark composes with where they are small alone (Unicode: ẖ, ǰ, ẗ, ẘ, ẙ): what is
#: an H and a mark as it is written, is another letter once it is folded.
_COMPOSED_WHEN_SMALL = "hjtwy"


def as_folded(written: str) -> tuple[str, ...]:
    """What the folded form of a text certainly holds that holds a piece as it is written."""
    runs = (run.lower() for run in _ASCII.findall(written))
    certain = (run[:-1] if run[-1] in _COMPOSED_WHEN_SMALL else run for run in runs)
    return tuple(filter(None, certain))
