"""The morning's report as text: for the terminal, for a mail."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.base.wording import counted, span_text

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.morning import Morning


def morning_text(found: Morning, tz: ZoneInfo) -> str:
    """Return the verdict, the figures, and each difference with its cause and what to do."""
    begin, end = (f"{local_from(us, tz):%a %H:%M}" for us in (found.from_us, found.until_us))
    said = [
        found.sentence,
        f"{begin} to {end}: {counted(found.items, 'item')} on air; {_figures(found)}.",
    ]
    for one in found.differences:
        many = f" ({one.many} times)" if one.many > 1 and not one.lasts_s else ""
        lasted = f" for {span_text(round(one.lasts_s))}" if one.lasts_s >= 1 else ""
        said.append(f"{local_from(one.from_us, tz):%H:%M:%S}{lasted}  {one.what}{many}")
        if one.why != one.what:
            said.append(f"    {one.why}")
        if one.mend:
            said.append(f"    {one.mend}")
    return "\n".join(said) + "\n"


def _figures(found: Morning) -> str:
    off = span_text(round(found.off_s)) if found.off_s >= 1 else "never"
    net = f", {span_text(round(found.net_s))} of the safety net" if found.net_s >= 1 else ""
    return f"off air: {off}{net}"
