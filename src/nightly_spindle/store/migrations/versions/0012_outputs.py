"""Outputs: any number of them, instead of the one that two settings named."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    table = op.create_table(
        "output",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("kind", sa.Text, nullable=False),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("enabled", sa.Boolean, nullable=False),
        sa.Column("options", sa.Text, nullable=False),
    )
    rows = op.get_bind().execute(sa.text("SELECT name, value FROM setting"))
    settings = {row.name: row.value for row in rows}
    if not settings:
        return  # a station that is just being made: it is given its outputs there
    card = settings.get("output.to", "device") == "device"
    device = settings.get("output.device", "")
    op.bulk_insert(
        table,
        [
            {
                "id": 1,
                "name": "Sound card" if card else "Simulated",
                "kind": "sound card" if card else "simulated",
                "place": 1,
                "enabled": True,
                "options": json.dumps({"device": device} if card and device else {}),
            }
        ],
    )
    op.execute("DELETE FROM setting WHERE name IN ('output.to', 'output.device')")
