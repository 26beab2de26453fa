"""Whether there is something new in the library: not at first, then after each edit."""

from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import lists
from nightly_spindle.store.library.catalogue import Catalogue, Query


def test_a_fresh_catalogue_is_not_changed_and_an_edit_changes_it_once(station):
    catalogue = Catalogue(station)
    catalogue.find(Query())
    assert not catalogue.changed()
    with LibraryTransaction(station) as library:
        lists.make_list(library, "Fog night", [1001])
    assert catalogue.changed()
    catalogue.find(Query())
    assert not catalogue.changed()
    catalogue.close()
