"""What happened in the night: what was not as it was meant, and why, from as-run log and alarms.

A stretch without any sound, one that the safety net filled, lines that did not air, and alarms that
belong to none of these, are one difference each; what caused one is said by the alarm raised with
it, or by the note in the as-run log.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.base.wording import counted, span_text
from nightly_spindle.core.playout.back_timing import CHOSEN_TO_LAND
from nightly_spindle.core.programme.running_order import NET, LineSource, Outcome
from nightly_spindle.core.reports.as_run import OFF_AIR
from nightly_spindle.core.reports.handover import against_plan
from nightly_spindle.core.reports.tonight import Heard, heard_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from nightly_spindle.core.reports.as_run import Alarm, AsRun
    from nightly_spindle.core.reports.handover import Handover

_GAP_US = 2 * US  # less than that between two items is a join
_NEAR_US = 120 * US  # an alarm so near a difference tells its cause
_LOST = frozenset({str(Outcome.SKIPPED), str(Outcome.MISSED), str(Outcome.BROKE_OFF)})
_NETS = tuple(str(source) for source in NET)
_TONE = str(LineSource.TONE)
_RUNS_ON_US = 30 * US  # what lies between two items of the safety net, and is still one stretch
# alarms that say why something else was heard; the rest of them stand for themselves
CAUSES = (
    *("folder-away", "folder-hangs", "log-missing", "log-not-loaded", "event-lacks", "dead-air"),
    *("engine-restarted", "engine-started", "station-unread", "net-alone", "unplayable"),
    *("item-died", "net-tone", "net-rotation", "net-day-log"),
)
# those of them that say why nothing at all was heard; a start tells of it once it is on air again
_OFF_CAUSES = ("engine-restarted", "engine-started", "station-unread", "net-alone", "dead-air")
_TOLD = frozenset({"folder-back", "output-back", "landing", "log-through"})


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that was not as it was meant. `many` lines, or times that it was told.

    `what` says it in a sentence, `why` names the cause, `mend` what to do so that it does not
    happen again; `code` is that of the alarm which tells the cause, empty for none.
    """

    from_us: int
    until_us: int
    heard: Heard
    what: str
    why: str
    mend: str = ""
    many: int = 1
    code: str = ""

    @property
    def lasts_s(self) -> float:
        """How long it was heard (s), 0 where it is of an instant."""
        return (self.until_us - self.from_us) / US


@dataclass(frozen=True, slots=True)
class Morning:
    """The answer for a stretch: a sentence, the differences by time, figures of it all.

    `handed_over_us` is when the plan was written down that is compared with, 0 for none.
    """

    from_us: int
    until_us: int
    sentence: str
    differences: tuple[Difference, ...]
    items: int
    handed_over_us: int
    off_s: float
    longest_off_s: float
    net_s: float

    @property
    def as_planned(self) -> bool:
        """Whether nothing was otherwise."""
        return not self.differences


def morning_of(
    lines: Sequence[AsRun],
    alarms: Sequence[Alarm],
    from_us: int,
    until_us: int,
    handover: Handover | None = None,
) -> Morning:
    """Answer for a stretch, from all lines and alarms that touch it, by time.

    `handover` is what was planned, where that was written down.
    """
    sounding = [
        line for line in lines if not line.over and line.end_us > line.start_us and line.kind
    ]
    offs = _off_air(lines, sounding, alarms, from_us, until_us)
    nets = _on_the_net(sounding, alarms)
    lost = _lost(lines, alarms, offs)
    found = [*offs, *nets, *lost]
    found += _other_alarms(alarms, found)
    if handover is not None:
        found += _otherwise(handover, sounding, found)
    found.sort(key=lambda one: (one.from_us, one.heard))
    off_s = [one.lasts_s for one in offs]
    net_s = sum(one.lasts_s for one in nets)
    return Morning(
        from_us,
        until_us,
        _sentence(found, sum(off_s) + net_s, bool(sounding)),
        tuple(found),
        len(sounding),
        handover.at_us if handover is not None else 0,
        sum(off_s),
        max(off_s, default=0.0),
        net_s,
    )


def _sentence(found: Sequence[Difference], seconds: float, sounded: bool) -> str:
    if not sounded:
        return "Nothing was on air."
    if not found:
        return "The night went as planned."
    if seconds >= 1:
        return f"{span_text(round(seconds))} of the night were not as planned."
    return f"The night went as planned, but for {counted(len(found), 'thing')}."


def _off_air(
    lines: Sequence[AsRun],
    sounding: Sequence[AsRun],
    alarms: Sequence[Alarm],
    from_us: int,
    until_us: int,
) -> list[Difference]:
    """Return the stretches in which nothing sounded, between the first item and the last.

    What would have aired then is no difference of its own.
    """
    noted = [line for line in lines if line.title == OFF_AIR]
    gone = [line for line in lines if line.outcome in _LOST and line.title != OFF_AIR]
    found = []
    end = sounding[0].end_us if sounding else 0
    for line in sounding[1:]:
        begin, stop = max(end, from_us), min(line.start_us, until_us)
        if stop - begin > _GAP_US:
            alarm = _alarm_of(alarms, begin, stop, _OFF_CAUSES)
            said = [one.note for one in noted if one.start_us < stop and one.end_us > begin]
            many = sum(begin - _GAP_US <= one.start_us <= stop for one in gone)
            what = f"Off air; {counted(many, 'line')} did not air." if many else "Off air."
            why = said[0] if said else "No alarm says why."
            found.append(_difference(begin, stop, Heard.SILENCE, what, alarm, why))
        end = max(end, line.end_us)
    return found


def _on_the_net(sounding: Sequence[AsRun], alarms: Sequence[Alarm]) -> list[Difference]:
    """Return the stretches that the safety net filled."""
    found: list[Difference] = []
    run: list[AsRun] = []

    def close() -> None:
        if not run:
            return
        begin, end = run[0].start_us, max(line.end_us for line in run)
        tone = any(line.origin.startswith(_TONE) for line in run)
        what = "The station tone played."
        if not tone:
            what = f"The safety net played: {counted(len(run), 'item')}."
        heard = Heard.TONE if tone else Heard.WRONG
        alarm = _alarm_of(alarms, begin, end)
        found.append(_difference(begin, end, heard, what, alarm, run[0].why, len(run)))
        run.clear()

    for line in sounding:
        # what rotation gave so that an event lands is no net: it is what was meant
        net = line.origin.startswith(_NETS) and not line.why.startswith(CHOSEN_TO_LAND)
        if run and (not net or line.start_us - run[-1].end_us > _RUNS_ON_US):
            close()
        if net:
            run.append(line)
    close()
    return found


def _lost(
    lines: Iterable[AsRun], alarms: Sequence[Alarm], offs: Sequence[Difference]
) -> list[Difference]:
    """Return the lines that did not air while the station was on, those of one cause as one."""
    groups: dict[tuple[str, str], list[AsRun]] = {}
    for line in lines:
        silent = any(one.from_us - _GAP_US <= line.start_us <= one.until_us for one in offs)
        if line.outcome in _LOST and not (line.over or silent or line.title == OFF_AIR):
            groups.setdefault((line.outcome, line.note), []).append(line)
    found = []
    for (outcome, note), same in groups.items():
        more = f" and {counted(len(same) - 1, 'more line')}" if same[1:] else ""
        what = f"“{same[0].title}”{more}: {outcome}."
        begin = same[0].start_us
        why = note or same[0].why
        alarm = _alarm_of(alarms, begin, same[-1].end_us)
        mend = alarm.mend if alarm is not None else ""
        code = alarm.code if alarm is not None else ""
        found.append(Difference(begin, begin, Heard.WRONG, what, why, mend, len(same), code))
    return found


def _other_alarms(alarms: Iterable[Alarm], found: Sequence[Difference]) -> list[Difference]:
    """Return the alarms that tell of something besides."""
    told = {one.why for one in found}
    return [
        Difference(
            alarm.at_us,
            alarm.at_us,
            heard_of(alarm.code, alarm.severity),
            alarm.text,
            alarm.text,
            alarm.mend,
            alarm.times,
            alarm.code,
        )
        for alarm in alarms
        if alarm.severity != Severity.NOTE
        and alarm.code not in _TOLD
        and alarm.text not in told
        and not _is_within(alarm, found)
    ]


def _otherwise(
    handover: Handover, sounding: Sequence[AsRun], found: Sequence[Difference]
) -> list[Difference]:
    """Return where other items aired than planned, but for what is told already."""
    aired = [line for line in sounding if line.end_us > handover.at_us]
    if not aired:
        return []
    last = min(aired[-1].start_us, handover.until_us)
    plan = [one for one in handover.plan if one.start_us <= last + US]
    aired = [line for line in aired if line.start_us <= last]
    stretches = [(one.from_us, one.until_us) for one in found if one.lasts_s]
    return [
        Difference(
            change.at_us,
            change.at_us,
            Heard.WRONG,
            f"{change.planned} was to air; {change.aired} did.",
            change.why,
        )
        for change in against_plan(plan, aired)
        if not any(begin - _NEAR_US <= change.at_us <= end + _NEAR_US for begin, end in stretches)
    ]


def _is_within(alarm: Alarm, found: Sequence[Difference]) -> bool:
    """Whether an alarm of a kind that causes differences lies in one that is told already."""
    return alarm.code in CAUSES and any(
        one.lasts_s and one.from_us - _NEAR_US <= alarm.at_us <= one.until_us + _NEAR_US
        for one in found
    )


def _alarm_of(
    alarms: Sequence[Alarm], begin_us: int, end_us: int, codes: Sequence[str] = CAUSES
) -> Alarm | None:
    """Return the alarm that tells the cause of a stretch: the one that says most of it."""
    near = [
        alarm
        for alarm in alarms
        if alarm.code in codes and begin_us - _NEAR_US <= alarm.at_us <= end_us + _NEAR_US
    ]
    return min(near, key=lambda one: (codes.index(one.code), one.at_us), default=None)


def _difference(
    begin_us: int,
    end_us: int,
    heard: Heard,
    what: str,
    alarm: Alarm | None,
    else_why: str,
    many: int = 1,
) -> Difference:
    if alarm is None:
        return Difference(begin_us, end_us, heard, what, else_why, "", many)
    return Difference(begin_us, end_us, heard, what, alarm.text, alarm.mend, many, alarm.code)
