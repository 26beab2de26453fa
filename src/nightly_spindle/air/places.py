"""Where the engine's lock and its control socket lie."""

from __future__ import annotations

import contextlib
import os
import tempfile
from hashlib import blake2s
from pathlib import Path

from nightly_spindle.core.errors import AlreadyOnAir, EnvironmentFault, LockHeld
from nightly_spindle.store.lock import Lock, holder


def socket_path(folder: Path) -> Path:
    """Return the control socket of the station: in the user's runtime folder, 0700.

    Where that cannot be had it lies below the folder for temporary files; EnvironmentFault when it
    cannot lie there either.
    """
    base = os.environ.get("XDG_RUNTIME_DIR")
    runtimes = [Path(base) / "nightly-spindle"] if base else []
    runtimes.append(Path(tempfile.gettempdir()) / f"nightly-spindle-{os.getuid()}")
    why = ""
    for runtime in runtimes:
        try:
            runtime.mkdir(mode=0o700, parents=True, exist_ok=True)
            if runtime.stat().st_uid != os.getuid():
                why = f"{runtime} belongs to another user"
                continue
            runtime.chmod(0o700)
        except OSError as error:
            why = f"{runtime} cannot be made ({error.strerror})"
            continue
        mark = blake2s(str(folder.resolve()).encode(), digest_size=8).hexdigest()
        return runtime / f"{mark}.sock"
    raise EnvironmentFault(f"{why}; set XDG_RUNTIME_DIR to a folder of your own")


class AirLock(Lock):
    """Held by the one engine of a station as long as it lives; the kernel lets go of it."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder / _LOCK)

    def take(self) -> None:
        """Take the lock; AlreadyOnAir when another engine holds it."""
        try:
            super().take()
        except LockHeld as error:
            raise AlreadyOnAir(
                f"{self.path.parent} is on air already (engine process {error}); stop that one "
                "first"
            ) from error

    def release(self, *, left: bool = False) -> None:
        """Let go of the lock; `left`: the engine was told to leave, so none takes its place."""
        if left and self._file is not None:
            with contextlib.suppress(OSError):  # the disk is full, or read-only
                self.path.write_text(_LEFT, encoding="ascii")
        super().release()


def was_told_to_leave(folder: Path) -> bool:
    """Return whether the station's last engine left because it was told to."""
    try:
        return (folder / _LOCK).read_text(encoding="ascii", errors="replace") == _LEFT
    except OSError:
        return False


def engine_pid(folder: Path) -> int | None:
    """Return the process that holds the station's lock, None when none does."""
    return holder(folder / _LOCK)


_LOCK = "air.lock"
_LEFT = "left\n"
