"""Work spread over all cores."""

from __future__ import annotations

import threading
import time

import pytest

from lucky_fern.core.parallel import for_each


def test_when_something_fails_nothing_goes_on_behind_the_back_of_who_called() -> None:
    begun, done, both = [], [], threading.Barrier(2, timeout=10)

    def work(number: int) -> None:
        begun.append(number)
        if number < 2:
            both.wait()
        if number == 0:
            raise ZeroDivisionError("the first")
        time.sleep(0.2)
        done.append(number)

    with pytest.raises(ZeroDivisionError):
        for_each(work, range(60))
    at_return = list(done)
    assert sorted(at_return) == sorted(set(begun) - {0})  # what had begun is finished
    time.sleep(0.3)
    assert done == at_return and len(begun) < 60


def test_results_come_in_the_order_of_the_items() -> None:
    assert for_each(lambda number: (time.sleep(0.001 * (9 - number)), number)[1], range(9)) == list(range(9))
