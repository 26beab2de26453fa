"""The library: sound apart from items, words to find by, lists, intake jobs and arrivals."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from nightly_spindle.core.logs.log_matching import search_words

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    _sound()
    _items()
    _words()
    op.add_column("category", sa.Column("weight", sa.Float, nullable=False, server_default="1"))
    op.create_table(
        "list",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("target_s", sa.Float),
    )
    op.create_table(
        "list_line",
        sa.Column(
            "list_id", sa.Integer, sa.ForeignKey("list.id", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("place", sa.Integer, primary_key=True),
        sa.Column("cart", sa.Integer, nullable=False),
    )
    op.create_index("list_line_by_cart", "list_line", ["cart"])
    op.create_index("item_category_by_category", "item_category", ["category_id", "cart"])
    _intake()


def _sound() -> None:
    op.create_table(
        "item_sound",
        sa.Column(
            "cart", sa.Integer, sa.ForeignKey("item.cart", ondelete="CASCADE"), primary_key=True
        ),
        sa.Column("overview", sa.LargeBinary, nullable=False),
        sa.Column("fingerprint", sa.LargeBinary, nullable=False),
        sa.Column("sounding_s", sa.Float, nullable=False),
    )
    op.execute("INSERT INTO item_sound SELECT cart, overview, x'', cue_out_s - cue_in_s FROM item")
    op.execute("ALTER TABLE item DROP COLUMN overview")
    op.create_index("item_sound_by_length", "item_sound", ["sounding_s"])


def _items() -> None:
    text: tuple[type[sa.types.TypeEngine[Any]], str] = (sa.Text, "")
    number: tuple[type[sa.types.TypeEngine[Any]], str] = (sa.Integer, "0")
    for name, kind in (
        ("genre", text),
        ("tags", text),
        ("encoding", text),
        ("size", number),
        ("mtime_ns", number),
        ("waits", text),
        ("why_waits", text),
        ("version", number),
        ("sort_artist", text),
        ("sort_title", text),
        ("sort_album", text),
        ("words", text),
    ):
        column = sa.Column(name, kind[0], nullable=False, server_default=kind[1])
        op.add_column("item", column)
    op.add_column("item", sa.Column("twin", sa.Integer))
    # good enough for what is there; every later edit writes the folded key
    op.execute(
        "UPDATE item SET sort_artist = lower(artist), sort_title = lower(title),"
        " sort_album = lower(album)"
    )
    op.create_index("item_by_artist", "item", ["sort_artist", "sort_title", "cart"])
    op.create_index("item_by_version", "item", ["version"])
    op.create_table(
        "former_place",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "cart", sa.Integer, sa.ForeignKey("item.cart", ondelete="CASCADE"), nullable=False
        ),
        sa.Column("root_id", sa.Integer, sa.ForeignKey("root.id"), nullable=False),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("name_key", sa.Text, nullable=False),
        sa.Column("until_us", sa.Integer, nullable=False),
        sa.Column("ours", sa.Boolean, nullable=False),
    )
    op.create_index("former_place_by_name", "former_place", ["name_key"])
    op.create_table(
        "change",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("count", sa.Integer, nullable=False),
    )
    op.execute("INSERT INTO change VALUES (1, 0)")


def _words() -> None:
    """Fill in the words that the filter looks through; every later edit writes them too."""
    connection = op.get_bind()
    rows = connection.execute(
        sa.text("SELECT cart, artist, title, album, kind FROM item")
    ).fetchall()
    for row in rows:
        words = search_words(row.artist, row.title, row.album, row.kind, str(row.cart))
        connection.execute(
            sa.text("UPDATE item SET words = :words WHERE cart = :cart"),
            {"words": words, "cart": row.cart},
        )


def _intake() -> None:
    op.create_table(
        "intake_job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("folder", sa.Text, nullable=False),
        sa.Column("options", sa.Text, nullable=False),
        sa.Column("subfolders", sa.Boolean, nullable=False),
        sa.Column("enabled", sa.Boolean, nullable=False),
    )
    op.create_table(
        "arrival",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("job_id", sa.Integer, sa.ForeignKey("intake_job.id", ondelete="SET NULL")),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("mtime_ns", sa.Integer, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("cart", sa.Integer),
        sa.Column("why", sa.Text, nullable=False),
        sa.Column("options", sa.Text, nullable=False),
        sa.Column("at_us", sa.Integer, nullable=False),
    )
    op.create_table(
        "backup",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at_us", sa.Integer, nullable=False),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("bytes", sa.Integer, nullable=False),
        sa.Column("problem", sa.Text, nullable=False),
    )
    op.create_index("arrival_by_path", "arrival", ["path"])
    op.create_index("arrival_by_state", "arrival", ["state", "id"])
