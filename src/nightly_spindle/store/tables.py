"""The schema. A change here needs a migration in `migrations/versions` and its test."""

from __future__ import annotations

from sqlalchemy import (
    Boolean,
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    Table,
    Text,
)

metadata = MetaData()

setting = Table(
    "setting",
    metadata,
    Column("name", Text, primary_key=True),
    Column("value", Text, nullable=False),
)

# A folder that audio lies in; relative to the station folder unless it begins with "/".
root = Table(
    "root",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("path", Text, nullable=False, unique=True),
)

item = Table(
    "item",
    metadata,
    Column("cart", Integer, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("artist", Text, nullable=False, default=""),
    Column("album", Text, nullable=False, default=""),
    Column("year", Text, nullable=False, default=""),
    Column("root_id", Integer, ForeignKey("root.id"), nullable=False),
    Column("path", Text, nullable=False),  # relative to its root, "/" between names
    Column("name_key", Text, nullable=False),  # core.matching.key of the file name
    Column("added_us", Integer, nullable=False),
    Column("last_aired_us", Integer),
    Column("duration_s", Float, nullable=False),
    Column("sample_rate", Integer, nullable=False),
    Column("channels", Integer, nullable=False),
    Column("integrated_lufs", Float),
    Column("loudness_range_lu", Float, nullable=False),
    Column("true_peak_dbtp", Float),
    Column("cue_in_s", Float, nullable=False),
    Column("cue_out_s", Float, nullable=False),
    Column("segue_s", Float, nullable=False),
    Column("fade_start_s", Float, nullable=False),
    Column("ending", Text, nullable=False),
    Column("overview", LargeBinary, nullable=False),
    Index("item_by_name", "name_key"),
    Index("item_by_turn", "kind", "last_aired_us", "cart"),
    Index("item_by_place", "root_id", "path", unique=True),
)

category = Table(
    "category",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
)

item_category = Table(
    "item_category",
    metadata,
    Column("cart", Integer, ForeignKey("item.cart", ondelete="CASCADE"), primary_key=True),
    Column("category_id", Integer, ForeignKey("category.id"), primary_key=True),
)

log_drop = Table(
    "log_drop",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column("folder", Text, nullable=False),  # relative to the station unless absolute
    Column("pattern", Text, nullable=False),  # strftime codes
)

timed_event = Table(
    "timed_event",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column("start", Text, nullable=False),  # local time, ISO 8601
    Column("rrule", Text, nullable=False),  # RFC 5545, empty for once
    Column("exdates", Text, nullable=False, default=""),  # local times, commas between
    Column("entry", Text, nullable=False),
    Column("steps", Text, nullable=False),  # JSON list
    Column("priority", Integer, nullable=False, default=0),
    Column("enabled", Boolean, nullable=False, default=True),
    Column("grace_s", Float, nullable=False, default=900.0),
)

# The one row that a restarted engine goes on from.
air_state = Table(
    "air_state",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("seen_us", Integer, nullable=False),  # last sign of life
    Column("body", LargeBinary, nullable=False),  # core.running.AirState as JSON
)

as_run = Table(
    "as_run",
    metadata,
    Column("key", Text, primary_key=True),  # engine session and play or line
    Column("start_us", Integer, nullable=False),
    Column("end_us", Integer, nullable=False),
    Column("cart", Integer),
    Column("kind", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("artist", Text, nullable=False),
    Column("origin", Text, nullable=False),
    Column("why", Text, nullable=False),
    Column("outcome", Text, nullable=False),
    Column("note", Text, nullable=False),
    Index("as_run_by_start", "start_us"),
)

alarm = Table(
    "alarm",
    metadata,
    Column("key", Text, primary_key=True),
    Column("at_us", Integer, nullable=False),
    Column("code", Text, nullable=False),
    Column("severity", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("mend", Text, nullable=False),
    Index("alarm_by_time", "at_us"),
)
