"""The first schema: items, drops, events, the engine's state, the as-run log."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "setting",
        sa.Column("name", sa.Text, primary_key=True),
        sa.Column("value", sa.Text, nullable=False),
    )
    op.create_table(
        "root",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("path", sa.Text, nullable=False, unique=True),
    )
    _items()
    op.create_table(
        "log_drop",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("folder", sa.Text, nullable=False),
        sa.Column("pattern", sa.Text, nullable=False),
    )
    op.create_table(
        "timed_event",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("start", sa.Text, nullable=False),
        sa.Column("rrule", sa.Text, nullable=False),
        sa.Column("exdates", sa.Text, nullable=False),
        sa.Column("entry", sa.Text, nullable=False),
        sa.Column("steps", sa.Text, nullable=False),
        sa.Column("priority", sa.Integer, nullable=False),
        sa.Column("enabled", sa.Boolean, nullable=False),
        sa.Column("grace_s", sa.Float, nullable=False),
    )
    _air()


def _items() -> None:
    op.create_table(
        "item",
        sa.Column("cart", sa.Integer, primary_key=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("artist", sa.Text, nullable=False),
        sa.Column("album", sa.Text, nullable=False),
        sa.Column("year", sa.Text, nullable=False),
        sa.Column("root_id", sa.Integer, sa.ForeignKey("root.id"), nullable=False),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("name_key", sa.Text, nullable=False),
        sa.Column("added_us", sa.Integer, nullable=False),
        sa.Column("last_aired_us", sa.Integer),
        sa.Column("duration_s", sa.Float, nullable=False),
        sa.Column("sample_rate", sa.Integer, nullable=False),
        sa.Column("channels", sa.Integer, nullable=False),
        sa.Column("integrated_lufs", sa.Float),
        sa.Column("loudness_range_lu", sa.Float, nullable=False),
        sa.Column("true_peak_dbtp", sa.Float),
        sa.Column("cue_in_s", sa.Float, nullable=False),
        sa.Column("cue_out_s", sa.Float, nullable=False),
        sa.Column("segue_s", sa.Float, nullable=False),
        sa.Column("fade_start_s", sa.Float, nullable=False),
        sa.Column("ending", sa.Text, nullable=False),
        sa.Column("overview", sa.LargeBinary, nullable=False),
    )
    op.create_index("item_by_name", "item", ["name_key"])
    op.create_index("item_by_turn", "item", ["kind", "last_aired_us", "cart"])
    op.create_index("item_by_place", "item", ["root_id", "path"], unique=True)
    op.create_table(
        "category",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
    )
    op.create_table(
        "item_category",
        sa.Column(
            "cart", sa.Integer, sa.ForeignKey("item.cart", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("category_id", sa.Integer, sa.ForeignKey("category.id"), primary_key=True),
    )


def _air() -> None:
    op.create_table(
        "air_state",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("seen_us", sa.Integer, nullable=False),
        sa.Column("body", sa.LargeBinary, nullable=False),
    )
    op.create_table(
        "as_run",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("start_us", sa.Integer, nullable=False),
        sa.Column("end_us", sa.Integer, nullable=False),
        sa.Column("cart", sa.Integer),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("artist", sa.Text, nullable=False),
        sa.Column("origin", sa.Text, nullable=False),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("outcome", sa.Text, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
    )
    op.create_index("as_run_by_start", "as_run", ["start_us"])
    op.create_table(
        "alarm",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("at_us", sa.Integer, nullable=False),
        sa.Column("code", sa.Text, nullable=False),
        sa.Column("severity", sa.Text, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.Column("mend", sa.Text, nullable=False),
    )
    op.create_index("alarm_by_time", "alarm", ["at_us"])
