"""The words of an alert: the subject, the text and the plain values of what is sent."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.alerts.alert_turns import Message, Told
from nightly_spindle.core.alerts.troubles import Trouble, TroubleKind
from nightly_spindle.core.base.timebase import US, clock, iso
from nightly_spindle.core.base.wording import counted, span_text

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo


def subject(station: str, message: Message, tz: ZoneInfo) -> str:
    """Return what an alert is about in one line, the gravest of its troubles."""
    first = message.troubles[0]
    if message.over:
        return f"{station}: all is well again ({first.trouble.short})"
    more = len(message.troubles) - 1
    also = f", and {counted(more, 'more trouble')}" if more else ""
    return f"{station}: {first.trouble.short} since {clock(first.since_us, tz)}{also}"


def body(station: str, message: Message, tz: ZoneInfo) -> str:
    """Return the whole text, a paragraph for each trouble."""
    parts = [_paragraph(one, message.at_us, tz) for one in message.troubles]
    head = f"{station}, {iso(message.at_us, tz)[:16].replace('T', ' ')}"
    return "\n\n".join([head, *parts]) + "\n"


def values(station: str, message: Message, tz: ZoneInfo) -> dict[str, Any]:
    """Return an alert as plain values, for a web address or a command."""
    return {
        "station": station,
        "event": "over" if message.over else "trouble",
        "at": iso(message.at_us, tz),
        "subject": subject(station, message, tz),
        "text": body(station, message, tz),
        "troubles": [
            {
                "kind": str(one.trouble.kind),
                "text": one.trouble.text,
                "why": one.trouble.why or None,
                "to_do": one.trouble.mend,
                "since": iso(one.since_us, tz),
                "until": iso(one.until_us, tz) if one.until_us is not None else None,
            }
            for one in message.troubles
        ],
    }


def morning_values(
    station: str, verdict: str, text: str, now_us: int, tz: ZoneInfo
) -> dict[str, Any]:
    """Return the morning's report as plain values; its verdict is the subject."""
    return {
        "station": station,
        "event": "morning",
        "at": iso(now_us, tz),
        "subject": f"{station}: {verdict.rstrip('.')}",
        "text": text,
        "troubles": [],
    }


def alive_values(station: str, now_us: int, tz: ZoneInfo) -> dict[str, Any]:
    """Return what is sent while all is well, for one who waits for it."""
    return {"station": station, "event": "alive", "at": iso(now_us, tz), "troubles": []}


def trial(now_us: int) -> Message:
    """Return an alert that is sent to see whether it arrives."""
    said = Trouble(
        TroubleKind.OFF_AIR,
        "trial",
        "a trial",
        "This is a trial: somebody pressed “Try it”. Nothing is wrong.",
        "Nothing. That you read this is all that was wanted.",
    )
    return Message(now_us, (Told(said, now_us),))


def _paragraph(one: Told, now_us: int, tz: ZoneInfo) -> str:
    lines = [one.trouble.text]
    if one.until_us is None:
        lasted = (now_us - one.since_us) / US
        since = f"Since {clock(one.since_us, tz)}"
        lines.append(f"{since}, for {span_text(lasted)} so far." if lasted >= 1 else f"{since}.")
        if one.trouble.why:
            lines.append(f"Why: {one.trouble.why}")
        lines.append(f"To do: {one.trouble.mend}")
    else:
        lasted = (one.until_us - one.since_us) / US
        lines.append(
            f"Over: from {clock(one.since_us, tz)} to {clock(one.until_us, tz)}, "
            f"{span_text(lasted)}."
        )
    if one.before:
        lines.append(f"It came and went {counted(one.before, 'time')} before that.")
    return "\n".join(lines)
