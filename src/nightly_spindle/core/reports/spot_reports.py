"""Reports on campaigns: before, what is going to air when; after, what did, to the second.

After: one row for every spot that was placed or aired, from the as-run log alone. A spot counts
when as much of it was heard as the station's rule says. Lengths are what sounded, not what is
on the file.
"""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.timebase import iso, local_from, moment_from
from nightly_spindle.core.base.wording import MONTHS, counted
from nightly_spindle.core.reports.spot_proofs import PlannedSpot, Proof
from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.core.traffic.order_standing import OrderStanding

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from zoneinfo import ZoneInfo


_WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


@dataclass(frozen=True, slots=True)
class Total:
    """The sums of one campaign: how it stands, and what was heard.

    `cut` and `missed` do not count; `made_good` are those that aired for others.
    """

    campaign: Campaign
    standing: OrderStanding
    cut: int
    missed: int
    made_good: int
    heard_s: float


@dataclass(frozen=True, slots=True)
class Report:
    """A proof of play. `from_us` up to `until_us` is the stretch that it is about."""

    station: str
    title: str
    from_us: int
    until_us: int
    counts_from: float
    signature: str
    proofs: tuple[Proof, ...]
    totals: tuple[Total, ...] = field(default=())


def month_span(month: str) -> tuple[date, date]:
    """Return the first day of "2026-12" and that of the month after; ValueError when it is none."""
    first = date.fromisoformat(f"{month.strip()}-01")
    return first, (first + timedelta(days=32)).replace(day=1)


def month_text(month: str) -> str:
    """Return a month "2026-12" as "December 2026"."""
    first, _ = month_span(month)
    return f"{MONTHS[first.month - 1]} {first.year}"


def totals(
    rows: Iterable[Proof],
    campaigns: Mapping[int, Campaign],
    standings: Mapping[int, OrderStanding],
) -> list[Total]:
    """Return the sums of each campaign of which it is known how it stands, by advertiser and name.

    The rows are those of the same stretch.
    """
    by_number: dict[int, list[Proof]] = defaultdict(list)
    for row in rows:
        by_number[row.campaign.id].append(row)
    found = []
    for number, campaign in campaigns.items():
        if number not in standings:
            continue
        own = by_number.get(number, [])
        found.append(
            Total(
                campaign,
                standings[number],
                sum(row.length_s > 0 and not row.counts for row in own),
                sum(row.length_s == 0 for row in own),
                sum(row.counts and row.note.startswith("makes good") for row in own),
                sum(row.length_s for row in own if row.counts),
            )
        )
    return sorted(found, key=_by_advertiser)


def _by_advertiser(total: Total) -> tuple[str, str]:
    return (total.campaign.options.advertiser.casefold(), total.campaign.name.casefold())


# -- as text, as a table ---------------------------------------------------------------------------

PROOF_COLUMNS = (
    "date",
    "time",
    "utc_offset",
    "advertiser",
    "campaign",
    "product",
    "break_or_show",
    "planned",
    "cart",
    "title",
    "file",
    "length_s",
    "full_length_s",
    "state",
    "counts",
    "terms",
    "note",
)
PLAN_COLUMNS = (
    "date",
    "time",
    "utc_offset",
    "weekday",
    "advertiser",
    "campaign",
    "product",
    "break_or_show",
    "fixed",
)


def _when(at_us: int, tz: ZoneInfo) -> dict[str, str]:
    """Return local date and time, and the offset: an hour that comes twice has two."""
    local = moment_from(at_us, tz)
    return {
        "date": f"{local:%Y-%m-%d}",
        "time": f"{local:%H:%M:%S}",
        "utc_offset": local.isoformat(timespec="minutes")[16:],
    }


def time_told(at_us: int, tz: ZoneInfo) -> str:
    """Return the local time of day, with its offset where the clock shows it twice that day."""
    local, cells = moment_from(at_us, tz), _when(at_us, tz)
    twice = local.replace(fold=0).utcoffset() != local.replace(fold=1).utcoffset()
    return f"{cells['time']} {cells['utc_offset']}" if twice else cells["time"]


def proof_cells(row: Proof, tz: ZoneInfo) -> dict[str, Any]:
    """Return a row of the proof of play as plain values; local date and time to the second.

    `planned` is the local time that its break was due, with the date where that is another.
    """
    options = row.campaign.options
    return {
        **_when(row.at_us, tz),
        "advertiser": options.advertiser,
        "campaign": row.campaign.name,
        "product": options.product,
        "break_or_show": row.where,
        "planned": planned_told(row, tz),
        "cart": row.cart,
        "title": row.title,
        "file": row.file,
        "length_s": round(row.length_s, 2),
        "full_length_s": round(row.whole_s, 2),
        "state": row.state,
        "counts": "yes" if row.counts else "no",
        "terms": str(options.terms),
        "note": row.note,
    }


def planned_told(row: Proof, tz: ZoneInfo) -> str:
    """Return when a spot's break was due; empty where a log brought it."""
    if not row.planned_us:
        return ""
    there, here = _when(row.planned_us, tz), _when(row.at_us, tz)
    told = time_told(row.planned_us, tz)
    return told if there["date"] == here["date"] else f"{there['date']} {told}"


def plan_cells(row: PlannedSpot, tz: ZoneInfo) -> dict[str, Any]:
    """Return a planned spot as plain values."""
    options = row.campaign.options
    return {
        **_when(row.at_us, tz),
        "weekday": _WEEKDAYS[local_from(row.at_us, tz).weekday()],
        "advertiser": options.advertiser,
        "campaign": row.campaign.name,
        "product": options.product,
        "break_or_show": row.where,
        "fixed": "by hand" if row.fixed else "",
    }


def total_cells(total: Total) -> dict[str, Any]:
    """Return the sums of a campaign as plain values."""
    return {
        "advertiser": total.campaign.options.advertiser,
        "campaign": total.campaign.name,
        "terms": str(total.campaign.options.terms),
        "ordered": total.standing.of,
        "aired": total.standing.aired,
        "cut": total.cut,
        "missed": total.missed,
        "made_good": total.made_good,
        "to_come": total.standing.to_come,
        "owed": total.standing.owed,
        "heard_s": round(total.heard_s, 1),
    }


def table_csv(columns: Sequence[str], rows: Iterable[Mapping[str, Any]]) -> str:
    """Return rows as CSV by RFC 4180: CRLF, quotes where needed, a header line."""
    out = io.StringIO()
    writer = csv.DictWriter(out, columns, lineterminator="\r\n")
    writer.writeheader()
    for row in rows:
        writer.writerow({name: "" if row[name] is None else row[name] for name in columns})
    return out.getvalue()


def report_text(report: Report, tz: ZoneInfo) -> str:
    """Return a proof of play as plain text, to be pasted."""
    out = [report.station, report.title, span_words(report, tz), rule_words(report), ""]
    for total in report.totals:
        own = [row for row in report.proofs if row.campaign.id == total.campaign.id]
        out.append(f"{heading(total.campaign)}: {total_words(total)}")
        out += [_proof_line(row, tz) for row in own]
        out.append("")
    out.append(f"{report.signature} ______________________________")
    return "\n".join(out) + "\n"


def _proof_line(row: Proof, tz: ZoneInfo) -> str:
    """Return a row of the proof of play as a line of text."""
    cells = proof_cells(row, tz)
    lasts = f"{row.length_s:6.1f} s" if row.length_s else "       –"
    due = f"due {cells['planned']}" if cells["planned"] else ""
    where = ", ".join(word for word in (row.where, due) if word)
    return (
        f"  {cells['date']}  {cells['time']} {cells['utc_offset']}  {lasts}  {row.state:<12}  "
        f"{row.title}  {row.file.rpartition('/')[2]}"
        f"  ({'; '.join(word for word in (where, row.note) if word)})"
    )


def heading(campaign: Campaign) -> str:
    """Return advertiser, campaign and product in one line."""
    options = campaign.options
    whose = f"{options.advertiser} · " if options.advertiser else ""
    what = f" ({options.product})" if options.product else ""
    return f"{whose}{campaign.name}{what}"


def total_words(total: Total) -> str:
    """Return the sums of a campaign in words."""
    said = f"{total.standing.aired} of {total.standing.of} spots aired"
    said += f", {total.made_good} of them made good" if total.made_good else ""
    said += f", {total.cut} cut" if total.cut else ""
    said += f", {total.missed} did not air" if total.missed else ""
    said += f", {total.standing.to_come} to come" if total.standing.to_come else ""
    said += f", {total.standing.owed} owed" if total.standing.owed else ", none owed"
    return f"{said}; {total.heard_s / 60:.1f} min heard"


def span_words(report: Report, tz: ZoneInfo) -> str:
    """Return the stretch that a report is about."""
    first, last = (moment_from(us, tz) for us in (report.from_us, report.until_us - 1))
    return f"{first.day} {first:%b %Y} to {last.day} {last:%b %Y}, {tz.key}"


def rule_words(report: Report) -> str:
    """Return the rule by which spots count."""
    if report.counts_from >= 100:
        return "A spot counts when it was heard in full."
    return f"A spot counts when {report.counts_from:g} % of it or more was heard."


def report_view(report: Report, tz: ZoneInfo) -> dict[str, Any]:
    """Return a proof of play as JSON."""
    return {
        "station": report.station,
        "title": report.title,
        "from": iso(report.from_us, tz),
        "until": iso(report.until_us, tz),
        "counts_from_percent": report.counts_from,
        "totals": [total_cells(one) for one in report.totals],
        "spots": [proof_cells(row, tz) for row in report.proofs],
    }


def summary(rows: Sequence[Total]) -> str:
    """Return the sums of all campaigns in one sentence."""
    aired, wanted = sum(one.standing.aired for one in rows), sum(one.standing.of for one in rows)
    owed = sum(one.standing.owed for one in rows)
    return (
        f"{counted(len(rows), 'campaign')}: {aired} of {wanted} spots aired, {owed or 'none'} owed."
    )
