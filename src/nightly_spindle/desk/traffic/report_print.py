"""A proof of play as a document to print, and as PDF, by Qt's own printing."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from PySide6.QtCore import QMarginsF
from PySide6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument

from nightly_spindle.core.reports.spot_reports import (
    heading,
    proof_cells,
    rule_words,
    span_words,
    summary,
    time_told,
    total_words,
)
from nightly_spindle.desk.kit.theme import FAMILY

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.spot_reports import Report

_DPI = 150
_STYLE = f"""
body {{ font-family: "{FAMILY}"; font-size: 9pt; }}
h1 {{ font-size: 16pt; }} h2 {{ font-size: 11pt; margin-top: 14pt; }}
th {{ text-align: left; border-bottom: 1px solid black; }}
.right {{ text-align: right; }} .no {{ color: #777777; }}
"""


def document_of(report: Report, tz: ZoneInfo) -> QTextDocument:
    """Return the report as a document: station, sums, a row for each spot, a line to sign."""
    words = (span_words(report, tz), rule_words(report), summary(report.totals))
    told = "<br/>".join(map(escape, words))
    parts = [
        f"<h1>{escape(report.station)}</h1>",
        f"<p><b>{escape(report.title)}</b><br/>{told}</p>",
    ]
    for total in report.totals:
        parts.append(f"<h2>{escape(heading(total.campaign))}</h2>")
        parts.append(f"<p>{escape(total_words(total))}.</p>")
        rows = [row for row in report.proofs if row.campaign.id == total.campaign.id]
        if rows:
            parts.append(
                "<table cellspacing='0' cellpadding='3'><tr><th>Date</th><th>Time</th>"
                "<th class='right'>Aired</th><th>State</th><th>Break or show</th><th>Due</th>"
                "<th>Audio</th>"
                "<th>File</th><th>Note</th></tr>"
            )
        for row in rows:
            cells = proof_cells(row, tz)
            lasts = f"{row.length_s:.1f} s" if row.length_s else "–"
            mark = "" if row.counts else " class='no'"
            texts = (
                cells["date"],
                time_told(row.at_us, tz),
                lasts,
                row.state,
                row.where,
                cells["planned"],
                row.title,
                row.file.rpartition("/")[2],
                row.note,
            )
            tds = "".join(
                f"<td{' class=right' if at == 2 else mark}>{escape(str(text))}</td>"
                for at, text in enumerate(texts)
            )
            parts.append(f"<tr>{tds}</tr>")
        parts.append("</table><p></p>" if rows else "")
    parts.append(f"<p><br/><br/>{escape(report.signature)} ______________________________</p>")
    document = QTextDocument()
    document.setDefaultStyleSheet(_STYLE)
    document.setHtml(f"<body>{''.join(parts)}</body>")
    return document


def write_pdf(report: Report, tz: ZoneInfo, path: Path) -> None:
    """Write a report as PDF, A4; OSError when the file cannot be written."""
    with path.open("ab"):
        pass  # Qt says nothing of a file that it cannot write
    writer = QPdfWriter(str(path))
    writer.setResolution(_DPI)
    writer.setTitle(f"{report.station}: {report.title}")
    writer.setCreator("Nightly Spindle")
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(16, 16, 16, 16), QPageLayout.Unit.Millimeter)
    document_of(report, tz).print_(writer)
