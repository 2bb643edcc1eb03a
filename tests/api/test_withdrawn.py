"""Long questions: they are answered one at a time, and whoever hangs up has no turn."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from flask import Flask

from mnemic.api.withdrawn import LongQuestions, NobodyWaitsError

APP = Flask("asked")


def asking(gone: bool = False):  # type: ignore[no-untyped-def] # Flask's request context
    """A request that is under way; ``gone``: whoever asked has hung up."""
    return APP.test_request_context(
        environ_overrides={"waitress.client_disconnected": lambda: gone}
    )


def test_one_is_answered_at_a_time_also_after_one_that_failed() -> None:
    long, together, most = LongQuestions(), threading.Semaphore(1), threading.Barrier(4)

    def ask(number: int) -> int:
        most.wait(60)
        with asking(), long.in_turn() as check:
            assert together.acquire(blocking=False), "another one is answered at the same time"
            check()
            threading.Event().wait(0.01)
            together.release()
            if number == 0:
                raise LookupError
        return number

    with ThreadPoolExecutor(4) as threads:
        asked = [threads.submit(ask, number) for number in range(4)]
    assert isinstance(asked[0].exception(), LookupError)
    assert [question.result() for question in asked[1:]] == [1, 2, 3]


def test_whoever_hangs_up_while_another_is_answered_does_not_get_a_turn() -> None:
    long = LongQuestions()
    with asking(), long.in_turn(), asking(gone=True), pytest.raises(NobodyWaitsError):
        long.in_turn().__enter__()
    with asking(), long.in_turn():
        pass


def test_nor_does_one_whose_turn_comes_too_late() -> None:
    long = LongQuestions()
    with asking(gone=True), pytest.raises(NobodyWaitsError):
        long.in_turn().__enter__()
    with asking(), long.in_turn():
        pass
