"""Items that a process has built: the same one for all who ask, and never one of before an edit."""

import random
import shutil
from contextlib import closing

import pytest

from nightly_spindle.core.library.markers import Marks
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import items, marking
from nightly_spindle.store.library.audio_folders import move_folder
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.programme.snapshot import open_station


def plainly(folder):
    """All items, each built from its row by a reader that knows nothing yet."""
    from nightly_spindle.store.library.item_reading import ITEM, item_from

    with closing(connect(folder)) as connection:
        return {row["cart"]: item_from(row, folder) for row in connection.execute(ITEM)}


def known(folder):
    with closing(connect(folder)) as connection:
        carts = [row[0] for row in connection.execute("SELECT cart FROM item")]
        return {item.cart: item for item in items_by_cart(connection, folder, [*carts, 77])}


def test_whatever_is_edited_what_is_known_is_what_is_there(station, tmp_path):
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    dice = random.Random(seed)
    carts = sorted(known(station))
    folders = [station / "audio", station / "moved"]
    moved = 0

    def move(library):
        nonlocal moved
        for name in ("song", "id"):
            here, there = folders[moved % 2] / name, folders[(moved + 1) % 2] / name
            there.parent.mkdir(exist_ok=True)
            shutil.move(here, there)
        rows = library.run(items.t.root.select()).mappings().all()
        for row in rows:
            move_folder(library, row["id"], folders[(moved + 1) % 2] / row["path"].split("/")[-1])
        moved += 1

    edits = {
        "title": lambda lib: items.edit(lib, [dice.choice(carts)], {"title": str(dice.random())}),
        "marks": lambda lib: marking.set_by_hand(
            lib, {dice.choice(carts): (Marks(intro_end_s=round(dice.uniform(0.5, 2), 3)), None)}
        ),
        "settled": lambda lib: items.settle(lib, [dice.choice(carts)]),
        "removed and back": lambda lib: items.put_back(lib, items.remove(lib, carts[:1])),
        "moved": move,
    }
    for _ in range(25):
        name = dice.choice(list(edits))
        before = known(station)
        with LibraryTransaction(station) as library:
            edits[name](library)
        now = known(station)
        assert now == plainly(station), name
        if name in {"title", "marks"}:
            same = [cart for cart in carts if now[cart] is before[cart]]
            assert len(same) == len(carts) - 1, "one was edited, the others stay the same objects"


def test_an_edit_that_was_taken_back_is_not_known(station):
    (cart, *_) = known(station)
    with pytest.raises(ZeroDivisionError), LibraryTransaction(station) as library:
        items.edit(library, [cart], {"title": "never"})
        raise ZeroDivisionError
    with LibraryTransaction(station) as library:
        items.edit(library, [cart], {"title": "Fog"})
    assert known(station)[cart].title == "Fog"


def test_another_file_in_its_place_has_items_of_its_own(station, tmp_path):
    """A copy of before, put where the database lies, with as many edits since."""
    kept = tmp_path / "kept.db"
    with closing(connect(station)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    shutil.copy(station / "station.db", kept)
    (cart, *_) = known(station)
    with LibraryTransaction(station) as library:
        items.edit(library, [cart], {"title": "of the first"})
    assert known(station)[cart].title == "of the first"
    for name in ("station.db", "station.db-wal", "station.db-shm"):
        (station / name).unlink(missing_ok=True)
    shutil.copy(kept, station / "station.db")
    with LibraryTransaction(station) as library:
        items.edit(library, [cart], {"title": "of the second"})
    assert known(station)[cart].title == "of the second"


def test_boards_share_what_was_read_and_see_each_edit(station):
    one, other = (open_station(station, shared=True) for _ in range(2))
    assert one.programme.items is not other.programme.items
    assert one.programme.formats is other.programme.formats
    cart = next(iter(one.programme.items))
    assert one.programme.items[cart] is other.programme.items[cart]
    one.programme.items.setdefault(999_999, one.programme.items[cart])
    assert 999_999 not in other.programme.items, "what one of them changes is its own"
    with LibraryTransaction(station) as library:
        items.edit(library, [cart], {"title": "Fog"})
    third = open_station(station, shared=True)
    assert third.programme.items[cart].title == "Fog"
    assert third.programme.spots is one.programme.spots, "nothing of that was edited"
    for snapshot in (one, other, third):
        snapshot.connection.close()
