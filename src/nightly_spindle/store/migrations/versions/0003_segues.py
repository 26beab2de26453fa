"""Markers set by hand, how sure measured ones are, levels to find them in, segue rules."""

import sqlalchemy as sa
from alembic import op

from nightly_spindle.core.station.settings import RENAMED

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    for name in ("marks", "shaping", "fall"):
        op.add_column("item", sa.Column(name, sa.Text, nullable=False, server_default=""))
    for name in ("intro_end_s", "sag_s"):
        op.add_column("item", sa.Column(name, sa.Float))
    for name in ("cue_in", "intro_end", "segue", "fade_start", "cue_out"):
        column = sa.Column(f"sure_{name}", sa.Float, nullable=False, server_default="0")
        op.add_column("item", column)
    op.add_column(
        "item_sound",
        sa.Column("envelope", sa.LargeBinary, nullable=False, server_default=sa.text("x''")),
    )
    op.create_table(
        "segue_rule",
        sa.Column("out", sa.Text, primary_key=True),
        sa.Column("into", sa.Text, primary_key=True),
        sa.Column("texts", sa.Text, nullable=False),
    )
    op.create_table(
        "join_pair",
        sa.Column("out_cart", sa.Integer, primary_key=True),
        sa.Column("in_cart", sa.Integer, primary_key=True),
        sa.Column("edit", sa.Text, nullable=False),
    )
    for old, new in RENAMED.items():
        op.execute(
            sa.text("UPDATE setting SET name = :new WHERE name = :old").bindparams(old=old, new=new)
        )
    # a deeper trigger than is measured now
    op.execute(
        "UPDATE setting SET value = '-48.0' WHERE name = 'segue.trigger_db'"
        " AND CAST(value AS REAL) < -48"
    )
    op.execute(
        "UPDATE setting SET value = '-4.0' WHERE name = 'segue.trigger_db'"
        " AND CAST(value AS REAL) > -4"
    )
