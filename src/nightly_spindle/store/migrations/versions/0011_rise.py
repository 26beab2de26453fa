"""How soon an item is at its level: found in the stored levels, so that joins have no holes."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("item", sa.Column("rise_s", sa.Float))
    op.add_column("item", sa.Column("soft_s", sa.Float))
