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
    Column("genre", Text, nullable=False, default=""),
    Column("tags", Text, nullable=False, default=""),  # all that the file says, JSON
    Column("encoding", Text, nullable=False, default=""),
    Column("size", Integer, nullable=False, default=0),  # of the file when measured, bytes
    Column("mtime_ns", Integer, nullable=False, default=0),
    Column("waits", Text, nullable=False, default=""),  # core.intake.Waits
    Column("why_waits", Text, nullable=False, default=""),
    Column("version", Integer, nullable=False, default=0),
    Column("sort_artist", Text, nullable=False, default=""),  # core.matching.key of the text
    Column("sort_title", Text, nullable=False, default=""),
    Column("sort_album", Text, nullable=False, default=""),
    Column("words", Text, nullable=False, default=""),  # core.matching.search_words
    Column("twin", Integer),  # the item that a waiting one seems to be again
    Column("marks", Text, nullable=False, default=""),  # core.markers.marks_values as JSON
    Column("shaping", Text, nullable=False, default=""),  # core.markers.shaping_values as JSON
    Column("fall", Text, nullable=False, default=""),  # core.items.Measure.fall, ms, JSON
    Column("song_key", Text, nullable=False, default=""),  # core.song_names.song_key
    Column("intro_end_s", Float),
    Column("sag_s", Float),
    Column("rise_s", Float),
    Column("soft_s", Float),
    Column("sure_cue_in", Float, nullable=False, default=0.0),
    Column("sure_intro_end", Float, nullable=False, default=0.0),
    Column("sure_segue", Float, nullable=False, default=0.0),
    Column("sure_fade_start", Float, nullable=False, default=0.0),
    Column("sure_cue_out", Float, nullable=False, default=0.0),
    Column("turn", Text, nullable=False, default=""),  # core.turn_card.card_values as JSON
    Index("item_by_name", "name_key"),
    Index("item_by_turn", "kind", "last_aired_us", "cart"),
    Index("item_by_place", "root_id", "path", unique=True),
    Index("item_by_artist", "sort_artist", "sort_title", "cart"),
    Index("item_by_version", "version"),
    Index("item_by_song", "song_key"),
)

# What only few look at, apart, so that walking through the items stays fast.
item_sound = Table(
    "item_sound",
    metadata,
    Column("cart", Integer, ForeignKey("item.cart", ondelete="CASCADE"), primary_key=True),
    Column("overview", LargeBinary, nullable=False),
    Column("fingerprint", LargeBinary, nullable=False),
    Column("sounding_s", Float, nullable=False),  # measured cue in to cue out
    Column("envelope", LargeBinary, nullable=False, default=b""),  # audio.envelope, packed
    Index("item_sound_by_length", "sounding_s"),
)

# Where an item's audio lay before it was replaced: logs that name it there still mean it.
former_place = Table(
    "former_place",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("cart", Integer, ForeignKey("item.cart", ondelete="CASCADE"), nullable=False),
    Column("root_id", Integer, ForeignKey("root.id"), nullable=False),
    Column("path", Text, nullable=False),
    Column("name_key", Text, nullable=False),
    Column("until_us", Integer, nullable=False),
    Column("ours", Boolean, nullable=False),  # a copy made by an intake job: may be cleared away
    Index("former_place_by_name", "name_key"),
)

# One row, counted up with every edit, so that others see that there is something to read.
change = Table(
    "change",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("count", Integer, nullable=False),
)

category = Table(
    "category",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("weight", Float, nullable=False, default=1.0),
    Column("turn", Text, nullable=False, default="oldest first"),  # core.formats.Turn
)

item_category = Table(
    "item_category",
    metadata,
    Column("cart", Integer, ForeignKey("item.cart", ondelete="CASCADE"), primary_key=True),
    Column("category_id", Integer, ForeignKey("category.id"), primary_key=True),
    Index("item_category_by_category", "category_id", "cart"),
)

# A fixed list of items, in order.
list_ = Table(
    "list",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("target_s", Float),  # how long it should run, when somebody said so
)

list_line = Table(
    "list_line",
    metadata,
    Column("list_id", Integer, ForeignKey("list.id", ondelete="CASCADE"), primary_key=True),
    Column("place", Integer, primary_key=True),
    Column("cart", Integer, nullable=False),
    Index("list_line_by_cart", "cart"),
)

# What is other when one kind of item passes into another, or into any.
segue_rule = Table(
    "segue_rule",
    metadata,
    Column("out", Text, primary_key=True),
    Column("into", Text, primary_key=True),
    Column("texts", Text, nullable=False),  # values of core.segue_rules.SegueRule, JSON
)

# How one item passes into another, set by hand.
join_pair = Table(
    "join_pair",
    metadata,
    Column("out_cart", Integer, primary_key=True),
    Column("in_cart", Integer, primary_key=True),
    Column("edit", Text, nullable=False),  # core.segue_rules.edit_values, JSON
)

intake_job = Table(
    "intake_job",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("folder", Text, nullable=False),  # relative to the station unless absolute
    Column("options", Text, nullable=False),  # core.intake.options_values as JSON
    Column("subfolders", Boolean, nullable=False),
    Column("enabled", Boolean, nullable=False),
)

# Files that arrived: the queue of what is to be taken in, and the report of what was.
arrival = Table(
    "arrival",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("job_id", Integer, ForeignKey("intake_job.id", ondelete="SET NULL")),
    Column("path", Text, nullable=False),
    Column("size", Integer, nullable=False),
    Column("mtime_ns", Integer, nullable=False),
    Column("state", Text, nullable=False),  # core.intake.State
    Column("cart", Integer),
    Column("why", Text, nullable=False),
    Column("options", Text, nullable=False),
    Column("at_us", Integer, nullable=False),
    Index("arrival_by_path", "path"),
    Index("arrival_by_state", "state", "id"),
)

log_drop = Table(
    "log_drop",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column("folder", Text, nullable=False),  # relative to the station unless absolute
    Column("pattern", Text, nullable=False),  # core.name_pattern
    Column("options", Text, nullable=False, default="{}"),  # core.drops.DropOptions, JSON
    Column("paths", Text, nullable=False, default="[]"),  # JSON: [as logs write it, folder here]
    Column("meanings", Text, nullable=False, default="[]"),  # JSON: [text, means, value]
    Column("made_us", Integer, nullable=False, default=0),
)

# What was settled by hand for lines that say this (core.matching.settle_key).
log_settled = Table(
    "log_settled",
    metadata,
    Column("said", Text, primary_key=True),
    Column("cart", Integer, nullable=False),
    Column("at_us", Integer, nullable=False),
)

# Edits of a log that is not on air yet: core.log_edits, a JSON list.
log_edit = Table(
    "log_edit",
    metadata,
    Column("drop_id", Integer, primary_key=True),
    Column("slot", Text, primary_key=True),  # core.slots.Slot.key
    Column("edits", Text, nullable=False),
)

timed_event = Table(
    "timed_event",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False),
    Column("start", Text, nullable=False),  # local time, ISO 8601; empty where there is none
    Column("rrule", Text, nullable=False),  # RFC 5545, empty for once
    Column("exdates", Text, nullable=False, default=""),  # local times, commas between
    Column("entry", Text, nullable=False),
    Column("steps", Text, nullable=False),  # core.steps, a JSON list
    Column("priority", Integer, nullable=False, default=0),
    Column("enabled", Boolean, nullable=False, default=True),
    Column("grace_s", Float, nullable=False, default=900.0),
    Column("rule", Text, nullable=False, default="{}"),  # core.event_values, JSON
    Column("options", Text, nullable=False, default="{}"),  # core.events.EventOptions, JSON
)

# A pool of overlays (core.overlay_pools).
overlay_pool = Table(
    "overlay_pool",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("use", Text, nullable=False),
    Column("place", Integer, nullable=False),  # where it stands among the others
    Column("members", Text, nullable=False),  # JSON: [{cart, weight}]
    Column("options", Text, nullable=False),  # core.overlay_pools.PoolOptions, JSON
)

# Where the sound goes (core.outputs.outputs). Passwords are kept apart.
output = Table(
    "output",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("kind", Text, nullable=False),
    Column("place", Integer, nullable=False),  # where it stands among the others
    Column("enabled", Boolean, nullable=False),
    Column("options", Text, nullable=False),  # the kind's options that are not as usual, JSON
)

# A way to tell somebody of troubles (core.alerts.alerts).
alert = Table(
    "alert",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("kind", Text, nullable=False),
    Column("place", Integer, nullable=False),  # where it stands among the others
    Column("enabled", Boolean, nullable=False),
    Column("options", Text, nullable=False),  # the kind's options that are not as usual, JSON
    Column("sent_when", Text, nullable=False),  # core.alerts.alerts.When, JSON
)

# A kind of break (core.breaks).
break_pattern = Table(
    "break_pattern",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("place", Integer, nullable=False),  # where it stands among the others
    Column("options", Text, nullable=False),  # core.breaks.BreakOptions, JSON
)

# What an advertiser ordered (core.campaigns).
campaign = Table(
    "campaign",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("copies", Text, nullable=False),  # JSON: [{cart, weight, hours, first, last}]
    Column("options", Text, nullable=False),  # core.campaigns.CampaignOptions, JSON
    Column("pins", Text, nullable=False),  # JSON: [{break, at_us}], set by hand
)

# Which spots air in which of the coming breaks (core.spots.Booking).
spot_placed = Table(
    "spot_placed",
    metadata,
    Column("at_us", Integer, primary_key=True),
    Column("break_id", Integer, primary_key=True),
    Column("seat", Integer, primary_key=True),
    Column("campaign_id", Integer, nullable=False),
    Column("fixed", Boolean, nullable=False),
)

# The one row that says when that was made, from when to when, and what it has seen to.
placing = Table(
    "placing",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("made_us", Integer, nullable=False),
    Column("from_us", Integer, nullable=False),
    Column("until_us", Integer, nullable=False),
    Column("settled", Text, nullable=False),  # JSON: [campaign, break, at_us], missed and seen to
    Column("short", Text, nullable=False),  # JSON: core.placing_why.Shortfall
)

# The pattern of an hour (core.format_clocks).
format_clock = Table(
    "format_clock",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("slots", Text, nullable=False),  # JSON: slots as text
    Column("weights", Text, nullable=False),  # JSON: [{category, weight}]
    Column("rules", Text, nullable=False),  # JSON: core.rotation_rules.rule_values
    Column("options", Text, nullable=False),  # core.format_clocks.ClockOptions, JSON
)

# A whole day of clocks and shows (core.day_plans).
day_plan = Table(
    "day_plan",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Text, nullable=False, unique=True),
    Column("hours", Text, nullable=False),  # JSON: 24 clock numbers
    Column("shows", Text, nullable=False),  # JSON: shows as text
    Column("options", Text, nullable=False),  # core.day_plans.DayOptions, JSON
)

# The week plan: the clock of each of the 168 hours, Monday 00:00 first; none where there is no row.
week_hour = Table(
    "week_hour",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("clock_id", Integer, nullable=False),
)

# The calendar: which day plan a broadcast day has.
calendar_day = Table(
    "calendar_day",
    metadata,
    Column("id", Integer, primary_key=True),  # days since 1970-01-01
    Column("plan_id", Integer, nullable=False),
)

# The station's rules of rotation (core.rotation_rules), in their order.
rotation_rule = Table(
    "rotation_rule",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("body", Text, nullable=False),  # core.rotation_rules.rule_values, JSON
)

# Hours that the station made itself (core.made_logs).
made_hour = Table(
    "made_hour",
    metadata,
    Column("id", Integer, primary_key=True),  # its start, µs
    Column("clock_id", Integer, nullable=False),
    Column("made_us", Integer, nullable=False),
    Column("body", Text, nullable=False),  # JSON
)

# Backups that were made or tried; `problem` says why one failed.
backup = Table(
    "backup",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("at_us", Integer, nullable=False),
    Column("path", Text, nullable=False),
    Column("bytes", Integer, nullable=False),
    Column("problem", Text, nullable=False),
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
    Column("over", Text, nullable=False, default=""),  # what an overlay lay on
    Column("campaign", Integer, nullable=False, default=0),  # whose spot it was
    Column("break_id", Integer, nullable=False, default=0),  # the break it was placed in
    Column("break_us", Integer, nullable=False, default=0),
    Column("good", Boolean, nullable=False, default=False),  # it made good for that
    Column("file", Text, nullable=False, default=""),
    Column("whole_us", Integer, nullable=False, default=0),
    Column("share", Float, nullable=False, default=0.0),  # of it that was heard
    Index("as_run_by_start", "start_us"),
    Index("as_run_by_campaign", "campaign", "start_us"),
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
    Column("times", Integer, nullable=False, server_default="1"),
    Column("last_us", Integer, nullable=False, server_default="0"),
    Column("fold", Text, nullable=False, server_default=""),
    Index("alarm_by_time", "at_us"),
    Index("alarm_by_fold", "fold", "last_us"),
)

# Causes of findings that the operator left as they are (core.reports.tonight.Left).
finding_left = Table(
    "finding_left",
    metadata,
    Column("key", Text, primary_key=True),
    Column("names", Text, nullable=False),  # JSON: what the findings named then
    Column("reason", Text, nullable=False),
    Column("at_us", Integer, nullable=False),
)
