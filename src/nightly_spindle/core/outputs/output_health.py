"""How an output does, and whether the station is heard."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.wording import listed
from nightly_spindle.core.outputs.outputs import HEARD, Output, OutputKind

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

WAITS_S = (0.0, 1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 60.0)
JITTER = 0.25
ALARM_S = 20.0  # an output that is down for so long is an alarm


class OutputState(StrEnum):
    """What an output does now."""

    OFF = "off"
    STARTING = "starting"
    UP = "up"
    DOWN = "down"


class Trouble(StrEnum):
    """Why an output is down or not heard; what to do about each is in `MENDS`."""

    NONE = ""
    NO_PASSWORD = "no password"  # noqa: S105 - what is wrong
    WRONG_PASSWORD = "wrong password"  # noqa: S105
    MOUNT_TAKEN = "mount taken"
    REFUSED = "refused"
    FULL = "server full"
    NO_HOST = "unknown host"
    NO_ANSWER = "no answer"
    CERTIFICATE = "certificate refused"
    LOST = "connection lost"
    TAKES_NOTHING = "takes nothing"
    NO_ENCODER = "no encoder"
    DEVICE = "device"
    DISK = "disk"
    PAGE = "page"
    FAR_AWAY = "far end not reached"
    FAR_SILENT = "far end silent"
    FAR_OTHER = "far end plays something else"


MENDS = {
    Trouble.NO_PASSWORD: "Set its password.",
    Trouble.WRONG_PASSWORD: "Set the password that the server has.",
    Trouble.MOUNT_TAKEN: "End the other source of that stream, or give another address.",
    Trouble.REFUSED: "Look at the address, and at what the server says of it.",
    Trouble.FULL: "Ask whoever runs the server for room, or end another source.",
    Trouble.NO_HOST: "Look at the address, and whether this machine is on the net.",
    Trouble.NO_ANSWER: "See whether the server runs, and whether a firewall is between.",
    Trouble.CERTIFICATE: "Have the server's certificate put right, or name the authority it is of.",
    Trouble.LOST: "It reconnects automatically; see to the line if it stays down.",
    Trouble.TAKES_NOTHING: "It reconnects automatically; ask whoever runs the server.",
    Trouble.NO_ENCODER: "Choose another codec.",
    Trouble.DEVICE: "See to the sound device, or choose another.",
    Trouble.DISK: "Free the disk, or choose another folder.",
    Trouble.PAGE: "Choose another folder or another address.",
    Trouble.FAR_AWAY: "Look at the address that listeners use, and ask whoever runs the server.",
    Trouble.FAR_SILENT: "Listen there, and ask whoever runs the server.",
    Trouble.FAR_OTHER: "See which source the server gives to listeners there.",
}


@dataclass(frozen=True, slots=True)
class OutputSight:
    """One output as seen from outside.

    `since_us` is when the state began. `late` counts blocks that it could not take or give in time;
    `again` how often it was begun anew; `sent` bytes; `load` the share of one processor that
    encoding takes; `delay_s` how far behind the far end is, where that was measured; `simulated`
    that only a stand-in takes it.
    """

    id: int
    name: str
    kind: OutputKind
    state: OutputState
    since_us: int
    trouble: Trouble = Trouble.NONE
    problem: str = ""
    simulated: bool = False
    late: int = 0
    again: int = 0
    sent: int = 0
    load: float = 0.0
    delay_s: float | None = None

    @property
    def heard(self) -> bool:
        """Whether a listener can hear it now, as far as is known."""
        is_up = self.state is OutputState.UP and not self.trouble
        return self.kind in HEARD and is_up and not self.simulated

    @property
    def mend(self) -> str:
        """What to do about what is wrong."""
        return MENDS.get(self.trouble, "")


@dataclass(frozen=True, slots=True)
class Heard:
    """Whether the station is heard: by these outputs since an instant (0: not), and in words.

    `text` is short enough for a sign; `why` says in full what is wrong, where anything is.
    """

    by: tuple[str, ...]
    since_us: int
    simulated: bool
    text: str
    why: str = ""


def heard_by(sights: Iterable[OutputSight]) -> Heard:
    """Return whether anybody can hear the station now."""
    seen = list(sights)
    heard = [one for one in seen if one.heard]
    if heard:
        since = min(one.since_us for one in heard)
        names = tuple(one.name for one in heard)
        silent = [
            one.name
            for one in seen
            if one.kind in HEARD and (one.problem or one.state is OutputState.DOWN)
        ]
        said = f"heard by {_some(names)}"
        more = f"; not by {_some(silent)}" if silent else ""
        return Heard(names, since, simulated=False, text=said + more)
    wanted = [one for one in seen if one.kind in HEARD and one.state is not OutputState.OFF]
    unheard = [one for one in wanted if not one.simulated or one.problem]
    if unheard:
        worst = next((one for one in unheard if one.problem), unheard[0])
        short = str(worst.trouble) or "not connected yet"
        text = f"nobody hears this: {short}"
        return Heard((), 0, simulated=False, text=text, why=worst.problem)
    if any(one.simulated and one.state is OutputState.UP for one in seen):
        return Heard((), 0, simulated=True, text="simulated: nobody hears this")
    return Heard((), 0, False, "nobody hears this: no stream and no sound card is on")


def _some(names: Sequence[str]) -> str:
    """Return names as fit into a sign: two of them, or one and how many more."""
    few = len(names) <= 2
    return listed(names) if few else f"{names[0]} and {len(names) - 1} more"


def can_be_heard(outputs: Iterable[Output]) -> bool:
    """Return whether a listener could hear any of these, if all goes well."""
    return any(one.on and one.kind in HEARD for one in outputs)


def wait_s(tries: int, dice: float) -> float:
    """Return how long to wait before the next try, after so many failed ones (1: the first).

    At once, then 1, 2, 4 ... 60 s, each a quarter shorter or longer by `dice` (0 to 1), so that
    many sources of one server do not come back at once.
    """
    usual = WAITS_S[min(max(tries, 1), len(WAITS_S)) - 1]
    return usual * (1 - JITTER + 2 * JITTER * dice)
