"""Files that somebody else names or reads: only plain ones are read, and one written is whole.

Opening a named pipe waits for a writer that may never come, and some devices give bytes without
end. So whatever is read from a path that a log, a table, an operator or a scheduler named is
opened here.
"""

from __future__ import annotations

import errno
import os
import stat
from typing import TYPE_CHECKING, BinaryIO

from nightly_spindle.core.base.errors import StorageFault

if TYPE_CHECKING:
    from pathlib import Path

_WHAT = {
    stat.S_IFIFO: "a named pipe",
    stat.S_IFCHR: "a device",
    stat.S_IFBLK: "a device",
    stat.S_IFSOCK: "a socket",
    stat.S_IFDIR: "a folder",
}


def check_plain(mode: int) -> None:
    """Raise OSError (EINVAL), which says what it is, when a mode is not that of a plain file."""
    if not stat.S_ISREG(mode):
        what = _WHAT.get(stat.S_IFMT(mode), "something else")
        raise OSError(errno.EINVAL, f"it is {what}, not a file")


def open_plain(path: str | Path) -> BinaryIO:
    """Open a plain file for reading, without waiting; OSError when it is none or not to be read."""
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    try:
        check_plain(os.fstat(handle).st_mode)
        return os.fdopen(handle, "rb")
    except BaseException:
        os.close(handle)
        raise


def read_plain(path: str | Path) -> bytes:
    """Return the bytes of a plain file; OSError when it is none or not to be read."""
    with open_plain(path) as file:
        return file.read()


def replace_file(path: Path, body: str) -> int:
    """Write a text file whole or not at all, as UTF-8; returns how many bytes it has.

    StorageFault when it cannot be written.
    """
    data = body.encode()
    beside = path.with_name(f".{path.name}.part")
    try:
        beside.write_bytes(data)
        beside.replace(path)
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise StorageFault(f"{path} cannot be written: {error.strerror or error}") from error
    return len(data)
