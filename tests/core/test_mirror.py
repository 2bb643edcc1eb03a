"""Both sides of a mailbox: what they agree on, which commands bring the server there, who is who."""

from collections import Counter

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mnemic.core.mirror import (
    FOR_GOOD,
    Copy,
    Difference,
    Expunge,
    KnownBy,
    Mark,
    Marks,
    Missing,
    Move,
    Spot,
    agreed,
    commands_for,
    matched,
)

PLACES = st.integers(1, 3)
MARKS = st.builds(
    Marks, PLACES, st.booleans(), st.booleans(), st.frozensets(st.sampled_from("abc"), max_size=3)
)


@given(MARKS, MARKS)
def test_what_one_side_alone_changed_holds(before: Marks, changed: Marks) -> None:
    assert agreed(before, changed, before) == changed
    assert agreed(before, before, changed) == changed
    assert agreed(before, before, changed, placed_by_rule=True) == changed


@given(MARKS, MARKS, MARKS, st.booleans())
def test_each_flag_stands_for_itself(
    before: Marks, here: Marks, there: Marks, by_rule: bool
) -> None:
    both = agreed(before, here, there, placed_by_rule=by_rule)
    for side in (here, there):
        if side.seen != before.seen:
            assert both.seen == side.seen
        for keyword in side.keywords ^ before.keywords:
            assert (keyword in both.keywords) == (keyword in side.keywords)
    assert both.keywords <= before.keywords | here.keywords | there.keywords


@pytest.mark.parametrize(
    ("here", "there", "by_rule", "place"),
    [
        (2, 3, False, 2),  # here a person, there a person: here is the later known
        (2, 3, True, 3),  # here a rule, there anybody
        (2, 1, True, 2),
        (1, 3, False, 3),
        (2, 2, True, 2),
    ],
)
def test_who_wins_where_both_moved_it(here: int, there: int, by_rule: bool, place: int) -> None:
    """As the page on servers has it."""
    assert agreed(Marks(1), Marks(here), Marks(there), placed_by_rule=by_rule).place == place


class Server:
    """A server that does what the commands say, to the letter of RFC 6851 and RFC 4315."""

    def __init__(self, messages: dict[tuple[int, int], Marks]) -> None:
        self.lies = {spot: (number, marks) for number, (spot, marks) in enumerate(messages.items())}
        self.deleted = dict.fromkeys(messages, False)
        self.left: set[int] = set()

    def give(self, command: Mark | Move | Copy | Expunge) -> None:
        spots = [(command.folder, uid) for uid in command.uids]
        match command:
            case Mark():
                for spot in spots:
                    self._mark(spot, command)
            case Move() | Copy():
                for spot in spots:
                    number, marks = self.lies[spot]
                    new = (command.target, 1_000 + number)
                    self.lies[new] = number, marks
                    self.deleted[new] = self.deleted[spot]
                    if isinstance(command, Move):
                        del self.lies[spot]
            case Expunge():
                for spot in spots:
                    assert self.deleted[spot], "only what is marked may be expunged"
                    del self.lies[spot]

    def _mark(self, spot: tuple[int, int], command: Mark) -> None:
        number, marks = self.lies[spot]
        system = {"\\Seen": "seen", "\\Flagged": "flagged"}
        values = {
            "place": marks.place,
            "seen": marks.seen,
            "flagged": marks.flagged,
            "keywords": marks.keywords,
        }
        for flag in command.flags:
            if flag == "\\Deleted":
                self.deleted[spot] = command.on
            elif flag in system:
                values[system[flag]] = command.on
            else:
                keywords = values["keywords"]
                assert isinstance(keywords, frozenset)
                values["keywords"] = keywords | {flag} if command.on else keywords - {flag}
        self.lies[spot] = number, Marks(**values)  # type: ignore[arg-type] # one type a name

    def visible(self) -> Counter[tuple[int, int, bool, bool, frozenset[str]]]:
        """Each message that is not marked as deleted: which, where, and what it bears."""
        return Counter(
            (number, folder, marks.seen, marks.flagged, marks.keywords)
            for (folder, _), (number, marks) in self.lies.items()
            if not self.deleted[folder, _]
        )


WANTED = st.one_of(MARKS, MARKS.map(lambda m: Marks(FOR_GOOD, m.seen, m.flagged, m.keywords)))


@given(st.lists(st.tuples(MARKS, WANTED), max_size=12), st.booleans(), st.booleans())
def test_the_commands_bring_the_server_to_what_is_wanted(
    pairs: list[tuple[Marks, Marks]], can_move: bool, can_expunge: bool
) -> None:
    differences = [
        Difference(there.place, uid, there, wanted) for uid, (there, wanted) in enumerate(pairs, 1)
    ]
    server = Server(
        {(difference.folder, difference.uid): difference.there for difference in differences}
    )
    for command in commands_for(differences, can_move=can_move, can_expunge=can_expunge):
        server.give(command)
    expected = Counter(
        (
            number,
            difference.wanted.place,
            difference.wanted.seen,
            difference.wanted.flagged,
            difference.wanted.keywords,
        )
        for number, difference in enumerate(differences)
        if difference.wanted.place != FOR_GOOD
    )
    assert server.visible() == expected


@given(st.lists(MARKS, max_size=6))
def test_nothing_differs_nothing_is_told(there: list[Marks]) -> None:
    same = [Difference(state.place, uid, state, state) for uid, state in enumerate(there)]
    assert commands_for(same) == []


def test_commands_are_few() -> None:
    """One a thousand messages and kind of change."""
    moved = [Difference(1, uid, Marks(1), Marks(2)) for uid in range(2_500)]
    marked = [Difference(1, uid, Marks(1), Marks(1, seen=True)) for uid in range(3_000, 5_000)]
    commands = commands_for(moved + marked)
    assert [type(command) for command in commands] == [Mark, Move, Move, Move]
    assert [len(command.uids) for command in commands] == [2_000, 1_000, 1_000, 500]


A = KnownBy("<a@x.example>", 100, 5)
NAMELESS = KnownBy(None, 100, 5)


@pytest.mark.parametrize(
    ("missing", "new", "known", "unsure"),
    [
        ([Missing(1, A)], {Spot(2, 7): A}, {Spot(2, 7): 1}, set()),
        ([Missing(1, A)], {Spot(2, 7): A._replace(size=101)}, {}, set()),
        ([Missing(1, A)], {Spot(2, 7): A._replace(received=6)}, {}, set()),
        # Two that agree, or no Message-ID: the octets are to be looked at.
        ([Missing(1, A)], {Spot(2, 7): A, Spot(3, 1): A}, {}, {Spot(2, 7), Spot(3, 1)}),
        ([Missing(1, A), Missing(2, A)], {Spot(2, 7): A}, {}, {Spot(2, 7)}),
        ([Missing(1, NAMELESS)], {Spot(2, 7): NAMELESS}, {}, {Spot(2, 7)}),
        # What was told to go somewhere is looked for there first.
        (
            [Missing(1, A, 3)],
            {Spot(2, 7): A, Spot(3, 1): A},
            {Spot(3, 1): 1},
            set(),
        ),
        ([], {Spot(2, 7): A}, {}, set()),
    ],
)
def test_who_is_known_again(
    missing: list[Missing], new: dict[Spot, KnownBy], known: dict[Spot, int], unsure: set[Spot]
) -> None:
    matches = matched(missing, new)
    assert (dict(matches.message_at), set(matches.unsure)) == (known, unsure)
