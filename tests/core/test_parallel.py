"""Work spread over all cores."""

from __future__ import annotations

import gc
import threading
import time
import weakref

import pytest

from lucky_fern.core.once import once
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


class Told:
    """Something with a value that takes the pool to work out."""

    def __init__(self) -> None:
        self.made, self.begun = 0, threading.Event()

    @once
    def value(self) -> list[int]:
        """Nine squares."""
        self.made += 1
        self.begun.set()
        time.sleep(0.2)
        return for_each(lambda number: number**2, range(9))


def test_a_value_worked_out_by_the_pool_may_be_asked_for_by_the_pool_meanwhile() -> None:
    told, got = Told(), []
    asking = threading.Thread(target=lambda: got.append(told.value), daemon=True)
    asking.start()
    assert told.begun.wait(5)
    many = threading.Thread(target=lambda: got.extend(for_each(lambda _: told.value, range(16))), daemon=True)
    many.start()
    for thread in (asking, many):
        thread.join(20)
        assert not thread.is_alive()
    assert len(got) == 17 and all(one is told.value for one in got)


def test_a_value_is_worked_out_once_and_does_not_keep_those_of_others_waiting() -> None:
    slow, quick, got = Told(), Told(), []
    threads = [threading.Thread(target=lambda: got.append(slow.value)) for _ in range(5)]
    for thread in threads:
        thread.start()
    assert slow.begun.wait(5)
    vars(quick)["value"] = [1]  # handed over
    began = time.monotonic()
    other = Told()
    assert quick.value == [1] and other.value[2] == 4  # while the slow one is still being worked out
    assert time.monotonic() - began < 5
    for thread in threads:
        thread.join(20)
    assert slow.made == 1 and len(got) == 5 and Told.value.__doc__ == "Nine squares."


class Large:
    """What work is about."""


def test_what_work_was_about_ends_with_what_it_raised() -> None:
    gc.disable()
    try:
        for count in (1, 9):
            large = Large()
            known = weakref.ref(large)

            def work(number: int, large: Large = large) -> None:
                raise ZeroDivisionError(f"{number} of {large}")

            try:
                for_each(work, range(count))
            except ZeroDivisionError:
                pass
            else:
                raise AssertionError("it raises")
            del large, work
            end = time.monotonic() + 5
            while known() is not None and time.monotonic() < end:
                time.sleep(0.01)  # a thread of the pool may still be leaving it
            assert known() is None
    finally:
        gc.enable()
