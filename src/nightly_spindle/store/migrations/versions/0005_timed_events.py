"""What timed events can say besides an RFC 5545 rule, and their options."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    for name in ("rule", "options"):
        column = sa.Column(name, sa.Text, nullable=False, server_default="{}")
        op.add_column("timed_event", column)
