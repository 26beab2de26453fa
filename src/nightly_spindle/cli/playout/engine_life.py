"""One engine after the other, as the supervisor starts them: it imports little."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace

from nightly_spindle.cli.playout.wanted import Wanted


@dataclass(frozen=True, slots=True)
class Life:
    """One engine after the other, as `air.supervisor` starts them."""

    wanted: Wanted

    def __call__(self, supervisor: int, resumed: bool, alone: bool) -> int:
        """Be one engine; returns its exit status."""
        from nightly_spindle.cli.playout.engine_process import live

        wanted = replace(self.wanted, resumed=resumed, net_alone=alone)
        if resumed:
            wanted = replace(wanted, begun=time.monotonic())
        return live(wanted, supervisor)
