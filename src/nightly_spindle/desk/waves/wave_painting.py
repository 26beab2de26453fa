"""Waveforms and spectra as pictures, made from arrays at once: painting stays fast at any zoom."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from nightly_spindle.audio.peaks import Samples

_STEPS_S = (
    0.0001,
    0.0005,
    0.001,
    0.005,
    0.01,
    0.05,
    0.1,
    0.2,
    0.5,
    1,
    2,
    5,
    10,
    15,
    30,
    60,
    120,
    300,
    600,
    1800,
)
_LABEL_PX = 84


def columns_of_overview(
    overview: bytes, length_s: float, begin_s: float, span_s: float, count: int
) -> NDArray[np.float32]:
    """Return lowest and highest for each pixel from the stored overview, shape (count, 2)."""
    found = np.zeros((count, 2), dtype=np.float32)
    if not overview or length_s <= 0:
        return found
    peaks = np.frombuffer(overview, np.uint8).astype(np.float32) / 255
    at = (begin_s + (np.arange(count) + 0.5) * span_s / count) / length_s * len(peaks)
    index = np.floor(at).astype(np.int64)
    inside = (index >= 0) & (index < len(peaks))
    found[inside, 1] = peaks[index[inside]]
    found[:, 0] = -found[:, 1]
    return found


def columns_of_samples(
    samples: Samples, begin_s: float, span_s: float, count: int
) -> NDArray[np.float32]:
    """Return lowest and highest for each pixel from single samples, shape (count, 2)."""
    edges = (begin_s + np.arange(count + 1) * span_s / count) * samples.rate - samples.begin
    first = np.floor(edges[:-1]).astype(np.int64)
    last = np.maximum(np.ceil(edges[1:]).astype(np.int64), first + 1)
    found = np.zeros((count, 2), dtype=np.float32)
    inside = np.flatnonzero((first >= 0) & (first < len(samples.mono)))
    if len(inside):
        top = len(samples.mono) - 1
        bounds = np.stack([first[inside], last[inside]], axis=1).ravel()
        bounds = np.append(np.minimum(bounds, top), top)[:-1]
        found[inside, 0] = np.minimum.reduceat(samples.mono, bounds)[::2]
        found[inside, 1] = np.maximum.reduceat(samples.mono, bounds)[::2]
    return found


def wave_image(
    columns: NDArray[np.float32],
    tall: int,
    inks: tuple[QColor, QColor],
    played: tuple[float, float],
    gains: NDArray[np.float32] | None = None,
) -> QImage:
    """Return a waveform as a picture of `tall` pixels, one column for each of `columns`.

    `played` are the columns between which the first ink holds, the second outside. `gains`
    scale each column, as a fade does.
    """
    shown = columns if gains is None else columns * gains[:, None]
    middle = (tall - 1) / 2
    top = np.floor(middle - shown[:, 1] * middle)
    foot = np.ceil(middle - shown[:, 0] * middle)
    foot = np.maximum(foot, top + 1)
    rows = np.arange(tall, dtype=np.float32)[:, None]
    inside = (rows >= top) & (rows <= foot)
    at = np.arange(len(shown))
    ink = np.where(
        (at >= played[0]) & (at < played[1]), np.uint32(inks[0].rgba()), np.uint32(inks[1].rgba())
    )
    return image_of(np.where(inside, ink[None, :], np.uint32(0)))


def image_of(pixels: NDArray[np.uint32]) -> QImage:
    """Return an array of ARGB pixels (rows, columns) as a picture of its own."""
    pixels = np.ascontiguousarray(pixels, dtype=np.uint32)
    tall, wide = pixels.shape
    picture = QImage(pixels.tobytes(), wide, tall, wide * 4, QImage.Format.Format_ARGB32)
    return picture.copy()


def spectrum_image(levels: NDArray[np.uint8], low: QColor, high: QColor) -> QImage:
    """Return a spectrogram as a picture: from one colour, quiet, to the other, loud."""
    part = (levels.astype(np.float32) / 255) ** 1.4
    channels = []
    for one, other in (
        (low.red(), high.red()),
        (low.green(), high.green()),
        (low.blue(), high.blue()),
    ):
        channels.append((one + (other - one) * part).astype(np.uint32))
    red, green, blue = channels
    pixels = np.uint32(0xFF000000) | (red << 16) | (green << 8) | blue
    return image_of(pixels.astype(np.uint32))


def paint_samples(
    painter: QPainter, box: QRectF, samples: Samples, begin_s: float, span_s: float, ink: QColor
) -> None:
    """Paint single samples as dots on a line, where they lie far enough apart."""
    first = max(0, int(begin_s * samples.rate) - samples.begin - 1)
    last = min(len(samples.mono), int((begin_s + span_s) * samples.rate) - samples.begin + 2)
    if last - first < 2:
        return
    at = (np.arange(first, last) + samples.begin) / samples.rate
    xs = box.left() + (at - begin_s) / span_s * box.width()
    ys = box.center().y() - samples.mono[first:last] * box.height() / 2
    points = [QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]
    painter.setPen(QPen(ink, 1.2))
    painter.drawPolyline(QPolygonF(points))
    if box.width() / max(1, last - first) > 5:
        painter.setPen(QPen(ink, 4))
        painter.drawPoints(QPolygonF(points))


def ticks(begin_s: float, span_s: float, wide: float) -> list[tuple[float, str]]:
    """Return times to write along a line of so many pixels, each with its text."""
    step = next((s for s in _STEPS_S if s / span_s * wide >= _LABEL_PX), _STEPS_S[-1])
    first = int(np.ceil(begin_s / step))
    found = []
    for number in range(first, int((begin_s + span_s) / step) + 1):
        at = number * step
        found.append((at, tick_text(at, step)))
    return found


def tick_text(at_s: float, step_s: float) -> str:
    """Return a time with as many places as a step of that size needs."""
    places = 0 if step_s >= 1 else 1 if step_s >= 0.1 else 2 if step_s >= 0.01 else 4
    minutes, seconds = divmod(round(abs(at_s), 6), 60)
    text = f"{seconds:0{3 + places if places else 2}.{places}f}"
    sign = "-" if at_s < 0 else ""
    return f"{sign}{int(minutes)}:{text}"
