"""Campaigns, breaks and what is placed in them; whose spot it was, in the as-run log."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.create_table(
        "break_pattern",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("options", sa.Text, nullable=False),
    )
    op.create_table(
        "campaign",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("copies", sa.Text, nullable=False),
        sa.Column("options", sa.Text, nullable=False),
        sa.Column("pins", sa.Text, nullable=False),
    )
    op.create_table(
        "spot_placed",
        sa.Column("at_us", sa.Integer, primary_key=True),
        sa.Column("break_id", sa.Integer, primary_key=True),
        sa.Column("seat", sa.Integer, primary_key=True),
        sa.Column("campaign_id", sa.Integer, nullable=False),
        sa.Column("fixed", sa.Boolean, nullable=False),
    )
    op.create_table(
        "placing",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("made_us", sa.Integer, nullable=False),
        sa.Column("from_us", sa.Integer, nullable=False),
        sa.Column("until_us", sa.Integer, nullable=False),
        sa.Column("settled", sa.Text, nullable=False),
        sa.Column("short", sa.Text, nullable=False),
    )
    numbers = ("campaign", "break_id", "break_us", "whole_us")
    for name in numbers:
        op.add_column("as_run", sa.Column(name, sa.Integer, nullable=False, server_default="0"))
    op.add_column("as_run", sa.Column("good", sa.Boolean, nullable=False, server_default="0"))
    op.add_column("as_run", sa.Column("file", sa.Text, nullable=False, server_default=""))
    op.add_column("as_run", sa.Column("share", sa.Float, nullable=False, server_default="0"))
    op.create_index("as_run_by_campaign", "as_run", ["campaign", "start_us"])
