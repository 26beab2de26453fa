"""How log drops load, what was settled by hand, edits of logs."""

import sqlalchemy as sa
from alembic import op

from nightly_spindle.core.library.song_names import song_key

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    for name, empty in (("options", "{}"), ("paths", "[]"), ("meanings", "[]")):
        column = sa.Column(name, sa.Text, nullable=False, server_default=empty)
        op.add_column("log_drop", column)
    op.add_column("item", sa.Column("song_key", sa.Text, nullable=False, server_default=""))
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT cart, artist, title FROM item")).fetchall()
    keys = [{"key": song_key(row.artist, row.title), "cart": row.cart} for row in rows]
    if keys:
        connection.execute(sa.text("UPDATE item SET song_key = :key WHERE cart = :cart"), keys)
    op.create_index("item_by_song", "item", ["song_key"])
    op.create_table(
        "log_settled",
        sa.Column("said", sa.Text, primary_key=True),
        sa.Column("cart", sa.Integer, nullable=False),
        sa.Column("at_us", sa.Integer, nullable=False),
    )
    op.create_table(
        "log_edit",
        sa.Column("drop_id", sa.Integer, primary_key=True),
        sa.Column("slot", sa.Text, primary_key=True),
        sa.Column("edits", sa.Text, nullable=False),
    )
