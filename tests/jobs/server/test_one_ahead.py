"""Pieces that are got one ahead: in order, one at a time, and an error where its piece would come."""

import pytest

from mnemic.jobs.server.one_ahead import one_ahead


def test_an_error_comes_where_its_piece_would_and_one_piece_at_most_is_got_ahead() -> None:
    asked: list[int] = []
    used: list[tuple[int, int]] = []

    def get(number: int) -> int:
        asked.append(number)
        if number == 3:
            raise ConnectionError
        return number * number

    coming = one_ahead([1, 2, 3, 4, 5], get)
    while len(used) < 2:
        used.append(next(coming))
        assert len(asked) <= len(used) + 1
    with pytest.raises(ConnectionError):
        next(coming)
    assert used == [(1, 1), (2, 4)]
    assert asked in ([1, 2, 3], [1, 2, 3, 4])


@pytest.mark.parametrize("pieces", [[], [7], [7, 8]])
def test_all_pieces_come(pieces: list[int]) -> None:
    assert list(one_ahead(pieces, str)) == [(each, str(each)) for each in pieces]
