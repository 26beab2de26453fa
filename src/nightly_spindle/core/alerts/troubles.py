"""What is wrong on the air right now that somebody should get up for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from nightly_spindle.core.outputs.output_health import OutputSight
from nightly_spindle.core.outputs.outputs import HEARD
from nightly_spindle.core.programme.running_order import NET, LineSource

SILENT_DB = -60.0  # peaks below are silence (common practice, no source)


class TroubleKind(StrEnum):
    """Kinds of trouble, gravest first."""

    OFF_AIR = "off air"
    SILENCE = "silence"
    TONE = "tone"
    OUTPUT = "output"
    NET = "safety net"

    @property
    def rank(self) -> int:
        """Its place among the kinds, 0 for the gravest."""
        return list(TroubleKind).index(self)

    @property
    def words(self) -> str:
        """What it is, as it follows “when”."""
        return {
            TroubleKind.OFF_AIR: "the station is off the air",
            TroubleKind.SILENCE: "nothing is to be heard",
            TroubleKind.TONE: "only the station tone sounds",
            TroubleKind.OUTPUT: "an output is down",
            TroubleKind.NET: "the safety net fills with music",
        }[self]


@dataclass(frozen=True, slots=True)
class Trouble:
    """One trouble: what it is, shortly and in a sentence, and what to do.

    `key` is the same as long as it lasts; `why` is the cause in a sentence where it is known. It is
    none before it has lasted `patient_s`.
    """

    kind: TroubleKind
    key: str
    short: str
    text: str
    mend: str
    why: str = ""
    patient_s: float = 0.0


@dataclass(frozen=True, slots=True)
class Heard:
    """What a running engine says of itself: peaks (dB), what plays, whether it waits for somebody.

    `waits`: attended, and stopped by the operator. What plays may be silent for `patience_s`.
    """

    peak_db: float
    playing: LineSource | None
    waits: bool
    outputs: Sequence[OutputSight]
    patience_s: float = 0.0


_OFF = Trouble(
    TroubleKind.OFF_AIR,
    "off air",
    "off the air",
    "The station is off the air: no engine answers.",
    "It is started again automatically; if it stays off, see the messages and start it.",
)
_SILENT = Trouble(
    TroubleKind.SILENCE,
    "silence",
    "nothing to be heard",
    "Nothing is to be heard: the sound is silent.",
    "See what is on air, and pass on to the next line.",
)
_TONE = Trouble(
    TroubleKind.TONE,
    "tone",
    "only the station tone",
    "Only the station tone sounds: the safety net has no music.",
    "See to the folders and to the day's log.",
)
_NET = Trouble(
    TroubleKind.NET,
    "safety net",
    "music of the safety net",
    "The safety net fills with music: nothing else is lined up.",
    "See to the day's log.",
)


def troubles_of(heard: Heard | None) -> list[Trouble]:
    """Return what is wrong now, gravest first. None: no engine answers."""
    if heard is None:
        return [_OFF]
    found: list[Trouble] = []
    if heard.peak_db < SILENT_DB and not heard.waits:
        found.append(replace(_SILENT, patient_s=heard.patience_s))
    if heard.playing is LineSource.TONE:
        found.append(_TONE)
    found += [
        Trouble(
            TroubleKind.OUTPUT,
            f"output {one.id}",
            f"“{one.name}” is down",
            f"The output “{one.name}” is down: {one.problem.rstrip('.')}.",
            one.mend,
        )
        for one in heard.outputs
        if one.kind in HEARD and one.problem
    ]
    if heard.playing in NET and heard.playing is not LineSource.TONE:
        found.append(_NET)
    return found


def with_cause(trouble: Trouble, alarm: str, mend: str) -> Trouble:
    """Return a trouble with what the last alarm said; an output says itself what is wrong."""
    if trouble.kind is TroubleKind.OUTPUT or not alarm:
        return trouble
    return replace(trouble, mend=mend or trouble.mend, why=alarm)
