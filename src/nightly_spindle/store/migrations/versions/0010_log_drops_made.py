"""When a log drop was made: what was due before is not missed by it."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column("log_drop", sa.Column("made_us", sa.Integer, nullable=False, server_default="0"))
