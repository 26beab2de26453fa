"""Working out how logs are written, from one real log."""

from __future__ import annotations

from pathlib import Path

from nightly_spindle.core.logs.log_reading import LogFormat, format_of, read_bytes
from nightly_spindle.core.logs.log_tables import propose_columns, propose_csv
from nightly_spindle.core.logs.log_text import decode, lines_of


def worked_out(sample: str | Path) -> dict[str, str]:
    """Return the options (format, template, charset) that a log seems to follow.

    LogUnreadable says why it is no log.
    """
    path = Path(sample)
    data = read_bytes(path)
    form = format_of(data, path.name)
    found = {"format": str(form)}
    if form is LogFormat.XSPF:
        return found
    text, charset = decode(data, path.name)
    # the mark of a wide character set says it by itself
    found["charset"] = "auto" if charset.startswith(("utf-16", "utf-32")) else charset
    if form is LogFormat.CSV:
        found["template"] = propose_csv(text, path.name)
    elif form is LogFormat.COLUMNS:
        found["template"] = propose_columns([line for _, line in lines_of(text, path.name)])
    return found
