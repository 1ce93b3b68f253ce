"""Names that are unique by the database: serials, batches, lots; those of older journals are taken over once each."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "name",
        sa.Column("scope", sa.String(40), primary_key=True),
        sa.Column("name", sa.String(120), primary_key=True),
    )
    query = sa.text("SELECT kind, body FROM event WHERE kind IN ('batch_opened', 'lot_received') ORDER BY id")
    found: dict[tuple[str, str], None] = {}
    for kind, text in op.get_bind().execute(query):
        try:
            body = json.loads(text)
        except (ValueError, RecursionError):
            continue  # that row is damaged: it is told of when its batch is opened
        if not isinstance(body, dict):
            continue
        if kind == "lot_received":
            found["lot", str(body["id"])[:120]] = None
        else:
            found["batch", str(body.get("batch"))[:120]] = None
            found.update({("board", str(row["serial"])[:120]): None for row in body.get("boards", ())})
    if found:
        table = sa.table("name", sa.column("scope", sa.String), sa.column("name", sa.String))
        op.bulk_insert(table, [{"scope": scope, "name": name} for scope, name in found])


def downgrade() -> None:
    op.drop_table("name")
