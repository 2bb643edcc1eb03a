"""Pieces that are got one ahead: in order, one at a time, and an error where its piece would come."""

import time

import pytest

from mnemic.jobs.server.one_ahead import one_ahead


def test_an_error_comes_where_its_piece_would_and_nothing_is_got_after_it() -> None:
    asked: list[int] = []

    def get(number: int) -> int:
        asked.append(number)
        if number == 3:
            raise ConnectionError
        return number * number

    with one_ahead([1, 2, 3, 4, 5], get) as coming:
        assert [next(coming), next(coming)] == [(1, 1), (2, 4)]
        with pytest.raises(ConnectionError):
            next(coming)
    assert asked == [1, 2, 3]


def test_where_what_is_got_can_not_be_used_nothing_is_under_way_afterwards() -> None:
    ended: list[int] = []

    def get(number: int) -> None:
        time.sleep(0.05)
        ended.append(number)

    def use() -> None:
        with one_ahead([1, 2, 3], get) as coming:
            next(coming)
            raise OSError("the disk is full")

    with pytest.raises(OSError, match="full"):
        use()
    assert ended == [1, 2]


@pytest.mark.parametrize("pieces", [[], [7], [7, 8]])
def test_all_pieces_come(pieces: list[int]) -> None:
    with one_ahead(pieces, str) as coming:
        assert list(coming) == [(piece, str(piece)) for piece in pieces]
