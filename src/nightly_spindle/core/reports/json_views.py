"""How rows, findings and landings read as JSON: the shape that `docs/commands.md` promises."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.segues.joins import Join, span

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.base.findings import Finding
    from nightly_spindle.core.outputs.output_health import OutputSight
    from nightly_spindle.core.playout.rehearsal_rows import (
        Landing,
        OverlayRow,
        Rehearsal,
        RehearsalRow,
    )
    from nightly_spindle.core.programme.air_state import AirState


def sight_view(sight: OutputSight, tz: ZoneInfo) -> dict[str, Any]:
    """Return how an output does as JSON: bytes sent, the share of a processor, delays in s."""
    return {
        "id": sight.id,
        "name": sight.name,
        "kind": str(sight.kind),
        "state": str(sight.state),
        "since": iso(sight.since_us, tz),
        "heard": sight.heard,
        "simulated": sight.simulated,
        "trouble": str(sight.trouble) or None,
        "problem": sight.problem or None,
        "mend": sight.mend or None,
        "late_blocks": sight.late,
        "restarts": sight.again,
        "bytes": sight.sent,
        "load": sight.load,
        "delay_s": sight.delay_s,
    }


def entry_view(
    row: RehearsalRow, state: AirState, tz: ZoneInfo, overlays: Iterable[OverlayRow] = ()
) -> dict[str, Any]:
    """Return a row as JSON; times ISO 8601, `_frame` station frames, `_s` seconds.

    `overlays` are those that belong to the row's line.
    """

    def when(frame: int) -> str:
        return iso(state.clock.instant_of(frame), tz)

    play = row.play
    return {
        "start": when(row.start),
        "end": when(row.end),
        "cart": play.item.cart if play else row.line.cart or None,
        "kind": str(play.item.kind) if play else None,
        "title": row.title,
        "artist": play.item.artist if play else None,
        "origin": row.line.origin.text,
        "why": row.line.origin.why,
        "join": join_view(row.join, state.clock.rate) if row.join else None,
        "overlays": [overlay_view(one, state, tz) for one in overlays] if play else [],
        "state": str(row.outcome),
        "note": row.note,
        "start_frame": row.start,
        "end_frame": row.end,
        "from_s": round(
            (play.begin - span(play.item, state.clock.rate).cue_in) / state.clock.rate, 6
        )
        if play
        else None,
        "line_id": row.line.id,
    }


def entry_views(
    rows: Iterable[RehearsalRow], overlays: Iterable[OverlayRow], state: AirState, tz: ZoneInfo
) -> list[dict[str, Any]]:
    """Return rows as JSON, each with its overlays."""
    over: dict[int, list[OverlayRow]] = {}
    for one in overlays:
        over.setdefault(one.overlay.line_id, []).append(one)
    return [entry_view(row, state, tz, over.get(row.line.id, ())) for row in rows]


def overlay_view(row: OverlayRow, state: AirState, tz: ZoneInfo) -> dict[str, Any]:
    """Return an overlay as JSON; times ISO 8601, `_frame` station frames."""

    def when(frame: int) -> str:
        return iso(state.clock.instant_of(frame), tz)

    one = row.overlay
    return {
        "start": when(row.start),
        "end": when(row.end),
        "cart": one.item.cart,
        "kind": str(one.item.kind),
        "title": one.item.title,
        "where": str(one.where),
        "over": one.over,
        "origin": one.origin,
        "why": one.why,
        "state": str(row.outcome),
        "note": row.note,
        "start_frame": row.start,
        "end_frame": row.end,
        "line_id": one.line_id,
    }


def join_view(join: Join, rate: int) -> dict[str, Any]:
    """Return a join as JSON."""
    return {
        "overlap_s": round(join.overlap / rate, 6),
        "fade_out_s": round(join.fade_out / rate, 6),
        "fade_in_s": round(join.fade_in / rate, 6),
        "curve": str(join.out_curve),
        "why": list(join.why),
    }


def finding_view(finding: Finding, state: AirState, tz: ZoneInfo) -> dict[str, Any]:
    """Return a finding as JSON."""
    return {
        "code": finding.code,
        "severity": str(finding.severity),
        "at": iso(state.clock.instant_of(finding.at), tz),
        "text": finding.text,
        "mend": finding.mend,
        "line_id": finding.line_id or None,
    }


def landing_view(landing: Landing, tz: ZoneInfo) -> dict[str, Any]:
    """Return a landing as JSON; `offset_s` is positive when late."""
    return {
        "event": landing.event,
        "at": iso(landing.due_us, tz),
        "entry": landing.entry,
        "offset_s": landing.offset_s,
        "text": landing.text,
    }


def rehearsal_view(night: Rehearsal, state: AirState, tz: ZoneInfo) -> dict[str, Any]:
    """Return a whole rehearsal as JSON."""
    return {
        "entries": entry_views(night.rows, night.overlays, state, tz),
        "findings": [finding_view(finding, state, tz) for finding in night.findings],
        "landings": [landing_view(landing, tz) for landing in night.landings],
    }
