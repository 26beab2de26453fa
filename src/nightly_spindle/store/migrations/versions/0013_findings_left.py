"""Findings that the operator left as they are."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    op.create_table(
        "finding_left",
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("names", sa.Text, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
        sa.Column("at_us", sa.Integer, nullable=False),
    )
