"""Pools of overlays; what an overlay lay on, in the as-run log."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "overlay_pool",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("use", sa.Text, nullable=False),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("members", sa.Text, nullable=False),
        sa.Column("options", sa.Text, nullable=False),
    )
    op.add_column("as_run", sa.Column("over", sa.Text, nullable=False, server_default=""))
