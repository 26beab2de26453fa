"""Format clocks, day plans, the week, the calendar, rules of rotation, hours that were made."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"

_NUMBERED = {
    "format_clock": ("name", "slots", "weights", "rules", "options"),
    "day_plan": ("name", "hours", "shows", "options"),
    "rotation_rule": ("body",),
}


def upgrade() -> None:
    for table, texts in _NUMBERED.items():
        op.create_table(
            table,
            sa.Column("id", sa.Integer, primary_key=True),
            *(sa.Column(name, sa.Text, nullable=False, unique=name == "name") for name in texts),
        )
    for table, name in (("week_hour", "clock_id"), ("calendar_day", "plan_id")):
        op.create_table(
            table,
            sa.Column("id", sa.Integer, primary_key=True),
            sa.Column(name, sa.Integer, nullable=False),
        )
    op.create_table(
        "made_hour",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("clock_id", sa.Integer, nullable=False),
        sa.Column("made_us", sa.Integer, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
    )
    op.add_column("item", sa.Column("turn", sa.Text, nullable=False, server_default=""))
    op.add_column(
        "category", sa.Column("turn", sa.Text, nullable=False, server_default="oldest first")
    )
