"""What paces the pump: a sound card, or a clock that stands in for one."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


class PacingOutput(Protocol):
    """Takes blocks at the pace of sound.

    `late` counts the blocks that came too late to be heard in time; `problem` says why
    nothing can be heard, empty while it can.
    """

    late: int
    problem: str

    def write(self, block: NDArray[np.float32]) -> None:
        """Take a block (frames, 2), waiting until there is room for it."""
        ...

    def waiting_frames(self) -> int:
        """Return the frames taken but not yet heard."""
        ...

    def close(self) -> None:
        """Let what was taken be heard, and end."""
        ...
