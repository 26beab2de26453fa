"""What one campaign wants of the breaks that are being filled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.core.traffic.order_quotas import Quota


@dataclass(frozen=True, slots=True)
class Demand:
    """What a campaign wants: its quota, how long its longest copy is, when it was heard lately.

    `given` are instants at which logs that are there will bring spots of it. `aired` is how many
    were heard in all of its flight and count, `pending` how many are lined up: those are among
    `heard`, for they are not wanted again.
    """

    campaign: Campaign
    quota: Quota
    length_s: float
    heard: Sequence[int] = ()
    given: Sequence[int] = ()
    aired: int = 0
    pending: int = 0
