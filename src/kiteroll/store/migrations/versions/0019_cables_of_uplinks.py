"""Uplinks name switches by their ids, which stay when one is renamed, and how their cable is."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"

# Few rows a transaction: each may name every switch there is.
_ROWS = sa.text(
    "SELECT id, leads_to, adjacent, witnesses FROM port_uplink WHERE id > :last ORDER BY id LIMIT 200"
)
_CHANGE = sa.text(
    "UPDATE port_uplink SET leads_to = :leads_to, adjacent = :adjacent, witnesses = :witnesses WHERE id = :id"
)


def upgrade() -> None:
    cable = sa.Column("cable", sa.String(16), nullable=False, server_default="open")
    op.add_column("port_uplink", cable, if_not_exists=True)
    op.execute(
        "ALTER TABLE port_uplink MODIFY leads_to LONGTEXT COMPRESSED CHARACTER SET utf8mb4 "
        "COLLATE utf8mb4_bin NULL CHECK (json_valid(leads_to))"
    )
    connection = op.get_bind()
    # In this order the switch that has a name now comes after those that had it before.
    query = "SELECT name, id FROM switch ORDER BY removed_at IS NULL, removed_at"
    numbers = {name: number for name, number in connection.execute(sa.text(query))}
    last = 0
    while rows := connection.execute(_ROWS, {"last": last}).all():
        for row in rows:
            connection.execute(
                _CHANGE,
                {
                    "id": row.id,
                    "leads_to": _by_ids(row.leads_to, numbers),
                    "adjacent": _by_ids(row.adjacent, numbers),
                    "witnesses": _by_ids(row.witnesses, numbers),
                },
            )
        connection.execute(sa.text("COMMIT"))
        last = rows[-1].id


def _by_ids(names: str | None, numbers: dict[str, int]) -> str | None:
    """What is an id already stays: an upgrade that was cut off begins again."""
    if names is None:
        return None
    ids = (one if isinstance(one, int) else numbers.get(one) for one in json.loads(names))
    return json.dumps([one for one in ids if one is not None])
