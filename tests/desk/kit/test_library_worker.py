"""Which answers are given where a thing is asked again before it was answered."""

import threading

import pytest

from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.store.base.station_folder import new_station


@pytest.fixture
def worker(tmp_path, qtbot):
    folder = tmp_path / "st"
    new_station(folder, {"name": "Bare", "timezone": "UTC"})
    made = LibraryWorker(folder)
    yield made
    made.close()


def asked_four_times(worker, qtbot, *, news):
    """Ask while the first is under way; return what was given, in order."""
    given, begun, go = [], threading.Event(), threading.Event()

    def slow(_catalogue):
        begun.set()
        assert go.wait(20)
        return 1

    worker.look(slow, given.append, "board", news=news)
    assert begun.wait(20)
    for number in (2, 3, 4):
        worker.look(lambda _c, number=number: number, given.append, "board", news=news)
    go.set()
    qtbot.waitUntil(lambda: given[-1:] == [4], timeout=20_000)
    return given


def test_of_news_what_was_under_way_is_told_and_what_waited_is_passed_over(worker, qtbot):
    assert asked_four_times(worker, qtbot, news=True) == [1, 4]


def test_of_anything_else_the_newest_alone(worker, qtbot):
    """An answer about the item that was chosen before is not shown beside this one."""
    assert asked_four_times(worker, qtbot, news=False) == [4]


def test_two_keys_do_not_stand_in_each_others_way(worker, qtbot):
    given = []
    for number in range(6):
        key = "odd" if number % 2 else "even"
        worker.look(lambda _c, number=number: number, given.append, key)
    worker.look(lambda _c: "bare", given.append)
    qtbot.waitUntil(lambda: given[-1:] == ["bare"], timeout=20_000)
    assert {4, 5} <= set(given)
