"""At which step each thing was done, the number it had in the journal it came from, and a way to find kinds quickly."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("event", sa.Column("place", sa.String(40), nullable=False, server_default=""))
    op.add_column("event", sa.Column("origin", sa.Integer, nullable=False, server_default="0"))
    op.create_index("ix_event_kind", "event", ["kind"])


def downgrade() -> None:
    op.drop_index("ix_event_kind", "event")
    op.drop_column("event", "origin")
    op.drop_column("event", "place")
