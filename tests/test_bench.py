"""The benchmark's own station: it must go on being built when tables grow."""

from bench import library

from nightly_spindle.store.programme.snapshot import open_station


def test_the_benchmarks_station_can_be_built_and_read(tmp_path):
    library(tmp_path / "lib", 20)
    snapshot = open_station(tmp_path / "lib")
    assert len(snapshot.programme.pool) == 20
    assert snapshot.connection.execute("SELECT count(*) FROM item_category").fetchone()[0] == 20
    snapshot.connection.close()
