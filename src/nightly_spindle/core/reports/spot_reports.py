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

from nightly_spindle.core.base.timebase import US, iso, local_from, moment_from
from nightly_spindle.core.base.wording import MONTHS, counted
from nightly_spindle.core.playout.spot_heard import counts
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.traffic.campaigns import Campaign

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.as_run import AsRun
    from nightly_spindle.core.traffic.spot_plan import Booking

_WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


@dataclass(frozen=True, slots=True)
class PlannedSpot:
    """One spot that is going to air: when, of which break, in which show or hour."""

    at_us: int
    campaign: Campaign
    where: str
    fixed: bool = False


@dataclass(frozen=True, slots=True)
class Proof:
    """One spot that aired, or was to: `state` is its outcome in a word, `counts` whether it counts.

    `length_s` is how long it sounded, `whole_s` how long it is. `file` is empty where nothing did.
    """

    at_us: int
    campaign: Campaign
    cart: int | None
    title: str
    file: str
    length_s: float
    whole_s: float
    state: str
    counts: bool
    note: str


@dataclass(frozen=True, slots=True)
class Total:
    """The sums of one campaign: of `ordered` spots `aired` count, `cut` and `missed` do not.

    `to_come` are placed in what is left of the stretch.
    """

    campaign: Campaign
    ordered: int
    aired: int
    cut: int
    missed: int
    made_good: int
    heard_s: float
    to_come: int = 0

    @property
    def owed(self) -> int:
        """How many of the order are owed: they were not heard, and are not to come."""
        return max(0, self.ordered - self.aired - self.to_come)


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


def planned(
    bookings: Iterable[Booking],
    campaigns: Mapping[int, Campaign],
    breaks: Mapping[int, str],
    shows: Sequence[tuple[int, int, str]],
) -> list[PlannedSpot]:
    """Return what is going to air, by time.

    `breaks` are the patterns' names by number, `shows` stretches (begin, end, name) that timed
    events hold.
    """
    found = []
    for one in sorted(bookings):
        campaign = campaigns.get(one.campaign)
        if campaign is not None:
            show = next((n for begin, end, n in shows if begin <= one.at_us < end), "")
            where = show or breaks.get(one.pattern, "")
            found.append(PlannedSpot(one.at_us, campaign, where, one.fixed))
    return found


def proofs(
    lines: Iterable[AsRun], campaigns: Mapping[int, Campaign], counts_from: float
) -> list[Proof]:
    """Return a row for each spot of these campaigns in as-run lines, by time."""
    found = []
    for line in lines:
        campaign = campaigns.get(line.campaign)
        if campaign is None or line.outcome == Outcome.ON_AIR:
            continue
        if not line.break_id and line.end_us <= line.start_us:
            continue  # a log had it, and it did not air: nobody had placed it
        heard = (line.end_us - line.start_us) / US
        good = counts(line.share, counts_from) and line.cart is not None
        notes = [line.note] if line.note else []
        if line.good:
            notes.insert(0, "makes good")
        found.append(
            Proof(
                line.start_us,
                campaign,
                line.cart,
                line.title,
                line.file if heard else "",
                heard,
                line.whole_us / US,
                _state(line, good=good),
                good,
                "; ".join(notes),
            )
        )
    return sorted(found, key=lambda one: one.at_us)


def _state(line: AsRun, *, good: bool) -> str:
    if line.end_us <= line.start_us:
        return "did not air"
    if good:
        return "aired" if line.share >= 1.0 else f"aired, {line.share:.0%}"
    return f"cut, {line.share:.0%}"


def totals(
    rows: Iterable[Proof],
    ordered: Mapping[int, tuple[Campaign, int]],
    to_come: Mapping[int, int],
) -> list[Total]:
    """Return the sums of each campaign that has rows or an order, by advertiser and name."""
    by_number: dict[int, list[Proof]] = defaultdict(list)
    for row in rows:
        by_number[row.campaign.id].append(row)
    found = []
    for number, (campaign, wanted) in ordered.items():
        own = by_number.get(number, [])
        found.append(
            Total(
                campaign,
                wanted,
                sum(row.counts for row in own),
                sum(row.length_s > 0 and not row.counts for row in own),
                sum(row.length_s == 0 for row in own),
                sum(row.counts and row.note.startswith("makes good") for row in own),
                sum(row.length_s for row in own if row.counts),
                to_come.get(number, 0),
            )
        )
    return sorted(found, key=_by_advertiser)


def _by_advertiser(total: Total) -> tuple[str, str]:
    return (total.campaign.options.advertiser.casefold(), total.campaign.name.casefold())


# -- as text, as a table ---------------------------------------------------------------------------

PROOF_COLUMNS = (
    "date",
    "time",
    "advertiser",
    "campaign",
    "product",
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
    "weekday",
    "advertiser",
    "campaign",
    "product",
    "break_or_show",
    "fixed",
)


def proof_cells(row: Proof, tz: ZoneInfo) -> dict[str, Any]:
    """Return a row of the proof of play as plain values; local date and time to the second."""
    local = local_from(row.at_us, tz)
    options = row.campaign.options
    return {
        "date": f"{local:%Y-%m-%d}",
        "time": f"{local:%H:%M:%S}",
        "advertiser": options.advertiser,
        "campaign": row.campaign.name,
        "product": options.product,
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


def plan_cells(row: PlannedSpot, tz: ZoneInfo) -> dict[str, Any]:
    """Return a planned spot as plain values."""
    local = local_from(row.at_us, tz)
    options = row.campaign.options
    return {
        "date": f"{local:%Y-%m-%d}",
        "time": f"{local:%H:%M:%S}",
        "weekday": _WEEKDAYS[local.weekday()],
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
        "ordered": total.ordered,
        "aired": total.aired,
        "cut": total.cut,
        "missed": total.missed,
        "made_good": total.made_good,
        "to_come": total.to_come,
        "owed": total.owed,
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
        for row in own:
            cells = proof_cells(row, tz)
            note = f"  ({row.note})" if row.note else ""
            lasts = f"{row.length_s:6.1f} s" if row.length_s else "       –"
            out.append(
                f"  {cells['date']}  {cells['time']}  {lasts}  {row.state:<12}  "
                f"{row.title}  {row.file.rpartition('/')[2]}{note}"
            )
        out.append("")
    out.append(f"{report.signature} ______________________________")
    return "\n".join(out) + "\n"


def heading(campaign: Campaign) -> str:
    """Return advertiser, campaign and product in one line."""
    options = campaign.options
    whose = f"{options.advertiser} · " if options.advertiser else ""
    what = f" ({options.product})" if options.product else ""
    return f"{whose}{campaign.name}{what}"


def total_words(total: Total) -> str:
    """Return the sums of a campaign in words."""
    said = f"{total.aired} of {total.ordered} spots aired"
    said += f", {total.made_good} of them made good" if total.made_good else ""
    said += f", {total.cut} cut" if total.cut else ""
    said += f", {total.missed} did not air" if total.missed else ""
    said += f", {total.to_come} to come" if total.to_come else ""
    said += f", {total.owed} owed" if total.owed else ", none owed"
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
    aired, wanted = sum(one.aired for one in rows), sum(one.ordered for one in rows)
    owed = sum(one.owed for one in rows)
    return (
        f"{counted(len(rows), 'campaign')}: {aired} of {wanted} spots aired, {owed or 'none'} owed."
    )
