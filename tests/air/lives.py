"""Lives of an engine that is none: each ends with the next of some exit statuses."""

import os
import signal
import sys
import time
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Lives:
    """Writes down each life, then ends as `statuses` say, one after the other."""

    folder: Path
    statuses: tuple[int, ...]

    def __call__(self, supervisor, resumed, alone):
        """Be one life."""
        file = self.folder / "lives.txt"
        before = file.read_text().splitlines() if file.exists() else []
        file.write_text("\n".join([*before, f"{supervisor} {resumed} {alone}"]) + "\n")
        status = self.statuses[min(len(before), len(self.statuses) - 1)]
        if status < 0:
            os.kill(os.getpid(), -status)
            time.sleep(10)
        if status == 1000:
            signal.pause()
        return status


def run(folder, *statuses):
    """Supervise such lives; returns the exit status."""
    from nightly_spindle.air.supervisor import get_ready, supervise

    get_ready("lives")
    return supervise(Path(folder), Lives(Path(folder), statuses), with_intake=False)


if __name__ == "__main__":
    import lives

    sys.exit(lives.run(sys.argv[1], *map(int, sys.argv[2:])))
