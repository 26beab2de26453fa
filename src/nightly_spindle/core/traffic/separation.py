"""How far a spot must be from another: of its own campaign, of a competitor.

So far apart *at least*: two that lie exactly so far from each other may. Two in one break are too
near whatever is set. The placing asks this beforehand, the night when a break is filled.
"""

from __future__ import annotations


def too_near(gap: int, apart: int) -> bool:
    """Whether two that lie `gap` apart, either way, are nearer than they may be. Units as given."""
    return gap == 0 or abs(gap) < apart
