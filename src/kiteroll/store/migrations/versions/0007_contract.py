"""Answers that are kept for calls which are sent twice; labels of addresses of their own."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import MEDIUMBLOB

from kiteroll.store.types import Instant, Mac, exact_text

revision = "0007"
down_revision = "0006"

_OPTIONS: dict[str, Any] = {
    "mariadb_engine": "InnoDB",
    "mariadb_default_charset": "utf8mb4",
    "if_not_exists": True,
}


def upgrade() -> None:
    op.create_table(
        "kept_answer",
        sa.Column("key_digest", exact_text(64), primary_key=True),
        sa.Column("request_digest", exact_text(64), nullable=False),
        sa.Column("began_at", Instant, nullable=False),
        sa.Column("status", sa.Integer),
        sa.Column("location", sa.String(1024), nullable=False, server_default=""),
        sa.Column("media_type", sa.String(128), nullable=False, server_default=""),
        sa.Column("sealed", MEDIUMBLOB),
        **_OPTIONS,
    )
    op.create_index("kept_answer_began", "kept_answer", ["began_at"], if_not_exists=True)
    op.create_table(
        "address_label",
        sa.Column("mac", Mac, primary_key=True, autoincrement=False),
        sa.Column("label", sa.String(128), nullable=False),
        sa.Column("owner", sa.String(128), nullable=False),
        sa.Column("notes", sa.Text, nullable=False),
        **_OPTIONS,
    )
    op.create_index("address_label_label", "address_label", ["label"], if_not_exists=True)
    op.create_index("address_label_owner", "address_label", ["owner"], if_not_exists=True)
    columns = {one["name"] for one in sa.inspect(op.get_bind()).get_columns("endpoint")}
    if "label" in columns:  # a migration that was cut off is run again
        op.execute(
            "INSERT IGNORE INTO address_label (mac, label, owner, notes) "
            "SELECT mac, label, owner, COALESCE(notes, '') FROM endpoint "
            "WHERE label <> '' OR owner <> '' OR COALESCE(notes, '') <> ''"
        )
        op.drop_index("endpoint_label", "endpoint", if_exists=True)
        op.drop_index("endpoint_owner", "endpoint", if_exists=True)
        for name in ("notes", "owner", "label"):  # the one that is asked for last
            op.drop_column("endpoint", name, if_exists=True)
    op.create_index("endpoint_first_seen", "endpoint", ["first_seen_at"], if_not_exists=True)
    op.create_table(
        "device_link",
        sa.Column("name", exact_text(64), primary_key=True),
        sa.Column("of_what", sa.String(16), nullable=False),
        sa.Column("template", sa.Text, nullable=False),
        **_OPTIONS,
    )
    op.create_table(
        "saved_query",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("owner", exact_text(64), nullable=False),
        sa.Column("name", exact_text(64), nullable=False),
        sa.Column("path", sa.Text, nullable=False),
        sa.Column("shared", sa.Boolean, nullable=False),
        sa.Column("saved_at", Instant, nullable=False),
        sa.UniqueConstraint("owner", "name", name="saved_query_name"),
        **_OPTIONS,
    )
