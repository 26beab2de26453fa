"""The benchmark's own station: it must go on being built when tables grow."""

import pytest
from bench import library
from bench_big import big

from nightly_spindle.store.programme.snapshot import open_station


def test_the_benchmarks_station_can_be_built_and_read(tmp_path):
    library(tmp_path / "lib", 20)
    snapshot = open_station(tmp_path / "lib")
    assert len(snapshot.programme.pool) == 20
    assert snapshot.connection.execute("SELECT count(*) FROM item_category").fetchone()[0] == 20
    snapshot.connection.close()


@pytest.mark.slow
def test_the_long_lived_station_is_built_small_and_measured(tmp_path):
    rows = []
    big(tmp_path, lambda *row: rows.append(row), 0.02, ratios=True)
    assert len(rows) == 2
    assert all(0 < float(got) < 20 for _, got, _, _ in rows)
