"""Items that are dragged about the desk, and files that are dragged in."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable

    from PySide6.QtCore import QMimeData, QUrl

MIME = "application/x-nightly-spindle-items"


def put_carts(data: QMimeData, carts: Iterable[int]) -> None:
    """Have items dragged, by their cart numbers."""
    data.setData(MIME, ",".join(map(str, carts)).encode())


def carts_in(data: QMimeData) -> list[int]:
    """Return the cart numbers that are being dragged."""
    text = bytes(data.data(MIME).data()).decode("ascii")
    return [int(part) for part in text.split(",") if part]


def file_urls(data: QMimeData) -> list[str]:
    """Return the local files that are being dragged in, empty for anything else."""
    if data.hasFormat(MIME):
        return []
    urls: list[QUrl] = list(data.urls()) if data.hasUrls() else []
    return [url.toLocalFile() for url in urls if url.isLocalFile()]
