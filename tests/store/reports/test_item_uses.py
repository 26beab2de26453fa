"""Where an item is used, by a board that is kept and by a station that is opened for it."""

import os
import time
from datetime import timedelta

from conftest import write_log

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import lists
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.item_uses import uses_of
from nightly_spindle.store.reports.log_boards import LogBoard


def test_a_kept_board_knows_lists_and_logs_as_they_are_now(station):
    snapshot = open_station(station)
    tz = snapshot.programme.settings.tz
    snapshot.connection.close()
    tomorrow = local_from(time.time_ns() // 1000, tz).date() + timedelta(days=1)
    board = LogBoard(station)

    def texts(*carts):
        kept = [(one.cart, one.text) for one in board.uses(carts)]
        assert kept == [(one.cart, one.text) for one in uses_of(station, carts)]
        return kept

    try:
        assert texts(1001, 1002) == []
        with LibraryTransaction(station) as library:
            lists.make_list(library, "Mine", [1001, 1001])
        assert texts(1001, 1002) == [(1001, "list “Mine”, 2 times")]
        names = sorted(path.name for path in (station / "audio/song").iterdir())
        path = write_log(station, tomorrow, [f"song/{name}" for name in names[:2]] * 3)
        in_log = texts(1001, 1002)[1:]
        assert len(in_log) == 2
        assert {text for _, text in in_log} == {f"log {path.name}, 3 times"}
        # a log that is written anew is read anew, one that is gone says nothing any more
        write_log(station, tomorrow, [f"song/{names[0]}"])
        os.utime(path, (10**9 + 5, 10**9 + 5))
        assert [text for _, text in texts(1001, 1002)[1:]] == [f"log {path.name}"]
        path.unlink()
        assert texts(1001, 1002) == [(1001, "list “Mine”, 2 times")]
        assert texts() == []
    finally:
        board.close()
