"""Opening files that somebody else names: only plain files, and never waiting for one.

Opening a named pipe waits for a writer that may never come, and some devices give bytes without
end. So whatever is read from a path that a log, a table, an operator or a scheduler named is
opened here.
"""

from __future__ import annotations

import errno
import os
import stat
from typing import TYPE_CHECKING, BinaryIO

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
