"""The forms in which a line is written, from the plainest on.

A script acts in its order, and each command counts as it is reached: two places are two copies, and
a flag counts for what is filed later. In a line, of several rules the first wins, and flags count
wherever a message goes. So the order is kept as it is where that makes no difference; else flags
come first and places last; else variables remember what was decided; else, where a server has none,
each place is one chain of conditions.
"""

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence

from mnemic.core.sieve.building import STOP, allof, if_, not_
from mnemic.core.sieve.syntax import Command, Test
from mnemic.core.sieve.writing.deeds import KEEP, Deed
from mnemic.core.sieve.writing.parts import Part
from mnemic.core.sieve.writing.remembering import can_remember, with_variables
from mnemic.core.sieve.writing.setting import Setting

__all__ = ["commands_of", "contested_claims"]

#: Conditions of rules that stop that are written again before a later rule's flags.
_MOST_GUARDS = 8


def commands_of(parts: Sequence[Part], setting: Setting) -> Iterator[tuple[Part | None, Command]]:
    """The commands of rules that are written, each with its rule; None where it is of several."""
    contested = contested_claims(parts)
    apart = _needs_all_places_told(parts, setting) or bool(contested)
    if not apart and not _flags_come_late(parts):
        return _in_order(parts)
    if not apart and _guards(parts) <= _MOST_GUARDS:
        return _flags_first(parts)
    if can_remember(parts, contested, setting):
        return with_variables(parts, contested)
    return _in_chains(parts, contested)


def contested_claims(parts: Iterable[Part]) -> frozenset[Hashable]:
    """Claims that a later rule can make though an earlier one has made it."""
    made: dict[Hashable, list[Deed]] = {}
    contested: set[Hashable] = set()
    for part in parts:
        for deed in part.deeds:
            earlier = made.setdefault(deed.claim, [])
            if any(not _is_same(deed, other) for other in earlier):
                contested.add(deed.claim)
        if not part.stops:
            for deed in part.deeds:
                made[deed.claim] = [*made[deed.claim][-1:], deed]
    return frozenset(contested)


def _is_same(deed: Deed, other: Deed) -> bool:
    """Whether it changes nothing that both are done."""
    same = deed.kind == other.kind and deed.command == other.command
    return same and deed.kind in ("flag", "bar")


def _needs_all_places_told(parts: Iterable[Part], setting: Setting) -> bool:
    """Whether copies and forwards take a message out of the inbox (no RFC 3894)."""
    if setting.can("copy"):
        return False
    return any(deed.kind in ("copy", "send") for part in parts for deed in part.deeds)


def _flags_come_late(parts: Iterable[Part]) -> bool:
    """Whether a later rule may set a flag after an earlier one has filed the message."""
    filed = False
    for part in parts:
        if filed and part.of_kind("flag"):
            return True
        filed = filed or (bool(part.of_kind("place", "copy")) and not part.stops)
    return False


def _guards(parts: Sequence[Part]) -> int:
    """How many conditions of rules that stop stand before the last rule with flags."""
    last = max(at for at, part in enumerate(parts) if part.of_kind("flag"))
    return sum(part.stops for part in parts[:last])


def _commands(deeds: Iterable[Deed]) -> tuple[Command, ...]:
    return tuple(deed.command for deed in deeds if deed.command is not None)


def _block(part: Part, *kinds: str) -> tuple[Command, ...]:
    """What a rule does, flags first and places last, and that it stops."""
    commands = [command for kind in kinds for command in _commands(part.of_kind(kind))]
    if part.stops and "place" in kinds:
        commands.append(STOP)
    return tuple(commands)


def _test(part: Part) -> Test:
    assert part.test is not None  # it is written
    return part.test


def _in_order(parts: Iterable[Part]) -> Iterator[tuple[Part | None, Command]]:
    for part in parts:
        block = _block(part, "flag", "send", "copy", "place")
        if block:
            yield part, if_(_test(part), block)


def _flags_first(parts: Sequence[Part]) -> Iterator[tuple[Part | None, Command]]:
    stopping: list[Test] = []
    for part in parts:
        flags = _block(part, "flag")
        if flags:
            yield part, if_(_unless(stopping, _test(part)), flags)
        if part.stops:
            stopping.append(not_(_test(part)))
    for part in parts:
        block = _block(part, "send", "copy", "place")
        if block:
            yield part, if_(_test(part), block)


def _unless(stopping: Sequence[Test], test: Test) -> Test:
    return allof(*stopping, test) if stopping else test


def _in_chains(
    parts: Sequence[Part], contested: frozenset[Hashable]
) -> Iterator[tuple[Part | None, Command]]:
    """No variables: each condition again for whatever it decides, places as the last chain."""
    stopping: list[Test] = []
    tests: list[tuple[Part, Test]] = []
    for part in parts:
        tests.append((part, _unless(stopping, _test(part))))
        if part.stops:
            stopping.append(not_(_test(part)))
    claims = list(
        dict.fromkeys(
            deed.claim for part in parts for deed in part.deeds if deed.claim in contested
        )
    )
    for kinds in (("flag", "bar"), ("send",), ("copy",)):
        for part, test in tests:
            free = [deed for deed in part.of_kind(*kinds) if deed.claim not in contested]
            if _commands(free):
                yield part, if_(test, _commands(free))
        for claim in claims:
            yield from _chain(tests, _claimed(claim, kinds))
    chain = list(_chain(tests, lambda deed: deed.kind == "place"))
    yield from chain
    yield None, Command("else", (), (), (KEEP,)) if chain else KEEP


def _claimed(claim: Hashable, kinds: Sequence[str]) -> Callable[[Deed], bool]:
    return lambda deed: deed.claim == claim and deed.kind in kinds


def _chain(
    tests: Iterable[tuple[Part, Test]], wanted: Callable[[Deed], bool]
) -> Iterator[tuple[Part | None, Command]]:
    """The first rule that makes a claim, in one chain of conditions."""
    begun = False
    for part, test in tests:
        deeds = [deed for deed in part.deeds if wanted(deed)]
        if deeds:
            yield part, if_(test, _commands(deeds), "elsif" if begun else "if")
            begun = True
