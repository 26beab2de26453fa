"""Passwords: in the desktop's store where there is one, else in a file of the owner's alone."""

import json

import keyring
import pytest
from keyring.backend import KeyringBackend
from keyring.backends.fail import Keyring as NoKeyring

from nightly_spindle.store.outputs.passwords import (
    PASSWORD_FILE,
    forget_password,
    password_of,
    set_password,
)


class Ring(KeyringBackend):
    """A secret store that keeps all in memory; `locked` refuses."""

    priority = 5
    locked = False

    def __init__(self):
        super().__init__()
        self.kept = {}

    def _open(self):
        if self.locked:
            raise RuntimeError("the store is locked")

    def get_password(self, service, username):
        self._open()
        return self.kept.get((service, username))

    def set_password(self, service, username, password):
        self._open()
        self.kept[service, username] = password

    def delete_password(self, service, username):
        self._open()
        del self.kept[service, username]


@pytest.fixture
def ring():
    made = Ring()
    keyring.set_keyring(made)
    yield made
    keyring.set_keyring(NoKeyring())


def test_the_desktops_store_is_used_and_nothing_lies_on_the_disk(tmp_path, ring):
    assert set_password(tmp_path, 3, "quay") == "the desktop's secret store"
    assert password_of(tmp_path, 3) == "quay"
    assert password_of(tmp_path, 4) is None
    assert password_of(tmp_path / "other", 3) is None, "each station has its own"
    assert list(tmp_path.iterdir()) == []
    forget_password(tmp_path, 3)
    assert (password_of(tmp_path, 3), ring.kept) == (None, {})


def test_a_store_that_is_locked_is_done_without(tmp_path, ring):
    ring.locked = True
    assert PASSWORD_FILE in set_password(tmp_path, 3, "quay")
    assert password_of(tmp_path, 3) == "quay"
    assert password_of(tmp_path, 4) is None
    ring.locked = False
    set_password(tmp_path, 3, "other")
    assert password_of(tmp_path, 3) == "other"
    assert not (tmp_path / PASSWORD_FILE).exists(), "it moved into the store"


def test_without_a_store_a_file_has_it_that_only_its_owner_reads(tmp_path):
    set_password(tmp_path, 1, "one")
    set_password(tmp_path, 2, "zwei – ☃")
    path = tmp_path / PASSWORD_FILE
    assert path.stat().st_mode & 0o777 == 0o600
    assert json.loads(path.read_text()) == {"1": "one", "2": "zwei – ☃"}
    assert password_of(tmp_path, 2) == "zwei – ☃"
    forget_password(tmp_path, 1)
    assert path.stat().st_mode & 0o777 == 0o600
    forget_password(tmp_path, 2)
    assert list(tmp_path.iterdir()) == []
    forget_password(tmp_path, 2)


@pytest.mark.parametrize("damaged", ["", "{", "[]", '{"1": 5}', "\0\0"])
def test_a_damaged_file_is_none(tmp_path, damaged):
    (tmp_path / PASSWORD_FILE).write_text(damaged)
    assert password_of(tmp_path, 1) is None
    set_password(tmp_path, 1, "new")
    assert password_of(tmp_path, 1) == "new"
