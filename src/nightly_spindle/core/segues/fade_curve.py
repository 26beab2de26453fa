"""The gain along a fade."""

from __future__ import annotations

from math import cos, pi

from nightly_spindle.core.library.markers import Curve


def fade_gain(curve: Curve, part: float) -> float:
    """Return the gain of a fade-out after `part` (0 to 1) of its length.

    Equal power is cos(part * pi / 2): squares of it and of the rising sine add to 1.
    """
    if curve is Curve.EQUAL_POWER:
        return cos(min(max(part, 0.0), 1.0) * pi / 2)
    if curve is Curve.LINEAR:
        return 1.0 - min(max(part, 0.0), 1.0)
    return 1.0 if part < 1.0 else 0.0
