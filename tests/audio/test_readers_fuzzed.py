"""Readers of foreign files end in a result or in our own error, whatever the file holds."""

import random
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from conftest import RATE
from fuzzing import fuzz

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.events.event_icalendar import from_calendar
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.store.playout.state_coding import encode_state
from nightly_spindle.store.playout.state_file import StateFile, pack

NOW = round(datetime(2026, 11, 24, tzinfo=UTC).timestamp()) * US


@pytest.mark.slow
def test_odd_files_of_every_kind(station, tmp_path):
    file = StateFile(station)
    file.write(pack({"name": "Pier"}, encode_state(new_state(RATE, 1, 1)), [], []), 5)
    file.close()
    seed = random.randrange(10**6)
    print(f"seed {seed}")
    count, wrong = fuzz(tmp_path, station, 12, seed)
    assert not wrong, "\n\n".join(wrong)
    assert count > 100, "thousands where the machine has time"


@pytest.mark.parametrize(
    "twice",
    [
        "SUMMARY:Other",
        "UID:2",
        "DTSTART:20261125T090000",
        "DURATION:PT2H",
        "RECURRENCE-ID:20261124T090000",
        "RRULE:FREQ=DAILY",
    ],
)
def test_a_calendar_with_a_property_twice_is_read_or_refused(twice):
    lines = [
        "BEGIN:VCALENDAR",
        "VERSION:2.0",
        "PRODID:x",
        "BEGIN:VEVENT",
        "UID:1",
        "SUMMARY:Bell",
        "DTSTART:20261124T090000",
        "DURATION:PT1H",
        "RRULE:FREQ=WEEKLY",
        "RECURRENCE-ID:20261124T090000",
        twice,
        "END:VEVENT",
        "END:VCALENDAR",
    ]
    try:
        (event,) = from_calendar("\r\n".join(lines).encode(), ZoneInfo("UTC"), NOW)
    except InputFault as error:
        assert "Bell" in str(error)
    else:
        assert event.name == "Bell"
