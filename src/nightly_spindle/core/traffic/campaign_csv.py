"""Orders as a table: CSV in (RFC 4180), one campaign a row.

The header names the columns: `campaign`, `copies` (cart numbers, "1034 1035:2" with weights), and
the options of `campaigns.CampaignOptions` by their names. A campaign of that name that is
there already is changed: columns that the table does not have stay as they are.
"""

from __future__ import annotations

import csv
import io
from dataclasses import replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.declared import changed_group, specs
from nightly_spindle.core.base.errors import InputFault, SettingRefused, clipped
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, check_campaign

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping

COLUMNS = ("campaign", "copies", *specs(CampaignOptions))
_MOST = 5_000


def orders_from_csv(text: str, known: Iterable[Campaign], name: str) -> list[Campaign]:
    """Return the campaigns of a table; those that are there already with their numbers.

    InputFault tells what is wrong, with the line of each, the first five of it; then nothing is to
    be taken. `name` is what the file is called.
    """
    by_name = {campaign.name.casefold(): campaign for campaign in known}
    wrong: list[str] = []
    found: dict[str, Campaign] = {}
    for line, values in _rows(text, name, wrong):
        try:
            made = _order(values, by_name)
            check_campaign(made)
            if made.name.casefold() in found:
                raise SettingRefused(f"“{made.name}” stands there twice")
            found[made.name.casefold()] = made
        except InputFault as error:
            wrong.append(f"line {line}: {clipped(error, 300)}")
    if wrong:
        more = f"; and {len(wrong) - 5} more" if len(wrong) > 5 else ""
        raise InputFault(f"{name}: {'; '.join(wrong[:5])}{more}")
    if not found:
        raise InputFault(f"{name} holds no orders")
    return list(found.values())


def _rows(text: str, name: str, wrong: list[str]) -> Iterator[tuple[int, dict[str, str]]]:
    """Return the rows by column, each with its line; what is wrong is added to `wrong`."""
    header = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=header.count)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    try:
        columns = [cell.strip().lower() for cell in next(rows, [])]
        _check_columns(columns, name)
        for count, row in enumerate(rows):
            if count > _MOST:
                raise InputFault(f"{name} has more than {_MOST} rows; take it in in parts")
            if len(row) == len(columns):
                yield rows.line_num, dict(zip(columns, map(str.strip, row), strict=True))
            elif any(map(str.strip, row)):
                wrong.append(
                    f"line {rows.line_num} has {len(row)} cells, the header {len(columns)}"
                )
    except csv.Error as error:
        raise InputFault(f"{name} is not a CSV table: line {rows.line_num}: {error}") from error


def _check_columns(columns: list[str], name: str) -> None:
    strange = [column for column in columns if column not in COLUMNS]
    if "campaign" not in columns:
        raise InputFault(
            f"{name} has no column “campaign”; its first line names the columns: "
            f"{', '.join(COLUMNS)}"
        )
    if strange:
        raise InputFault(
            f"{name} has a column “{clipped(strange[0])}”; columns are {', '.join(COLUMNS)}"
        )
    if len(set(columns)) < len(columns):
        raise InputFault(f"{name} has a column twice")


def _order(values: Mapping[str, str], known: Mapping[str, Campaign]) -> Campaign:
    """Return the campaign of one row."""
    name = " ".join(values["campaign"].split())
    was = known.get(name.casefold(), Campaign(0, name))
    changes = [
        f"{n}={v}"
        for n, v in values.items()
        if n not in {"campaign", "copies"} and (v or n not in _NUMBERS)
    ]
    options = changed_group(was.options, "campaign", changes)
    made = replace(was, options=options)
    if values.get("copies"):
        made = replace(made, copies=copies_from(values["copies"].replace(",", " ").split(), was))
    return made


# what cannot be empty is left as it is by an empty cell
_NUMBERS = frozenset(
    name for name, spec in specs(CampaignOptions).items() if "text" not in spec.metadata
)


def copies_from(texts: Iterable[str], was: Campaign) -> tuple[Copy, ...]:
    """Read copies written as CART or CART:WEIGHT; what is known of one already stays."""
    before = {copy.cart: copy for copy in was.copies}
    found = []
    for text in texts:
        cart, _, weight = text.partition(":")
        try:
            copy = before.get(int(cart), Copy(int(cart)))
            found.append(replace(copy, weight=float(weight)) if weight else copy)
        except ValueError:
            raise InputFault(
                f"'{text}' is not a valid copy; write CART or CART:WEIGHT, as 1034:2"
            ) from None
    return tuple(found)
