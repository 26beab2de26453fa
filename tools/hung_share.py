"""A folder passed through by FUSE, whose calls hang while a flag file lies beside: a dead share.

python tools/hung_share.py SOURCE MOUNT FLAG
"""

from __future__ import annotations

import os
import sys
import time
from pathlib import Path

from fuse import FUSE, FuseOSError, Operations

_KEPT_S = 0.05


class HungShare(Operations):  # type: ignore[misc]  # fusepy ships no types
    """Reads through to a folder; every call waits while the flag is there."""

    def __init__(self, source: str, flag: str) -> None:
        self._source, self._flag = source, flag

    def _at(self, path: str) -> str:
        while os.path.exists(self._flag):  # noqa: PTH110
            time.sleep(_KEPT_S)
        return self._source + path

    def getattr(self, path: str, fh: int | None = None) -> dict[str, float]:
        """Return what a path is."""
        del fh
        try:
            found = os.lstat(self._at(path))
        except OSError as error:
            raise FuseOSError(error.errno) from error
        names = (
            "st_atime",
            "st_ctime",
            "st_gid",
            "st_mode",
            "st_mtime",
            "st_nlink",
            "st_size",
            "st_uid",
        )
        return {name: getattr(found, name) for name in names}

    def readdir(self, path: str, fh: int) -> list[str]:
        """List a folder."""
        del fh
        return [".", "..", *(one.name for one in Path(self._at(path)).iterdir())]

    def open(self, path: str, flags: int) -> int:
        """Open a file."""
        return os.open(self._at(path), flags)

    def read(self, path: str, size: int, offset: int, fh: int) -> bytes:
        """Read a part of a file."""
        self._at(path)
        return os.pread(fh, size, offset)

    def release(self, path: str, fh: int) -> None:
        """Close a file."""
        del path
        os.close(fh)


if __name__ == "__main__":
    source, mount, flag = sys.argv[1:4]
    FUSE(
        HungShare(str(Path(source).absolute()), flag),
        mount,
        foreground=True,
        nothreads=False,
        attr_timeout=0,
        entry_timeout=0,
        direct_io=True,
    )
