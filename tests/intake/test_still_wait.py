"""What a worker that is only slow, and one whose drive hangs, count as waiting."""

import multiprocessing
import threading
import time

import pytest

from nightly_spindle.intake.still_wait import StillWait


def computing(until):
    while not until.is_set():
        pass


def computing_in_a_thread(until):
    thread = threading.Thread(target=computing, args=(until,))
    thread.start()
    thread.join()


def asleep(until):
    until.wait(120)


def waited(work):
    context = multiprocessing.get_context("fork")
    until = context.Event()
    worker = context.Process(target=work, args=(until,))
    worker.start()
    try:
        time.sleep(0.3)  # it is asleep, or computes, by then
        wait = StillWait()
        return [wait.waited_s(7, now) for now in (100.0, 110.0, 130.0)]
    finally:
        until.set()
        worker.join()


@pytest.mark.parametrize("work", [computing, computing_in_a_thread])
def test_a_worker_that_computes_is_slow_not_hanging(work):
    assert waited(work) == [0.0, 1.0, 3.0]


def test_one_that_sleeps_hangs():
    assert waited(asleep) == [0.0, 10.0, 30.0]


def test_each_file_is_waited_for_anew():
    wait = StillWait()
    assert [wait.waited_s(7, now) for now in (5.0, 8.0)] == [0.0, 3.0]
    assert wait.waited_s(8, 9.0) == 0.0
    wait.end()
    assert wait.waited_s(8, 20.0) == 0.0
