"""The passwords of streams and mail servers: in the desktop's secret store, else in a file.

The file is its owner's alone.

They stand nowhere else: not in the database, the station book, backups, messages or the list of
processes. Whoever copies a station to another computer sets them there again.
"""

from __future__ import annotations

import json
import logging
import os
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.plain_files import read_plain

if TYPE_CHECKING:
    from pathlib import Path

PASSWORD_FILE = "passwords.json"  # noqa: S105 - its name
_SERVICE = "nightly-spindle"
_log = logging.getLogger(__name__)


def password_of(folder: Path, owner: int | str) -> str | None:
    """Return the password of an output (its number) or an alert (`alert_owner`), or None."""
    kept = _in_file(folder).get(str(owner))
    if kept is not None:
        return kept
    ring = _keyring()
    if ring is None:
        return None
    try:
        found: str | None = ring.get_password(_SERVICE, _name(folder, owner))
    except Exception as error:  # the edge of a desktop's service, of any kind  # noqa: BLE001
        _log.warning("the desktop's secret store does not answer: %s", error)
        return None
    return found


def set_password(folder: Path, owner: int | str, password: str) -> str:
    """Keep a password; returns where it is kept now, in words. StorageFault when it cannot be."""
    ring = _keyring()
    if ring is not None:
        try:
            ring.set_password(_SERVICE, _name(folder, owner), password)
        except Exception as error:  # the edge of a desktop's service  # noqa: BLE001
            _log.warning("the desktop's secret store takes nothing: %s", error)
        else:
            _put_in_file(folder, owner, None)
            return "the desktop's secret store"
    _put_in_file(folder, owner, password)
    return f"{folder / PASSWORD_FILE}, which only you can read"


def forget_password(folder: Path, owner: int | str) -> None:
    """Keep no password of an owner any more. StorageFault when the file cannot be written."""
    _put_in_file(folder, owner, None)
    ring = _keyring()
    if ring is None:
        return
    try:
        if ring.get_password(_SERVICE, _name(folder, owner)) is not None:
            ring.delete_password(_SERVICE, _name(folder, owner))
    except Exception as error:  # the edge of a desktop's service  # noqa: BLE001
        _log.warning("the desktop's secret store does not let go of a password: %s", error)


def alert_owner(number: int) -> str:
    """Return what an alert's password is kept under."""
    return f"alert {number}"


def _name(folder: Path, owner: int | str) -> str:
    return f"{folder.absolute()} {owner if isinstance(owner, str) else f'output {owner}'}"


def _keyring() -> Any:
    """Return the desktop's secret store where one is there and safe, else None."""
    try:
        import keyring
        import keyring.backends.fail
        import keyring.errors
    except ImportError:
        return None
    try:
        ring = keyring.get_keyring()
    except Exception as error:  # the edge of a desktop's service  # noqa: BLE001
        _log.info("there is no secret store: %s", error)
        return None
    if isinstance(ring, keyring.backends.fail.Keyring) or float(ring.priority) < 1:
        return None
    return ring


def _in_file(folder: Path) -> dict[str, str]:
    path = folder / PASSWORD_FILE
    try:
        found = json.loads(read_plain(path))
    except FileNotFoundError:
        return {}
    except (OSError, ValueError) as error:
        _log.warning("%s cannot be read: %s", path, error)
        return {}
    if not isinstance(found, dict):
        return {}
    return {str(name): text for name, text in found.items() if isinstance(text, str)}


def _put_in_file(folder: Path, owner: int | str, password: str | None) -> None:
    path = folder / PASSWORD_FILE
    known = _in_file(folder)
    if known.pop(str(owner), None) is None and password is None:
        return
    if password is not None:
        known[str(owner)] = password
    part = path.with_name(f".{PASSWORD_FILE}.part")
    try:
        if not known:
            path.unlink(missing_ok=True)
            return
        part.unlink(missing_ok=True)
        handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o600)
        with os.fdopen(handle, "w", encoding="utf-8") as file:
            json.dump(known, file)
            file.flush()
            os.fsync(file.fileno())
        part.replace(path)
    except OSError as error:
        raise StorageFault(f"{path} cannot be written: {error.strerror or error}") from error
