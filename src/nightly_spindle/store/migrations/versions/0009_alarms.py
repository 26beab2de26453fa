"""Equal alarms are one alarm with a count."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    op.add_column("alarm", sa.Column("times", sa.Integer, nullable=False, server_default="1"))
    op.add_column("alarm", sa.Column("last_us", sa.Integer, nullable=False, server_default="0"))
    op.add_column("alarm", sa.Column("fold", sa.Text, nullable=False, server_default=""))
    op.create_index("alarm_by_fold", "alarm", ["fold", "last_us"])
